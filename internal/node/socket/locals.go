package socket

import (
	"context"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// signed is a player who has signed in to somebody else's connection.
type signed struct {
	who *account.Who
	at  *hall.Lobby
}

// seatWithin is how long a further player's sign-in may take.
const seatWithin = 10 * time.Second

// seat brings a further player onto the connection who signs in as themselves. What keeps them out is told; the
// connection goes on.
func (c *conn) seat(m *wire.Local) {
	ctx, cancel := context.WithTimeout(context.Background(), seatWithin)
	defer cancel()
	who, err := c.signsIn(ctx, m.Token)
	if err != nil {
		c.client.RefuseLocal(m, c.s.Doors.FaultOf(err, "path", "/v1/live"))
		return
	}
	j := hall.Joining{Account: who.Player, Name: who.Name}
	told := false
	err = c.s.Doors.Enter(ctx, c.at, &j, func() error {
		told = true
		return c.client.Sit(ctx, m, &j)
	})
	switch {
	case err == nil:
		c.s.conns.sign(signed{who, c.at})
	case !told:
		c.client.RefuseLocal(m, err)
	}
}

// signsIn checks a further player's token; one that is not good counts as a connection that was refused.
func (c *conn) signsIn(ctx context.Context, token string) (*account.Who, error) {
	good, err := c.s.Guard.Take(guard.Turned, c.from)
	if err != nil {
		return nil, err
	}
	who, err := c.s.Accounts.Check(ctx, token)
	switch {
	case err != nil:
		return nil, err
	case !who.IsPlayer():
		return nil, fault.New(code.Forbidden, "a service key has no seat; sign a player in")
	}
	good()
	return who, nil
}

// sign remembers a further player, as long as they have a seat there, and takes them off again whose token was voided
// a moment ago.
func (all *conns) sign(x signed) {
	all.mu.Lock()
	all.signed = append(slices.DeleteFunc(all.signed, func(o signed) bool { return !o.at.Has(o.who.Player) }), x)
	over := slices.ContainsFunc(all.recent, func(r recent) bool { return x.who.Voided(&r.Void) })
	all.mu.Unlock()
	if over {
		x.at.TakeOff(x.who.Player)
	}
}
