package hall

import (
	"crypto/rand"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// heldSeats are the seats that a resume key brings back.
type heldSeats struct {
	seats []sheet.ID
	ended *wire.Bye // why the service ended the connection that had them, nil if it did not
}

// comeBack gives a connection the seats that it, or an earlier one of the same player, had. The earlier connection is
// told and ends, or is left alone and the new one refused, as the node is set.
func (l *seating) comeBack(c *Client, j Joining) (bool, error) {
	key := j.Resume
	if _, ok := l.keys[key]; !ok {
		own := l.m.SeatOf(j.Account)
		if own == 0 {
			return false, nil
		}
		for k, held := range l.keys {
			if slices.Contains(held.seats, own) {
				key = k
			}
		}
		if l.hall.cfg.Refuse &&
			slices.ContainsFunc(l.shows.clients, func(o *Client) bool { return o.key == key && !o.watch }) {
			return false, fault.New(code.AlreadyIn, "you are in this lobby on another connection")
		}
	}
	held := l.keys[key]
	if held == nil {
		return false, nil
	}
	seats := slices.DeleteFunc(slices.Clone(held.seats), func(id sheet.ID) bool { return l.m.Store().Get(id) == nil })
	if len(seats) == 0 || l.m.Store().Get(seats[0]).Text(l.book.F.Player.Account) != j.Account {
		return false, nil
	}
	delete(l.keys, key)
	for _, old := range slices.Clone(l.shows.clients) {
		if old.key == key {
			old.Seats = nil
			old.End(wire.Bye{Code: string(code.Replaced), Reason: "another connection has taken over your seat"})
			l.shows.dropClient(old)
		}
	}
	c.key = rand.Text()
	c.Seats = seats
	c.why = held.ended
	l.keys[c.key] = &heldSeats{seats: slices.Clone(seats)}
	for _, id := range seats {
		l.step(&step.Input{Kind: step.Back, Seat: id, Conn: c.key})
	}
	// The copy of another branch may show play that was lost, and nobody knows any more what it has been told.
	if key == j.Resume && j.Tick != nil && len(seats) == len(held.seats) && j.Branch == l.branch {
		l.keepCopy(c, sheet.Tick(*j.Tick))
	}
	return true, nil
}

// keepCopy lets a client that still has its copy of tick at go on with what it has missed, if that is still known.
func (l *seating) keepCopy(c *Client, at sheet.Tick) {
	l.shows.pub.feed.Join(&c.View, l.m.Store())
	c.On = at
	if l.shows.pub.feed.CanCatchUp(&c.Viewer, true) {
		c.fresh, c.back = false, true
	}
}
