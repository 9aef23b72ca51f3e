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

// quickHold is how long a place is held for somebody who was found one, in
// milliseconds.
const quickHold = 20_000

// Quick finds a lobby with room for a party, or opens one, and holds places for
// all of them. The party stays together, and on one team where that fits.
func (h *Hall) Quick(ctx context.Context, book *rulebook.Book, party []string, o Opening) (*Lobby, bool, error) {
	h.quick.Lock() // so that two parties of one player each do not open two lobbies
	defer h.quick.Unlock()
	name := partyName(party)
	if l, err := h.findQuick(ctx, book, party, name, &o); l != nil || err != nil {
		return l, false, err
	}
	o.Reserve, o.ReserveMS, o.Party = party, quickHold, name
	if o.Capacity > 0 && len(party) > o.Capacity || len(party) > book.Players.Most {
		return nil, false, fault.New(code.OutOfRange, "a lobby of %s has at most %d seats, the party has %d", book.Name,
			book.Players.Most, len(party))
	}
	l, err := h.Open(ctx, book, o)
	return l, err == nil, err
}

func partyName(party []string) string {
	if len(party) > 1 {
		return rand.Text()
	}
	return ""
}

// FindQuick finds a lobby here with room for a party, and holds places for all of them; nil if
// there is none, or this node is not in one of the regions asked for.
func (h *Hall) FindQuick(ctx context.Context, book *rulebook.Book, party []string, o Opening) (*Lobby, error) {
	h.quick.Lock()
	defer h.quick.Unlock()
	return h.findQuick(ctx, book, party, partyName(party), &o)
}

func (h *Hall) findQuick(ctx context.Context, book *rulebook.Book, party []string, name string,
	o *Opening) (*Lobby, error) {
	options, err := readOptions(book, o.Options)
	if err != nil || len(o.Regions) > 0 && !slices.Contains(o.Regions, h.cfg.Region) {
		return nil, err
	}
	for _, l := range h.candidates(ctx, book, len(party), options) {
		if l.hold(ctx, party, name) == nil {
			return l, nil
		}
	}
	return nil, nil
}

// candidates are the lobbies that a party may be sent to, the fullest first: those whose
// options are as they were asked for.
func (h *Hall) candidates(ctx context.Context, book *rulebook.Book, size int, options []step.Named) []*Lobby {
	all := slices.DeleteFunc(h.All(), func(l *Lobby) bool { return l.book != book })
	slices.SortFunc(all, func(a, b *Lobby) int { return cmp.Compare(a.ID, b.ID) })
	free := map[*Lobby]int{}
	for _, l := range all {
		l.do(ctx, func() {
			e := l.present()
			joinable := l.m.State() == rulebook.Gathering ||
				l.m.State() == rulebook.Playing && l.book.Players.Late == rulebook.LateSeat
			if joinable && l.hasOptions(options) && e.Open && e.Listed && !e.Password && !e.Practice && e.Free >= size {
				free[l] = e.Free
			}
		})
	}
	all = slices.DeleteFunc(all, func(l *Lobby) bool { return free[l] == 0 })
	slices.SortStableFunc(all, func(a, b *Lobby) int { return cmp.Compare(free[a], free[b]) })
	return all
}

// hasOptions tells whether the lobby's options hold these values.
func (l *Lobby) hasOptions(options []step.Named) bool {
	for i := range options {
		if f := l.book.Schema.Field(sheet.Lobby, options[i].Name); f == nil || l.row.Get(f) != options[i].Value {
			return false
		}
	}
	return true
}

// hold asks the lobby to hold places.
func (l *Lobby) hold(ctx context.Context, accounts []string, party string) error {
	var err error
	if e := l.do(ctx, func() {
		v := l.step(
			&step.Input{Kind: step.Reserve, Names: accounts, Text: party, N: quickHold * int64(l.book.Rate) / 1000},
		).Verdict
		if !v.OK() {
			err = fault.New(v.Code, "%s", v.Reason)
		}
	}); e != nil {
		return e
	}
	return err
}
