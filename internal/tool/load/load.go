// Package load drives any rulebook with any number of simulated clients against a service, through the real client and
// the real socket, and measures what they are sent and how fast: turnvex load and the benchmarks use it.
package load

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	mrand "math/rand/v2"
	"net/http"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/client"
)

// Config says what is to be done. Service and Rulebook must be given.
type Config struct {
	Service  string        // address
	Rulebook string        // name
	Clients  int           // 8 if 0
	Lobby    int           // clients in each lobby; as many as the rulebook seats, at most 8, if 0
	For      time.Duration // how long is measured; 20 s if 0
	Warmup   time.Duration // how long before that they play; 3 s if 0
	Rate     float64       // intents per second and client; with 0 they only look on
	Real     bool          // lobbies whose results count; otherwise practice lobbies
	JSON     bool          // speak JSON instead of CBOR
	Rough    client.Rough
	Options  map[string]any // of the rulebook
	Seed     uint64
	Progress func(string) `json:"-"` // called now and then with what is under way; may be nil
}

// The limits of a load.
const (
	MaxClients = 20_000
	maxFor     = time.Hour
)

func (c *Config) check() error {
	if c.Clients == 0 {
		c.Clients = 8
	}
	if c.For == 0 {
		c.For = 20 * time.Second
	}
	if c.Warmup == 0 {
		c.Warmup = 3 * time.Second
	}
	if c.Progress == nil {
		c.Progress = func(string) {}
	}
	switch {
	case c.Clients < 1 || c.Clients > MaxClients:
		return fmt.Errorf("there may be 1 to %d clients, not %d", MaxClients, c.Clients)
	case c.For < time.Second || c.For > maxFor:
		return fmt.Errorf("it may last 1 s to %s, not %s", maxFor, c.For)
	case c.Rate < 0 || c.Rate > 50:
		return fmt.Errorf("a client may send 0 to 50 intents a second, not %g", c.Rate)
	}
	return nil
}

// run is a load under way.
type run struct {
	cfg     Config
	players []*player
	crews   []*crew
	from    spread

	measuring atomic.Bool
	mu        sync.Mutex
	verdicts  []time.Duration // guarded by mu
	replicas  []time.Duration // guarded by mu; from an intent to a replica that has its tick
	refused   map[string]int  // guarded by mu; by code
	accepted  int             // guarded by mu
	lost      int             // guarded by mu
}

// crew are the players of one lobby.
type crew struct {
	code    string
	players []*player
}

// Run drives the load and returns what was measured. The context ends it early, with an error.
func Run(ctx context.Context, cfg Config) (*Report, error) {
	if err := cfg.check(); err != nil {
		return nil, err
	}
	r := &run{cfg: cfg, refused: map[string]int{}, from: spreadFor(cfg.Service)}
	if err := r.gather(ctx); err != nil {
		r.leave()
		return nil, err
	}
	defer r.leave()
	play, stop := context.WithCancel(ctx)
	defer stop()
	judge, giveUp := context.WithCancel(ctx)
	defer giveUp()
	var all sync.WaitGroup
	for _, p := range r.players {
		all.Go(func() { p.play(play, judge, r) })
	}
	if err := r.wait(ctx, "warming up", cfg.Warmup); err != nil {
		return nil, err
	}
	began := r.begin()
	if err := r.wait(ctx, "measuring", cfg.For); err != nil {
		return nil, err
	}
	r.measuring.Store(false)
	took := time.Since(began)
	for _, p := range r.players {
		p.stop()
	}
	stop()
	time.AfterFunc(judgeFor, giveUp)
	all.Wait() // until what the last intents led to is known
	return r.report(took), nil
}

// judgeFor is how long after the measuring verdicts and replicas are waited for.
const judgeFor = settle + time.Second

// wait lets time pass and tells how much is left.
func (r *run) wait(ctx context.Context, what string, d time.Duration) error {
	end := time.Now().Add(d)
	for left := d; left > 0; left = time.Until(end) {
		r.cfg.Progress(fmt.Sprintf("%s: %.0f s left", what, left.Seconds()))
		select {
		case <-time.After(min(left, time.Second)):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// gather signs everybody in, opens the lobbies and connects.
func (r *run) gather(ctx context.Context) error {
	return r.gatherBy(ctx, func(p *player, c *crew) error { return p.connect(ctx, r, c) })
}

func (r *run) gatherBy(ctx context.Context, connect func(*player, *crew) error) error {
	size, err := r.lobbySize(ctx)
	if err != nil {
		return err
	}
	r.players = make([]*player, r.cfg.Clients)
	var done atomic.Int64
	err = Each(r.cfg.Clients, func(i int) error {
		p := &player{no: i, rng: mrand.New(mrand.NewPCG(r.cfg.Seed, uint64(i))), http: r.from.client(i)}
		r.players[i] = p
		err := patiently(ctx, func() error {
			p.in = &client.Signed{}
			return client.Service{Address: r.cfg.Service, HTTP: p.http}.Call(ctx, http.MethodPost, "/v1/sign-in/device",
				map[string]string{
					"device": "load-" + rand.Text() + rand.Text(),
					"name":   fmt.Sprint("Load ", i+1),
				}, p.in)
		})
		if n := done.Add(1); n%100 == 0 {
			r.cfg.Progress(fmt.Sprintf("signing in: %d of %d", n, r.cfg.Clients))
		}
		return err
	})
	if err != nil {
		return fmt.Errorf("sign in: %w", err)
	}
	for i := 0; i < len(r.players); i += size {
		r.crews = append(r.crews, &crew{players: r.players[i:min(i+size, len(r.players))]})
	}
	done.Store(0)
	return Each(len(r.crews), func(i int) error {
		err := r.launch(ctx, r.crews[i], i, size, connect)
		if n := done.Add(1); n%10 == 0 {
			r.cfg.Progress(fmt.Sprintf("joining: %d of %d lobbies", n, len(r.crews)))
		}
		return err
	})
}

func (r *run) lobbySize(ctx context.Context) (int, error) {
	var out struct {
		Rulebooks []struct {
			Name string `json:"name"`
			Most int    `json:"most"`
		} `json:"rulebooks"`
	}
	if err := (client.Service{Address: r.cfg.Service}).Call(ctx, http.MethodGet, "/v1/rulebooks", nil,
		&out); err != nil {
		return 0, err
	}
	for _, b := range out.Rulebooks {
		if b.Name != r.cfg.Rulebook {
			continue
		}
		if r.cfg.Lobby > b.Most {
			return 0, fmt.Errorf("a lobby of %s seats at most %d, not %d", b.Name, b.Most, r.cfg.Lobby)
		}
		if r.cfg.Lobby > 0 {
			return r.cfg.Lobby, nil
		}
		return min(b.Most, 8), nil
	}
	return 0, fmt.Errorf("the service has no rulebook %q; turnvex publish brings one there", r.cfg.Rulebook)
}

// launch opens a lobby and brings its crew in.
func (r *run) launch(ctx context.Context, c *crew, i, size int, connect func(*player, *crew) error) error {
	host := c.players[0]
	err := patiently(ctx, func() error {
		l, err := host.service(r.cfg.Service).
			Open(ctx, client.Opening{Rulebook: r.cfg.Rulebook, Title: fmt.Sprint("Load ", i+1), Hidden: true,
				Capacity: max(size, 2), Practice: !r.cfg.Real, Options: r.cfg.Options})
		if err == nil {
			c.code = l.Code
		}
		return err
	})
	if err != nil {
		return fmt.Errorf("open a lobby: %w", err)
	}
	for _, p := range c.players {
		if err := connect(p, c); err != nil {
			return fmt.Errorf("join: %w", err)
		}
	}
	return nil
}

// leave lets everybody leave and, where nothing is to be kept, removes the players.
func (r *run) leave() {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	Each(len(r.players), func(i int) error {
		p := r.players[i]
		if p == nil || p.in == nil {
			return nil
		}
		if p.conn != nil {
			p.conn.Leave(ctx)
		}
		if !r.cfg.Real {
			patiently(ctx, func() error { return p.service(r.cfg.Service).DeleteMe(ctx) })
		}
		return nil
	})
}

// begin starts the measuring.
func (r *run) begin() time.Time {
	for _, p := range r.players {
		p.mark()
	}
	r.measuring.Store(true)
	return time.Now()
}

// Quiet makes the process collect garbage only when it holds 3 GiB, so that what is measured is not its own pauses. It
// is for programs that do nothing else.
func Quiet() {
	debug.SetGCPercent(-1)
	debug.SetMemoryLimit(3 << 30)
}

// patiently tries again while the service says that it is asked too often.
func patiently(ctx context.Context, f func() error) error {
	for {
		err := f()
		if client.CodeOf(err) != "too-many-requests" {
			return err
		}
		select {
		case <-time.After(200 * time.Millisecond):
		case <-ctx.Done():
			return errors.Join(err, ctx.Err())
		}
	}
}

// Each calls f for 0 to n-1 from several goroutines.
func Each(n int, f func(i int) error) error {
	var next atomic.Int64
	var all sync.WaitGroup
	errs := make(chan error, 64)
	for range cap(errs) {
		all.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				if err := f(i); err != nil {
					errs <- err
					return
				}
			}
		})
	}
	all.Wait()
	close(errs)
	return <-errs
}
