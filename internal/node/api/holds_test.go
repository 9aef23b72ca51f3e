package api

import (
	"sync"
	"testing"

	"turnvex.example/turnvex/internal/node/guard"
)

// TestHoldsAtOnce: who is found the same place several times at once is counted once, and has every seat again when
// they have come.
func TestHoldsAtOnce(t *testing.T) {
	h := newHolds(guard.New(), nil)
	for range 200 {
		var all sync.WaitGroup
		for range guard.Seats.Most / 2 {
			all.Go(func() { h.begin(hold{"ada", "QUAY22"}) })
		}
		all.Wait()
		h.end(hold{"ada", "QUAY22"})
	}
	for n := range guard.Seats.Most {
		if _, err := h.guard.Take(guard.Seats, "ada"); err != nil {
			t.Fatalf("only %d seats are left: %v", n, err)
		}
	}
}
