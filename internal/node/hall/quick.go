package hall

import (
	"cmp"
	"context"
	"crypto/rand"
	"slices"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
)

// QuickHold is how long a place is held for somebody who was found one, and quickCome how soon who asked must come, or
// the party is not waited for.
const (
	QuickHold = 20 * time.Second
	quickHold = int64(QuickHold / time.Millisecond)
	quickCome = 10_000
)

// Quick finds a lobby with room for a party, or opens one, and holds places for all of them. The party stays together,
// and on one team where that fits.
func (h *Hall) Quick(ctx context.Context, book *rulebook.Book, party []string, o Opening) (*Lobby, bool, error) {
	defer h.quick.lock(book.Name)() // so that two parties of one player each do not open two lobbies
	name := partyName(party)
	if l, err := h.findQuick(ctx, book, party, name, &o); l != nil || err != nil {
		return l, false, err
	}
	o.Reserve, o.ReserveMS, o.ComeMS, o.Party = party, quickHold, quickCome, name
	if o.Capacity > 0 && len(party) > o.Capacity || len(party) > book.Players.Most {
		return nil, false, fault.New(code.OutOfRange, "a lobby of %s has at most %d seats, the party has %d", book.Name,
			book.Players.Most, len(party))
	}
	l, err := h.Open(ctx, book, o)
	return l, err == nil, err
}

// nameLocks are locks by name.
type nameLocks struct {
	mu   sync.Mutex
	held map[string]*nameLock // guarded by mu
}

type nameLock struct {
	sync.Mutex
	wanted int // guarded by the mu of nameLocks
}

// lock waits for the lock of a name and returns what gives it back.
func (n *nameLocks) lock(name string) (unlock func()) {
	n.mu.Lock()
	l := n.held[name]
	if l == nil {
		l = &nameLock{}
		if n.held == nil {
			n.held = map[string]*nameLock{}
		}
		n.held[name] = l
	}
	l.wanted++
	n.mu.Unlock()
	l.Lock()
	return func() {
		l.Unlock()
		n.mu.Lock()
		defer n.mu.Unlock()
		if l.wanted--; l.wanted == 0 {
			delete(n.held, name)
		}
	}
}

func partyName(party []string) string {
	if len(party) > 1 {
		return rand.Text()
	}
	return ""
}

// FindQuick finds a lobby here with room for a party, and holds places for all of them; nil if there is none, or this
// node is not in one of the regions asked for.
func (h *Hall) FindQuick(ctx context.Context, book *rulebook.Book, party []string, o Opening) (*Lobby, error) {
	return h.findQuick(ctx, book, party, partyName(party), &o)
}

func (h *Hall) findQuick(ctx context.Context, book *rulebook.Book, party []string, name string,
	o *Opening) (*Lobby, error) {
	options, err := readOptions(book, o.Options)
	if err != nil || len(o.Regions) > 0 && !slices.Contains(o.Regions, h.cfg.Region) {
		return nil, err
	}
	for _, l := range h.candidates(book, len(party)) {
		if l.seats.hold(ctx, party, name, options) == nil {
			return l, nil
		}
	}
	return nil, nil
}

// candidates are the lobbies that a party may be sent to, the fullest first, as the directory knows them: each lobby
// itself has the last word.
func (h *Hall) candidates(book *rulebook.Book, size int) []*Lobby {
	type candidate struct {
		*Lobby
		free int
	}
	var all []candidate
	gathering, playing := book.F.Lobby.State.Choices[rulebook.Gathering], book.F.Lobby.State.Choices[rulebook.Playing]
	for _, l := range h.All() {
		e := l.sign.latest.Load()
		if l.book == book && e != nil && e.Open && e.Listed && !e.Password && !e.Practice && e.Free >= size &&
			(e.State == gathering || e.State == playing && book.Players.Late == rulebook.LateSeat) {
			all = append(all, candidate{l, e.Free})
		}
	}
	slices.SortFunc(all, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(a.free, b.free), cmp.Compare(a.ID, b.ID))
	})
	var out []*Lobby
	for _, c := range all {
		out = append(out, c.Lobby)
	}
	return out
}

// hasOptions tells whether the lobby's options hold these values.
func (l *seating) hasOptions(options []step.Named) bool {
	for i := range options {
		if f := l.book.Schema.Field(sheet.Lobby, options[i].Name); f == nil || l.row.Get(f) != options[i].Value {
			return false
		}
	}
	return true
}

// hold asks the lobby to hold places, if its options are as they were asked for.
func (l *seating) hold(ctx context.Context, accounts []string, party string, options []step.Named) error {
	var err error
	if e := l.do(ctx, func() {
		if !l.hasOptions(options) {
			err = fault.New(code.BadOption, "the lobby has other options")
			return
		}
		v := l.step(
			&step.Input{Kind: step.Reserve, Names: accounts, Text: party, N: quickHold * int64(l.book.Rate) / 1000,
				X: quickCome * int64(l.book.Rate) / 1000},
		).Verdict
		if !v.OK() {
			err = fault.New(v.Code, "%s", v.Reason)
		}
	}); e != nil {
		return e
	}
	return err
}
