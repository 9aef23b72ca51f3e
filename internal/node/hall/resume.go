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
// told and ends, or is left alone and the new one refused, as the node is set. Who sat on somebody else's connection
// comes back alone, and that goes on without them.
func (l *seating) comeBack(c *Client, j Joining) (bool, error) {
	own := l.m.SeatOf(j.Account)
	if own == 0 {
		return false, nil
	}
	key := l.keyOf(own)
	held := l.keys[key]
	if held == nil {
		return false, nil
	}
	if j.Resume != key && l.hall.cfg.Refuse && l.connected(key) != nil {
		return false, fault.New(code.AlreadyIn, "you are in this lobby on another connection")
	}
	seats, whole := []sheet.ID{own}, j.Resume == key || !l.further(held, own)
	if whole {
		seats = l.living(held.seats)
		delete(l.keys, key)
		if old := l.connected(key); old != nil {
			old.Seats = nil
			old.End(wire.Bye{Code: string(code.Replaced), Reason: "another connection has taken over your seat"})
			l.shows.dropClient(old)
		}
		c.why = held.ended
	} else {
		l.takeOff(key, own)
	}
	c.key = l.keyed(seats)
	c.Seats = seats
	// The copy of another branch may show play that was lost, and nobody knows any more what it has been told.
	if key == j.Resume && j.Tick != nil && len(seats) == len(held.seats) && j.Branch == l.branch {
		l.keepCopy(c, sheet.Tick(*j.Tick))
	}
	return true, nil
}

// keyOf is what brings a seat back, "" for nothing.
func (l *seating) keyOf(seat sheet.ID) string {
	for key, held := range l.keys {
		if slices.Contains(held.seats, seat) {
			return key
		}
	}
	return ""
}

// keyed puts seats on a connection of a new key.
func (l *seating) keyed(seats []sheet.ID) (key string) {
	key = rand.Text()
	l.keys[key] = &heldSeats{seats: slices.Clone(seats)}
	for _, id := range seats {
		l.step(&step.Input{Kind: step.Back, Seat: id, Conn: key})
	}
	return key
}

// connected is the connection with a key, nil if it is lost.
func (l *seating) connected(key string) *Client {
	for _, c := range l.shows.clients {
		if c.key == key && !c.watch {
			return c
		}
	}
	return nil
}

func (l *seating) living(seats []sheet.ID) []sheet.ID {
	return slices.DeleteFunc(slices.Clone(seats), func(id sheet.ID) bool { return l.m.Store().Get(id) == nil })
}

// further tells whether a seat is on the connection of another player, who signed in to it before.
func (l *seating) further(held *heldSeats, own sheet.ID) bool {
	for _, id := range l.living(held.seats) {
		if l.m.Store().Get(id).Text(l.book.F.Player.Account) != "" {
			return id != own
		}
	}
	return false
}

// takeOff takes a seat from the connection of another player, which goes on without it.
func (l *seating) takeOff(key string, seat sheet.ID) {
	rest := slices.DeleteFunc(slices.Clone(l.keys[key].seats), func(id sheet.ID) bool { return id == seat })
	if c := l.connected(key); c != nil {
		l.seatsAre(c, rest)
	} else {
		l.keys[key].seats = rest
	}
}

// TakeOff has the seat of a player who plays on somebody else's connection held as if a connection of their own had
// been lost. Others are left alone.
func (l *Lobby) TakeOff(account string) {
	l.post(func() {
		s := l.seats
		own := s.m.SeatOf(account)
		key := s.keyOf(own)
		if own == 0 || key == "" || !s.further(s.keys[key], own) {
			return
		}
		s.takeOff(key, own)
		s.keyed([]sheet.ID{own})
		s.step(&step.Input{Kind: step.Lost, Seat: own})
	})
}

// keepCopy lets a client that still has its copy of tick at go on with what it has missed, if that is still known.
func (l *seating) keepCopy(c *Client, at sheet.Tick) {
	l.shows.pub.feed.Join(&c.View, l.m.Store())
	c.On = at
	if l.shows.pub.feed.CanCatchUp(&c.Viewer, true) {
		c.fresh, c.back = false, true
	}
}
