package hall

import (
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// sit gives a further player on a live connection a seat, or says why not: a guest of the given name, or somebody who
// has signed in as themselves.
func (l *seating) sit(c *Client, m *wire.Local, j *Joining) (err error) {
	var seat sheet.ID
	if seat, err = l.seatFor(c, m, j); err != nil {
		l.refuse(c, m, err)
		return err
	}
	told := wire.Seated{Is: "seated", N: m.N}
	l.counted.take(j.Account, j.GiveBack)
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
	return nil
}

// refuse answers that a further player gets no seat, behind those who asked before.
func (l *seating) refuse(c *Client, m *wire.Local, why error) {
	told := wire.Seated{Is: "seated", N: m.N, Code: string(fault.CodeOf(why)), Reason: fault.ReasonOf(why)}
	l.whenKept(func(bool) { c.answer(told) })
}

func (l *seating) seatFor(c *Client, m *wire.Local, j *Joining) (sheet.ID, error) {
	if len(c.own()) == 0 {
		return 0, fault.New(code.NoSeat, "a connection without a seat has no further players")
	}
	name := j.Name
	if j.Account != "" {
		name = l.apart(name, 0)
	} else if clean, err := names.Clean(m.Name); err != nil {
		return 0, fault.New(code.BadName, "%s", err)
	} else {
		name = clean
	}
	if err := l.knowsTeam(m.Team); err != nil {
		return 0, err
	}
	out := l.step(&step.Input{Kind: step.Enter, Acct: j.Account, Name: name, Team: m.Team, Conn: c.key})
	if v := out.Verdict; !v.OK() {
		return 0, fault.New(v.Code, "%s", v.Reason)
	}
	return out.Seat, nil
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
