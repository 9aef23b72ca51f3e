package hall

import (
	"cmp"
	"context"
	"crypto/rand"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
)

// OpenOrJoin returns the open lobby of that name, or opens it. Two calls at the
// same moment, on any nodes, never make two.
func (h *Hall) OpenOrJoin(ctx context.Context, book *rulebook.Book, o Opening, find func(context.Context, string) (string, error)) (joinCode string, opened bool, err error) {
	for range 5 {
		if joinCode, err = find(ctx, o.Name); err != nil || joinCode != "" {
			return joinCode, false, err
		}
		l, err := h.Open(ctx, book, o)
		if err == nil {
			return l.Code, true, nil
		}
		if fault.CodeOf(err) != code.NameTaken {
			return "", false, err
		}
	}
	return "", false, fault.New(code.NameTaken, "the lobby %q opens and closes too fast to be joined; try again", o.Name)
}

// quickHold is how long a place is held for somebody who was found one, in
// milliseconds.
const quickHold = 20_000

// Quick finds a lobby with room for a party, or opens one, and holds places for
// all of them. The party stays together, and on one team where that fits.
func (h *Hall) Quick(ctx context.Context, book *rulebook.Book, party []string, o Opening) (*Lobby, bool, error) {
	h.quick.Lock() // so that two parties of one player each do not open two lobbies
	defer h.quick.Unlock()
	name := ""
	if len(party) > 1 {
		name = rand.Text()
	}
	for _, l := range h.candidates(ctx, book, len(party)) {
		if l.hold(ctx, party, name) == nil {
			return l, false, nil
		}
	}
	o.Reserve, o.ReserveMS, o.Party = party, quickHold, name
	if o.Capacity > 0 && len(party) > o.Capacity || len(party) > book.Players.Most {
		return nil, false, fault.New(code.OutOfRange, "a lobby of %s has at most %d seats, the party has %d", book.Name, book.Players.Most, len(party))
	}
	l, err := h.Open(ctx, book, o)
	return l, err == nil, err
}

// candidates are the lobbies that a party may be sent to, the fullest first.
func (h *Hall) candidates(ctx context.Context, book *rulebook.Book, size int) []*Lobby {
	h.mu.Lock()
	var all []*Lobby
	for _, l := range h.lobbies {
		if l.book == book {
			all = append(all, l)
		}
	}
	h.mu.Unlock()
	slices.SortFunc(all, func(a, b *Lobby) int { return cmp.Compare(a.ID, b.ID) })
	free := map[*Lobby]int{}
	for _, l := range all {
		l.do(ctx, func() {
			d, state := &l.dir, l.m.State()
			row := l.m.Store().Of(sheet.Lobby)[0]
			room := int(row.Int(l.book.F.Lobby.Capacity)-row.Int(l.book.F.Lobby.Seats)) - int(row.Int(l.book.F.Lobby.Reserved))
			joinable := state == rulebook.Gathering || state == rulebook.Playing && l.book.Players.Late == rulebook.LateSeat
			if joinable && row.Flag(l.book.F.Lobby.Open) && row.Flag(l.book.F.Lobby.Listed) && !row.Flag(l.book.F.Lobby.Password) && !d.Practice && room >= size {
				free[l] = room
			}
		})
	}
	all = slices.DeleteFunc(all, func(l *Lobby) bool { return free[l] == 0 })
	slices.SortStableFunc(all, func(a, b *Lobby) int { return cmp.Compare(free[a], free[b]) })
	return all
}

// hold asks the lobby to hold places.
func (l *Lobby) hold(ctx context.Context, accounts []string, party string) error {
	var err error
	if e := l.do(ctx, func() {
		out := l.step(&step.Input{Kind: step.Reserve, Names: accounts, Text: party, N: quickHold * int64(l.book.Rate) / 1000})
		if v := out.Verdict; !v.OK() {
			err = fault.New(v.Code, "%s", v.Reason)
		}
	}); e != nil {
		return e
	}
	return err
}

// Sit gives a player a seat without a live connection: it is held as a lost one
// is, until the connection comes.
func (l *Lobby) Sit(ctx context.Context, j Joining) (sheet.ID, error) {
	c := newClient(l, 0)
	var err error
	e := l.do(ctx, func() {
		if l.m.SeatOf(j.Account) != 0 {
			err = fault.New(code.AlreadyIn, "you have a seat in this lobby already")
			return
		}
		if j.Version != "" && j.Version != l.book.Version {
			err = fault.New(code.WrongVersion, "this lobby runs version %s of %s, not %s", l.book.Version, l.book.Name, j.Version)
			return
		}
		if err = l.takeSeats(c, j); err == nil {
			for _, id := range c.Seats {
				l.step(&step.Input{Kind: step.Lost, Seat: id})
			}
		}
	})
	if err == nil {
		err = e
	}
	if err != nil {
		return 0, err
	}
	return c.Seats[0], nil
}

// Ask hands in an intent for a player's seat from outside the live connection and
// returns its verdict.
func (l *Lobby) Ask(ctx context.Context, account string, read func(*Client, sheet.ID) (step.Input, error)) (step.Verdict, error) {
	var v step.Verdict
	var err error
	e := l.do(ctx, func() {
		seat := l.m.SeatOf(account)
		if seat == 0 {
			err = fault.New(code.NoSeat, "you have no seat in this lobby")
			return
		}
		in, e := read(&Client{lobby: l}, seat)
		if e != nil {
			err = e
			return
		}
		in.Kind, in.Seat, in.Seq = step.Intent, seat, 0
		out := l.step(&in)
		v = out.Verdict
	})
	if err == nil {
		err = e
	}
	return v, err
}

// Quit gives a player's seats up. It tells whether there were any.
func (l *Lobby) Quit(ctx context.Context, account string) (bool, error) {
	had := false
	err := l.do(ctx, func() {
		seat := l.m.SeatOf(account)
		if had = seat != 0; !had {
			return
		}
		for key, held := range l.keys {
			if slices.Contains(held.seats, seat) {
				for _, id := range held.seats {
					l.step(&step.Input{Kind: step.Leave, Seat: id})
					l.bye(id, "left", "you have left the lobby")
				}
				delete(l.keys, key)
			}
		}
	})
	return had, err
}
