package client

import (
	"context"

	"turnvex.example/turnvex/internal/wire"
)

// Local is a further player on a connection: a guest with a name, who keeps nothing behind the lobby, or whoever the
// token is of, with their own name, record and results.
type Local struct {
	Name  string
	Token string
	Team  string // that they would like, "" for any
}

// AddLocal brings a further player onto the connection, for players who share a screen, and returns the seat when the
// copy shows what it sees. What keeps the player out is a *Refusal. Somebody who has signed in goes on alone when they
// connect by themselves, and loses the seat here when they sign out.
func (c *Conn) AddLocal(ctx context.Context, p Local) (uint32, error) {
	n := c.words.number()
	var seat uint32
	k := saidKey{no: int64(n), act: true}
	c.mu.Lock()
	if c.seating == nil {
		c.seating = map[uint64]*uint32{}
	}
	c.seating[n] = &seat
	c.mu.Unlock()
	defer func() {
		c.mu.Lock()
		delete(c.seating, n)
		c.mu.Unlock()
	}()
	send := func() error {
		return c.sendNow(wire.Local{Is: "local", N: n, Name: p.Name, Token: p.Token, Team: p.Team})
	}
	if err := c.words.hand(ctx, k, send, c.done, c.Err); err != nil {
		return 0, err
	}
	return seat, c.Wait(ctx, func(v *Copy) bool { return v.Seat(seat) != nil && v.Record(seat) != nil })
}

// LeaveSeat gives the seat of a further player on the connection up.
func (c *Conn) LeaveSeat(ctx context.Context, seat uint32) error {
	if err := c.sendNow(wire.Leave{Is: "leave", Seat: seat}); err != nil {
		return err
	}
	return c.Wait(ctx, func(v *Copy) bool { return v.Seat(seat) == nil })
}

func (c *Conn) seated(m *wire.Seated) error {
	c.mu.Lock()
	if to := c.seating[m.N]; to != nil {
		*to = m.Seat
	}
	c.mu.Unlock()
	return c.words.ruled(&wire.Ruled{N: m.N, OK: m.OK, Code: m.Code, Reason: m.Reason})
}
