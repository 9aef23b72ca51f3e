package api

import (
	"slices"
	"sync"

	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
)

// holds are the places that quick join holds for players who are about to come: each counts as a seat of its player's
// until they come, or until it ends.
type holds struct {
	guard *guard.Guard
	hall  *hall.Hall
	mu    sync.Mutex
	held  map[hold]func() // guarded by mu; what gives the count back
}

type hold struct{ player, lobby string }

func newHolds(g *guard.Guard, all *hall.Hall) *holds {
	return &holds{guard: g, hall: all, held: map[hold]func(){}}
}

// find looks for a place for a party, which is counted for each of them where there is one. Who has as many seats as
// one may have gets none, nor does who brings them along.
func (h *holds) find(party []string, look func() (*hall.Lobby, error)) (*hall.Lobby, error) {
	var uses []guard.Use
	for _, p := range party {
		uses = append(uses, guard.Use{Limit: guard.Seats, Who: p})
	}
	back, err := h.guard.TakeAll(uses...)
	if err != nil {
		return nil, err
	}
	l, err := look()
	back()
	if err != nil || l == nil {
		return l, err
	}
	for _, p := range party {
		if !slices.Contains(h.hall.Where(p), l) {
			h.begin(hold{p, l.Code})
		}
	}
	return l, nil
}

// begin counts one place, for as long as a lobby holds it.
func (h *holds) begin(x hold) {
	h.end(x)
	back, err := h.guard.Take(guard.Seats, x.player)
	if err != nil {
		return // somebody else was faster; the place is refused when they come
	}
	timer := safe.After(hall.QuickHold, "let a place go that nobody came for", func() { h.end(x) })
	h.mu.Lock()
	other := h.held[x] // who asks twice at once has one place all the same
	h.held[x] = func() { timer.Stop(); back() }
	h.mu.Unlock()
	if other != nil {
		other()
	}
}

// end gives the count back: the player is there, or does not come.
func (h *holds) end(x hold) {
	h.mu.Lock()
	back := h.held[x]
	delete(h.held, x)
	h.mu.Unlock()
	if back != nil {
		back()
	}
}
