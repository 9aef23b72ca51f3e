package hall

import (
	"context"
	"crypto/rand"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// seating is who is here: who has which seats, and who watches.
type seating struct {
	*room
	shows  *showing
	judged *judging
	to     taker // what connections say
	sits   tasks // answers to further players that wait until they are kept, in their order

	keys    map[string]*heldSeats // what a resume key brings back
	held    []string              // for whom places are held, as noted
	counted counted               // who is here
	secret  bool                  // spectators see what players must not
	sat     map[string]bool       // then who has had a seat in the match that runs, or has one
	stood   int                   // the state in which sat began
}

func newSeating(r *room, s *showing, j *judging, places func(account string, there bool)) *seating {
	return &seating{room: r, shows: s, judged: j, keys: map[string]*heldSeats{}, secret: r.book.KeepsSecrets(),
		sat: map[string]bool{}, counted: counted{places: places, back: map[string]func(){}}}
}

// knowsTeam refuses a wish for a team that there is not.
func (l *room) knowsTeam(name string) *fault.Fault {
	var all []string
	for _, t := range l.book.Teams.List {
		if t.Name == name {
			return nil
		}
		all = append(all, t.Name)
	}
	switch {
	case name == "":
		return nil
	case len(all) == 0:
		return fault.New(code.NoTeam, "there are no teams in %s; leave the team out", l.book.Name)
	}
	return fault.New(code.NoTeam, "there is no team %q; there are: %s", clip(name, 32), strings.Join(all, ", "))
}

// takeSeats asks the authority for a seat for each player on the connection. Either all get one or none.
func (l *seating) takeSeats(c *Client, j Joining) error {
	if err := l.knowsTeam(j.Team); err != nil {
		return err
	}
	c.key = rand.Text()
	for i, name := range append([]string{j.Name}, j.Locals...) {
		account := j.Account
		if i > 0 {
			account = ""
		}
		out := l.step(&step.Input{Kind: step.Enter, Acct: account, Name: l.apart(name, 0), Team: j.Team, Conn: c.key,
			Pass: l.hall.digest(j.Pass), X: l.addressNumber(j.From)})
		if v := out.Verdict; !v.OK() {
			for _, id := range c.Seats {
				l.step(&step.Input{Kind: step.Leave, Seat: id})
			}
			c.Seats = nil
			return fault.New(v.Code, "%s", v.Reason)
		}
		c.Seats = append(c.Seats, out.Seat)
	}
	l.keys[c.key] = &heldSeats{seats: slices.Clone(c.Seats)}
	return nil
}

// sitDown is Lobby.Sit.
func (l *seating) sitDown(ctx context.Context, j Joining) (sheet.ID, error) {
	c := newClient(l.shows, l.to, 0)
	var err error
	e := l.do(ctx, func() {
		if l.m.SeatOf(j.Account) != 0 {
			err = fault.New(code.AlreadyIn, "you already have a seat in this lobby")
			return
		}
		if j.Version != "" && j.Version != l.book.Version {
			err = fault.New(code.WrongVersion, "this lobby runs version %s of %s, not %s", l.book.Version, l.book.Name,
				j.Version)
			return
		}
		if err = l.takeSeats(c, j); err == nil {
			l.counted.take(j.Account, j.GiveBack)
			for _, id := range c.Seats {
				l.step(&step.Input{Kind: step.Lost, Seat: id})
			}
		}
	})
	if err == nil {
		err = e
	}
	if err == nil {
		if err = l.Kept(ctx); err != nil {
			safe.Go("give a seat back", func() { l.quit(context.Background(), j.Account) })
		}
	}
	if err != nil {
		return 0, err
	}
	return c.Seats[0], nil
}

// leave gives a connection's seats up.
func (l *seating) leave(c *Client) {
	for _, id := range c.own() {
		l.step(&step.Input{Kind: step.Leave, Seat: id})
	}
	if c.waits {
		l.step(&step.Input{Kind: step.Unwait, Conn: c.key})
	}
	if !c.watch {
		delete(l.keys, c.key)
		c.Seats = nil
	}
	c.left, c.fresh, c.back = true, false, false
	bye := wire.Bye{Code: "left", Reason: "you have left the lobby"}
	switch {
	case l.memory == nil:
		c.End(bye)
		return
	case l.tellsKept():
		l.shows.whenTold(func(bool) { c.End(bye) })
		return
	}
	safe.Go("tell that somebody left", func() { // that somebody has left is told when it is kept, or cannot be for long
		l.Kept(context.Background())
		c.End(bye)
	})
}

// lost notes that a connection is gone. Its seats are held.
func (l *seating) lost(c *Client) {
	l.post(func() {
		there := slices.Contains(l.shows.clients, c)
		l.shows.dropClient(c)
		if !there {
			return
		}
		if c.watch {
			l.countSpectators()
			if c.referee {
				l.judged.refereesChanged()
			}
			return
		}
		if held := l.keys[c.key]; held != nil {
			if held.ended = c.Ended(); held.ended != nil && held.ended.Code == "" {
				held.ended = nil
			}
		}
		if c.waits {
			l.step(&step.Input{Kind: step.Unwait, Conn: c.key})
		}
		for _, id := range c.Seats {
			l.step(&step.Input{Kind: step.Lost, Seat: id})
		}
	})
}

// quit is Lobby.Quit.
func (l *seating) quit(ctx context.Context, account string) (bool, error) {
	had := false
	err := l.do(ctx, func() {
		seat := l.m.SeatOf(account)
		if had = seat != 0; !had {
			return
		}
		key := l.keyOf(seat)
		held := l.keys[key]
		switch {
		case held == nil:
		case l.further(held, seat):
			l.step(&step.Input{Kind: step.Leave, Seat: seat})
			l.takeOff(key, seat)
		default:
			for _, id := range held.seats {
				l.step(&step.Input{Kind: step.Leave, Seat: id})
				l.bye(id, "left", "you have left the lobby")
			}
			delete(l.keys, key)
		}
	})
	if err == nil && had {
		err = l.Kept(ctx)
	}
	return had, err
}

// bye ends the connection that holds a seat.
func (l *seating) bye(seat sheet.ID, why code.Code, reason string) {
	for _, c := range l.shows.clients {
		if i := slices.Index(c.Seats, seat); i >= 0 && !c.watch {
			c.Seats = slices.Delete(slices.Clone(c.Seats), i, i+1)
			if len(c.Seats) == 0 {
				delete(l.keys, c.key)
				c.End(wire.Bye{Code: string(why), Reason: reason})
			} else {
				c.fresh = true // it sees with fewer eyes now
			}
		}
	}
}

// hasSeat is Lobby.HasSeat.
func (l *seating) hasSeat(ctx context.Context, account string) (has bool) {
	l.do(ctx, func() { has = l.m.SeatOf(account) != 0 })
	return has && account != ""
}
