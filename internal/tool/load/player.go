package load

import (
	"context"
	mrand "math/rand/v2"
	"net"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/rulebook"
)

// player is one simulated client.
type player struct {
	no   int
	rng  *mrand.Rand
	http *http.Client
	in   *client.Signed
	conn *client.Conn

	bytes    atomic.Int64 // that came in
	messages atomic.Int64
	missed   atomic.Int64
	atBytes  int64 // when the measuring began
	atCount  int64
	endBytes int64 // and when it ended
	endCount int64

	mu       sync.Mutex
	arrivals [64]arrival // guarded by mu; by tick
	twin     *twin       // of a few: what other ways of sending would cost
}

// arrival is when a tick's delta was in the copy.
type arrival struct {
	tick int64
	at   time.Time
}

func (p *player) service(address string) client.Service {
	return client.Service{Address: address, Token: p.in.Token, HTTP: p.http}
}

// mark notes where the counters stand as the measuring begins.
func (p *player) mark() {
	p.atBytes, p.atCount = p.bytes.Load(), p.messages.Load()
	if p.twin != nil {
		p.conn.Read(func(c *client.Copy) { p.twin.begin(c) })
	}
}

// stop notes where they stand as it ends.
func (p *player) stop() {
	p.endBytes, p.endCount = p.bytes.Load(), p.messages.Load()
	if p.twin != nil {
		p.twin.ticked(p.conn.Tick())
	}
}

// measured is how many clients' bytes are held against other ways of sending.
const measured = 4

func (p *player) connect(ctx context.Context, r *run, c *crew) error {
	o := client.Options{
		Address:  r.cfg.Service,
		Token:    p.in.Token,
		Lobby:    c.code,
		JSON:     r.cfg.JSON,
		Rough:    r.cfg.Rough,
		Dial:     p.dialler(r.from.dialer(p.no)),
		OnTick:   func(tick int64) { p.arrived(tick) },
		OnMissed: func(n int) { p.missed.Add(int64(n)) },
	}
	if p.no < measured {
		p.twin = newTwin()
		o.OnChange = p.twin.changed
	}
	var err error
	p.conn, err = client.Connect(ctx, o)
	return err
}

// dialler counts what comes in.
func (p *player) dialler(d *net.Dialer) func(context.Context, string, string) (net.Conn, error) {
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		c, err := d.DialContext(ctx, network, address)
		if err != nil {
			return nil, err
		}
		return &counted{c, p}, nil
	}
}

type counted struct {
	net.Conn
	p *player
}

func (c *counted) Read(b []byte) (int, error) {
	n, err := c.Conn.Read(b)
	c.p.bytes.Add(int64(n))
	return n, err
}

// arrived notes when a tick's delta was taken in.
func (p *player) arrived(tick int64) {
	now := time.Now()
	p.messages.Add(1)
	p.mu.Lock()
	p.arrivals[tick%int64(len(p.arrivals))] = arrival{tick, now}
	p.mu.Unlock()
	if p.twin != nil {
		p.twin.ticked(tick)
	}
}

// when tells when a tick's delta arrived.
func (p *player) when(tick int64) (time.Time, bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.arrivals[tick%int64(len(p.arrivals))]
	return a.at, a.tick == tick
}

// play acts at random until the context ends, and returns when what came of it is known or the other context has ended.
func (p *player) play(ctx, judging context.Context, r *run) {
	if r.cfg.Rate <= 0 {
		return
	}
	every := time.Duration(float64(time.Second) / r.cfg.Rate)
	t := time.NewTimer(time.Duration(p.rng.Int64N(int64(every))))
	defer t.Stop()
	var all sync.WaitGroup
	defer all.Wait()
	for {
		select {
		case <-t.C:
			t.Reset(every/2 + time.Duration(p.rng.Int64N(int64(every))))
			in, ok := p.decide()
			if !ok {
				continue
			}
			sent, pending := time.Now(), p.conn.Send(in)
			all.Go(func() { r.judge(judging, p, sent, pending) })
		case <-p.conn.Done():
			r.gone()
			return
		case <-ctx.Done():
			return
		}
	}
}

// decide chooses what to ask for now.
func (p *player) decide() (in client.Intent, ok bool) {
	p.conn.Read(func(c *client.Copy) {
		me, m := c.Me(), c.Match()
		switch {
		case me == nil || m != nil && m.Flag("over"):
		case m == nil:
			in, ok = client.Intent{Do: "ready"}, !me.Flag("ready")
		case c.Book.Moves && (len(c.Book.Actions) == 0 || p.rng.IntN(2) == 0):
			in, ok = client.Intent{Do: "steer",
				At: []int64{p.rng.Int64N(2001) - 1000, p.rng.Int64N(2001) - 1000}}, true
		case len(c.Book.Actions) > 0:
			in, ok = p.act(c), true
		}
	})
	return in, ok
}

// act uses an action at random, on somebody at random.
func (p *player) act(c *client.Copy) client.Intent {
	a := c.Book.Actions[p.rng.IntN(len(c.Book.Actions))]
	in := client.Intent{Do: "act", Name: a.Name}
	switch a.Aim {
	case rulebook.AimTarget.String():
		all := c.Players()
		in.Target = uint32(all[p.rng.IntN(len(all))].ID)
	case rulebook.AimLine.String(), rulebook.AimCone.String(), rulebook.AimArea.String():
		in.At = []int64{p.rng.Int64N(2001) - 1000, p.rng.Int64N(2001) - 1000}
	}
	for _, f := range a.Takes {
		if in.Args == nil {
			in.Args = map[string]any{}
		}
		in.Args[f.Name] = argument(p.rng, f)
	}
	return in
}

// argument makes up a value of an action's argument.
func argument(rng *mrand.Rand, f *client.Field) any {
	switch f.Type {
	case client.TypeFlag:
		return rng.IntN(2) == 0
	case client.TypeChoice:
		return f.Choices[rng.IntN(len(f.Choices))]
	case client.TypePosition:
		return []int64{rng.Int64N(2001) - 1000, rng.Int64N(2001) - 1000}
	case client.TypePosition3:
		return []int64{rng.Int64N(2001) - 1000, rng.Int64N(2001) - 1000, rng.Int64N(2001) - 1000}
	case client.TypeList:
		return []any{}
	}
	lo, hi := int64(0), int64(10)
	if f.Bounded {
		lo, hi = f.Min, f.Max
	}
	n := lo + rng.Int64N(max(hi-lo, 0)+1)
	if f.Type == client.TypeNumber {
		return float64(n) / 1000
	}
	return n
}

// settle is how long after a verdict the replicas are looked at: long enough for every delta of that tick to have come,
// short enough for them to be remembered.
const settle = time.Second

// judge waits for a verdict and notes how long it took, to the player and to every replica in the lobby: to the delta
// that the player's own copy had the effect from.
func (r *run) judge(ctx context.Context, p *player, sent time.Time, pending *client.Pending) {
	v, err := pending.Verdict(ctx)
	if err != nil || !r.measuring.Load() {
		return
	}
	took := time.Since(sent)
	r.mu.Lock()
	r.verdicts = append(r.verdicts, took)
	if v.OK {
		r.accepted++
	} else {
		r.refused[v.Code]++
	}
	r.mu.Unlock()
	if !v.OK {
		return
	}
	select {
	case <-time.After(settle):
	case <-ctx.Done():
		return
	}
	for _, other := range r.crewOf(p).players {
		if at, ok := other.when(pending.Copied()); ok {
			r.mu.Lock()
			r.replicas = append(r.replicas, at.Sub(sent))
			r.mu.Unlock()
		}
	}
}

func (r *run) crewOf(p *player) *crew { return r.crews[p.no/len(r.crews[0].players)] }

func (r *run) gone() {
	r.mu.Lock()
	r.lost++
	r.mu.Unlock()
}

// spread says which address of this machine clients connect from, because a service bounds what it takes from one: on
// loopback from many in turn.
type spread struct{ loopback bool }

func spreadFor(service string) spread {
	return spread{strings.Contains(service, "127.0.0.1") || strings.Contains(service, "localhost")}
}

func (s spread) dialer(i int) *net.Dialer {
	if !s.loopback {
		return &net.Dialer{}
	}
	return &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 4, byte(i/250%250), byte(i%250+1))}}
}

func (s spread) client(i int) *http.Client {
	return &http.Client{
		Transport: &http.Transport{DialContext: s.dialer(i).DialContext, MaxIdleConnsPerHost: 1,
			IdleConnTimeout: 5 * time.Second},
	}
}
