package client

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// Intent is what a seat asks for. Do names it: act, stop, steer, claim, ready, unready, rename, team, start, pause,
// resume, kick, ban, unban, swap, shuffle, mute, unmute, vote, hand-over, settings or set.
type Intent struct {
	Seat   uint32         `json:"seat,omitempty"`   // 0: the first seat of the connection
	Do     string         `json:"do"`               // what is asked for
	Name   string         `json:"name,omitempty"`   // of an action, a team or a field
	Target uint32         `json:"target,omitempty"` // a seat or a sheet
	At     []int64        `json:"at,omitempty"`     // a point or a direction
	Yaw    *int64         `json:"yaw,omitempty"`    // where to look, 0 to 65535; of face, steer, claim and act
	Pitch  *int64         `json:"pitch,omitempty"`  // with Yaw on tall ground: how far up, -16384 to 16384
	Args   map[string]any `json:"args,omitempty"`   // of an action, or the settings to change
	Text   string         `json:"text,omitempty"`   // a new name, or a reason
	Value  any            `json:"value,omitempty"`  // of set: the value of the field

	// Expect is what the client shows until the verdict is there, or a referee has decided: see Expect.
	Expect []Expected `json:"-"`
}

// Verdict is the service's answer to an intent.
type Verdict struct {
	Is     string `json:"is"`               // verdict
	Seat   uint32 `json:"seat"`             // as in the intent
	N      uint64 `json:"n"`                // the intent's number
	OK     bool   `json:"ok"`               // whether it was accepted
	Code   string `json:"code,omitempty"`   // why not; docs/errors.md explains each
	Reason string `json:"reason,omitempty"` // the same for people
	Tick   int64  `json:"tick"`             // the wall tick at which it took effect or was refused
	Left   int64  `json:"left,omitempty"`   // milliseconds to wait, where waiting helps
	Waits  bool   `json:"waits,omitempty"`  // a referee decides on it; the notice decided says how
}

// Pending is an intent that waits for its verdict.
type Pending struct {
	msg     wire.Intent
	done    chan struct{}
	verdict Verdict
	copied  sheet.Tick
	err     error

	expects []*replica.Expectation // guarded by the connection's mu
}

// Number is the intent's number, which counts those of its seat from 1.
func (p *Pending) Number() uint64 { return p.msg.N }

// Done is closed when the verdict is there.
func (p *Pending) Done() <-chan struct{} { return p.done }

// Verdict waits for the verdict. The error is that of the connection or the context; a refusal is not an error here.
func (p *Pending) Verdict(ctx context.Context) (Verdict, error) {
	select {
	case <-p.done:
		return p.verdict, p.err
	case <-ctx.Done():
		return Verdict{}, ctx.Err()
	}
}

// Copied returns, once the verdict is there, the tick that the copy stood at when it came. The copy of that tick holds
// the effect, here and in every other client.
func (p *Pending) Copied() int64 { return int64(p.copied) }

// Send sends an intent and returns at once. While the connection is away it is kept and sent when it is back.
func (c *Conn) Send(in Intent) *Pending {
	if in.Seat == 0 {
		in.Seat = c.Seat()
	}
	c.mu.Lock()
	n := c.numbersLocked(in.Seat)
	n.last++
	p := &Pending{
		done: make(chan struct{}),
		msg: wire.Intent{Is: "intent", Seat: in.Seat, N: n.last, Do: in.Do, Name: in.Name,
			Target: in.Target, At: in.At, Yaw: in.Yaw, Pitch: in.Pitch, Args: in.Args, Text: in.Text, Value: in.Value},
	}
	if c.err == nil {
		c.open[intentKey{in.Seat, p.msg.N}] = p
		if p.err = c.expectLocked(p, in.Expect); p.err == nil {
			c.askedLocked(&p.msg)
		}
	} else {
		p.err = c.err
	}
	if p.err != nil {
		delete(c.open, intentKey{in.Seat, p.msg.N})
		close(p.done)
		c.mu.Unlock()
		return p
	}
	c.mu.Unlock()
	c.sendNow(p.msg) // if it fails, the intent is sent again after coming back
	c.tells.drain()
	return p
}

// Do sends an intent and waits for its verdict. A refusal is a *Refusal.
func (c *Conn) Do(ctx context.Context, in Intent) error {
	v, err := c.Send(in).Verdict(ctx)
	if err == nil && !v.OK {
		err = &Refusal{Code: v.Code, Reason: v.Reason}
	}
	return err
}

func (c *Conn) sendNow(msg any) error {
	c.mu.Lock()
	sock := c.sock
	c.mu.Unlock()
	if sock == nil {
		return errors.New("the connection is away")
	}
	return sock.say(msg)
}

// resendLocked sends what was not answered before the connection was lost, in order. The service answers again what it
// has done already.
func (c *Conn) resendLocked() {
	var again []*Pending
	for _, p := range c.open {
		again = append(again, p)
	}
	slices.SortFunc(again, func(a, b *Pending) int { return int(int64(a.msg.N) - int64(b.msg.N)) })
	leaving := c.leaving
	go func() {
		for _, p := range again {
			c.sendNow(p.msg)
		}
		if leaving {
			c.sendNow(wire.Leave{Is: "leave"})
		}
	}()
}

// read takes messages until the connection ends.
func (c *Conn) read(sock *socket) error {
	for {
		data, err := sock.read()
		if err != nil {
			return err
		}
		if err := c.message(sock, data); err != nil {
			return err
		}
		c.tells.drain()
	}
}

// message takes one message. Those of later versions are passed over.
func (c *Conn) message(sock *socket, data []byte) error {
	kind, err := wire.Kind(sock.enc, data)
	if err != nil {
		return err
	}
	switch kind {
	case "welcome": // there is a seat now for who stood in line
		return c.welcomed(sock, data)
	case "bye":
		return sock.refusedBy(data)
	case "snapshot":
		tick, _, parts, err := wire.Parts(sock.enc, data)
		if err != nil {
			return err
		}
		return c.changed(tick, func() ([]replica.Change, error) { return c.view.copy.Replace(parts) })
	case "delta":
		return c.delta(sock, data)
	case "verdict":
		return take(sock, data, c.answered)
	case "notice":
		return take(sock, data, c.noticed)
	case "series":
		return take(sock, data, func(d *DueMeeting) error { return tell(c, c.opts.OnSeries, *d) })
	case "still":
		return take(sock, data, func(m *wire.Still) error {
			return tell(c, c.opts.OnStill, Still{time.Duration(m.Ms) * time.Millisecond, m.Why, m.Over})
		})
	case "missed":
		return take(sock, data, func(m *wire.Missed) error { return tell(c, c.opts.OnMissed, m.Notices) })
	case "decision":
		return take(sock, data, func(d *Decision) error { wholes(d.Tell); return tell(c, c.opts.OnDecision, *d) })
	case "decided":
		return take(sock, data, c.words.decided)
	case "seated":
		return take(sock, data, c.seated)
	case "ruled":
		return take(sock, data, c.words.ruled)
	case "ping":
		return take(sock, data, func(p *wire.Ping) error {
			c.mu.Lock()
			c.time.heard(sheet.Tick(p.Tick), c.view.Rate)
			c.mu.Unlock()
			return sock.say(wire.Ping{Is: "pong", N: p.N})
		})
	case "pong":
		return take(sock, data, func(p *wire.Ping) error { c.time.measured(p); return nil })
	case "check":
		return take(sock, data, func(k *wire.Check) error { return c.checked(sock, k) })
	case "show":
		return take(sock, data, func(k *wire.Check) error { return c.show(sock, k) })
	case "differs":
		return take(sock, data, func(d *wire.Differs) error {
			var list []Difference
			for _, f := range d.Fields {
				list = append(list, Difference(f))
			}
			return tell(c, c.opts.OnDiffers, list)
		})
	}
	return nil
}

func (c *Conn) noticed(n *Notice) error {
	wholes(n.With)
	c.mu.Lock()
	c.judgedLocked(n)
	c.mu.Unlock()
	return tell(c, c.opts.OnNotice, *n)
}

// wholes makes what notices and decisions say the same in both encodings: numbers become int64, lists of them []int64.
func wholes(m map[string]any) {
	for k, v := range m {
		switch v := v.(type) {
		case json.Number:
			m[k], _ = v.Int64()
		case []any:
			list := make([]int64, len(v))
			for i, x := range v {
				switch x := x.(type) {
				case json.Number:
					list[i], _ = x.Int64()
				case int64:
					list[i] = x
				}
			}
			m[k] = list
		}
	}
}

// take reads a message and does what is to be done with it.
func take[T any](s *socket, data []byte, do func(*T) error) error {
	var m T
	if err := wire.ReadLoose(s.enc, data, &m); err != nil {
		return err
	}
	return do(&m)
}

// tell calls back in turn.
func tell[T any](c *Conn, f func(T), v T) error {
	if f != nil {
		c.tells.add(func() { f(v) })
	}
	return nil
}

func (c *Conn) delta(sock *socket, data []byte) error {
	tick, on, parts, err := wire.Parts(sock.enc, data)
	if err != nil {
		return err
	}
	c.mu.Lock()
	whole, fits := c.whole, c.view.copy.Tick == on
	c.mu.Unlock()
	switch {
	case whole:
		return nil // a snapshot is on its way
	case !fits:
		return c.askWhole()
	}
	c.mu.Lock()
	c.draws.screen.Heard(int64(on), int64(tick), c.time.exact())
	c.mu.Unlock()
	return c.changed(tick, func() ([]replica.Change, error) { return c.view.copy.Apply(parts) })
}

// changed takes a snapshot or a delta into the copy and tells of the changes.
func (c *Conn) changed(tick sheet.Tick, apply func() ([]replica.Change, error)) error {
	c.mu.Lock()
	changes, err := apply()
	if err == nil {
		c.view.copy.Tick, c.whole = tick, false
		c.time.heard(tick, c.view.Rate)
		for _, told := range changes {
			ch := c.view.change(told)
			c.view.track(ch, tick)
			c.changedLocked(ch)
			if ch.Sheet.Kind == KindMatch && (ch.Gone || ch.Field != nil && ch.Field.Name == "over") {
				c.unjudgedLocked()
			}
		}
		if c.opts.OnTick != nil {
			c.tells.add(func() { c.opts.OnTick(int64(tick)) })
		}
		close(c.turns)
		c.turns = make(chan struct{})
	}
	c.mu.Unlock()
	if err != nil {
		return c.askWhole()
	}
	return nil
}

// askWhole asks for a snapshot, because the copy is not to be trusted.
func (c *Conn) askWhole() error {
	c.mu.Lock()
	c.whole = true
	c.mu.Unlock()
	return c.sendNow(wire.Plain{Is: "whole"})
}

func (c *Conn) answered(v *wire.Verdict) error {
	c.mu.Lock()
	k := intentKey{v.Seat, v.N}
	p := c.open[k]
	delete(c.open, k)
	if p != nil {
		n := c.numbersLocked(v.Seat)
		n.heard = max(n.heard, v.N)
		if b := c.draws.own[v.Seat]; b != nil {
			b.Answered(v.N, v.OK, v.Tick)
		}
		p.verdict, p.copied = Verdict(*v), c.view.copy.Tick
		if v.OK && v.Waits && len(p.expects) > 0 {
			c.awaitLocked(k, p)
		} else {
			c.undoLocked(p)
		}
		close(p.done)
	}
	c.mu.Unlock()
	return nil
}

// checked answers a check with the copy's hash, and keeps the copy in case it is wrong.
func (c *Conn) checked(sock *socket, k *wire.Check) error {
	c.mu.Lock()
	at, hash := c.view.Tick(), c.view.Hash()
	if at == k.Tick {
		c.frozen = c.view.copy.Clone()
	}
	c.mu.Unlock()
	if at != k.Tick {
		return nil // a snapshot is on its way
	}
	return sock.say(wire.Hash{Is: "hash", Tick: k.Tick, Hash: hash})
}

func (c *Conn) show(sock *socket, k *wire.Check) error {
	c.mu.Lock()
	frozen := c.frozen
	c.mu.Unlock()
	if frozen == nil || int64(frozen.Tick) != k.Tick {
		return nil
	}
	return sock.say(wire.Shown{Is: "shown", Tick: k.Tick, Parts: frozen.Parts()})
}
