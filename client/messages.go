package client

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"github.com/gorilla/websocket"

	"turnvex/internal/sheet"
	"turnvex/internal/wire"
)

// Intent is what a seat asks for. Do names it: act, stop, steer, claim, ready,
// unready, rename, team, start, pause, resume, kick, ban, unban, swap, shuffle,
// hand-over, settings or set.
type Intent struct {
	Seat   uint32         `json:"seat,omitempty"` // 0: the first seat of the connection
	Do     string         `json:"do"`
	Name   string         `json:"name,omitempty"`   // of an action, a team or a field
	Target uint32         `json:"target,omitempty"` // a seat or a sheet
	At     *[2]int64      `json:"at,omitempty"`     // a point or a direction
	Args   map[string]any `json:"args,omitempty"`   // of an action, or the settings to change
	Text   string         `json:"text,omitempty"`
	Value  any            `json:"value,omitempty"`
}

// Verdict is the service's answer to an intent.
type Verdict = wire.Verdict

// Pending is an intent that waits for its verdict.
type Pending struct {
	msg     wire.Intent
	done    chan struct{}
	verdict Verdict
	err     error
}

// Done is closed when the verdict is there.
func (p *Pending) Done() <-chan struct{} { return p.done }

// Verdict waits for the verdict. The error is that of the connection or the
// context; a refusal is not an error here.
func (p *Pending) Verdict(ctx context.Context) (Verdict, error) {
	select {
	case <-p.done:
		return p.verdict, p.err
	case <-ctx.Done():
		return Verdict{}, ctx.Err()
	}
}

// Send sends an intent and returns at once. While the connection is away it is
// kept and sent when it is back.
func (c *Conn) Send(in Intent) *Pending {
	if in.Seat == 0 {
		in.Seat = c.Seat()
	}
	c.mu.Lock()
	c.next[in.Seat]++
	p := &Pending{done: make(chan struct{}), msg: wire.Intent{Is: "intent", Seat: in.Seat, N: c.next[in.Seat], Do: in.Do, Name: in.Name,
		Target: in.Target, At: in.At, Args: in.Args, Text: in.Text, Value: in.Value}}
	if c.err != nil {
		p.err = c.err
		close(p.done)
		c.mu.Unlock()
		return p
	}
	c.open[intentKey{in.Seat, p.msg.N}] = p
	c.mu.Unlock()
	c.sendNow(p.msg) // if it fails, the intent is sent again after coming back
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
	data, err := json.Marshal(msg)
	if err != nil {
		return err
	}
	c.mu.Lock()
	ws := c.ws
	c.mu.Unlock()
	if ws == nil {
		return errors.New("the connection is away")
	}
	c.write.Lock()
	defer c.write.Unlock()
	ws.SetWriteDeadline(time.Now().Add(10 * time.Second))
	return ws.WriteMessage(websocket.TextMessage, data)
}

// resendLocked sends what was not answered before the connection was lost, in
// order. The service answers again what it has done already.
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
			c.sendNow(wire.Plain{Is: "leave"})
		}
	}()
}

// read takes messages until the connection ends.
func (c *Conn) read(ws *websocket.Conn) error {
	for {
		ws.SetReadDeadline(time.Now().Add(15 * time.Second))
		_, data, err := ws.ReadMessage()
		if err != nil {
			return err
		}
		if err := c.message(data); err != nil {
			return err
		}
	}
}

func (c *Conn) message(data []byte) error {
	kind, err := wire.Kind(data)
	if err != nil {
		return err
	}
	switch kind {
	case "welcome": // there is a seat now for who stood in line
		return c.welcomed(data)
	case "snapshot":
		var m wire.Snapshot
		if err := wire.ReadLoose(data, &m); err != nil {
			return err
		}
		return c.changed(sheet.Tick(m.Tick), func() ([]Change, error) { return c.view.Replace(m.Parts) })
	case "delta":
		var m wire.Delta
		if err := wire.ReadLoose(data, &m); err != nil {
			return err
		}
		if c.view.Copy.Tick != sheet.Tick(m.On) {
			return c.sendNow(wire.Plain{Is: "whole"})
		}
		return c.changed(sheet.Tick(m.Tick), func() ([]Change, error) { return c.view.Apply(m.Parts) })
	case "verdict":
		var v Verdict
		if err := wire.ReadLoose(data, &v); err != nil {
			return err
		}
		c.answered(v)
	case "notice":
		var n Notice
		if err := wire.ReadLoose(data, &n); err != nil {
			return err
		}
		if c.opts.OnNotice != nil {
			c.opts.OnNotice(n)
		}
	case "ping":
		var p wire.Ping
		if err := wire.ReadLoose(data, &p); err != nil {
			return err
		}
		c.mu.Lock()
		c.setTickLocked(sheet.Tick(p.Tick))
		c.mu.Unlock()
		return c.sendNow(wire.Ping{Is: "pong", N: p.N})
	case "bye":
		return refusedBy(data)
	}
	return nil // a message of a later version
}

// changed takes a snapshot or a delta into the copy and tells of the changes.
func (c *Conn) changed(tick sheet.Tick, apply func() ([]Change, error)) error {
	c.mu.Lock()
	changes, err := apply()
	if err == nil {
		c.view.Copy.Tick = tick
		c.setTickLocked(tick)
		close(c.turns)
		c.turns = make(chan struct{})
	}
	c.mu.Unlock()
	if err != nil {
		return c.sendNow(wire.Plain{Is: "whole"}) // the copy is not to be trusted: ask for a new one
	}
	if c.opts.OnChange != nil {
		for _, ch := range changes {
			c.opts.OnChange(ch)
		}
	}
	return nil
}

func (c *Conn) answered(v Verdict) {
	c.mu.Lock()
	k := intentKey{v.Seat, v.N}
	p := c.open[k]
	delete(c.open, k)
	c.mu.Unlock()
	if p != nil {
		p.verdict = v
		close(p.done)
	}
}
