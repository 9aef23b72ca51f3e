package hall

import (
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/wire"
)

// sit gives a further player on a live connection a seat, or says why not.
func (l *seating) sit(c *Client, m *wire.Local) {
	told := wire.Seated{Is: "seated", N: m.N}
	refuse := func(why code.Code, reason string) {
		told.Code, told.Reason = string(why), reason
		l.whenKept(func(bool) { c.answer(told) }) // behind those who asked before
	}
	if len(c.own()) == 0 {
		refuse(code.NoSeat, "a connection without a seat has no further players")
		return
	}
	name, err := names.Clean(m.Name)
	if err != nil {
		refuse(code.BadName, err.Error())
		return
	}
	if err := l.knowsTeam(m.Team); err != nil {
		refuse(err.Code, err.Reason)
		return
	}
	out := l.step(&step.Input{Kind: step.Enter, Name: name, Team: m.Team, Conn: c.key})
	if v := out.Verdict; !v.OK() {
		refuse(v.Code, v.Reason)
		return
	}
	seat := out.Seat
	l.whenKept(func(kept bool) {
		switch {
		case !slices.Contains(l.shows.clients, c) || l.m.Store().Get(seat) == nil: // gone meanwhile
		case !kept: // who is not kept has not joined
			l.step(&step.Input{Kind: step.Leave, Seat: seat})
			told.Code = string(code.Stopping)
			told.Reason = "the database is temporarily unavailable; try again in a moment"
			c.answer(told)
		default:
			told.OK, told.Seat = true, uint32(seat)
			l.seatsAre(c, append(slices.Clone(c.Seats), seat))
			c.answer(told) // behind the snapshot
		}
	})
}

// rise gives the seat of one of several players on a connection up.
func (l *seating) rise(c *Client, m *wire.Leave) {
	id := sheet.ID(m.Seat)
	if i := slices.Index(c.own(), id); i < 1 { // the first one is whose connection it is
		c.answer(wire.Seated{Is: "seated", Seat: m.Seat, Code: string(code.NotYours),
			Reason: "only a further player on the connection leaves alone; without a seat, leave is for all"})
		return
	}
	l.step(&step.Input{Kind: step.Leave, Seat: id})
	l.seatsAre(c, slices.DeleteFunc(slices.Clone(c.Seats), func(x sheet.ID) bool { return x == id }))
}

// seatsAre makes a connection one with other seats than before: it is told so, and gets a snapshot of what they see.
func (l *seating) seatsAre(c *Client, seats []sheet.ID) {
	c.Seats = seats
	l.keys[c.key] = &heldSeats{seats: slices.Clone(seats)}
	l.shows.pub.feed.Join(&c.View, l.m.Store())
	c.back = false
	l.welcome(c)
	c.fresh, l.shows.pub.force = true, true
}
