package client_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/trial"
)

// slowly is an obvious twin of Between: it walks along the line in small steps.
func slowly(seen []client.Seen, tick float64) (x, y float64) {
	first, last := seen[0], seen[len(seen)-1]
	switch {
	case tick <= float64(first.Tick):
		return float64(first.X), float64(first.Y)
	case tick >= float64(last.Tick):
		return float64(last.X), float64(last.Y)
	}
	for i := 1; i < len(seen); i++ {
		a, b := seen[i-1], seen[i]
		if tick >= float64(a.Tick) && tick <= float64(b.Tick) {
			w := (tick - float64(a.Tick)) / float64(b.Tick-a.Tick)
			x, y = float64(a.X)*(1-w)+float64(b.X)*w, float64(a.Y)*(1-w)+float64(b.Y)*w
		}
	}
	return x, y
}

// TestBetween compares the drawn places with the twin's on random tracks, and looks at what Follow keeps: ticks in
// order, the newest last, a stand before a late move.
func TestBetween(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	for range 300 {
		var seen []client.Seen
		at := int64(0)
		for range 1 + r.IntN(30) {
			before := client.Seen{}
			if len(seen) > 0 {
				before = seen[len(seen)-1]
			}
			at += r.Int64N(40)
			now := client.Seen{Tick: at, X: r.Int64N(60_000), Y: r.Int64N(40_000)}
			seen = client.Follow(seen, now, 20)
			if seen[len(seen)-1] != now || len(seen) > 12 {
				t.Fatalf("seed %d: %+v was added: %+v", seed, now, seen)
			}
			if at-before.Tick > 20 && len(seen) > 1 &&
				seen[len(seen)-2] != (client.Seen{Tick: at - 1, X: before.X, Y: before.Y}) {
				t.Fatalf("seed %d: after a long stand at %+v it moves from %+v", seed, before, seen[len(seen)-2])
			}
			for i := 1; i < len(seen); i++ {
				if seen[i].Tick <= seen[i-1].Tick {
					t.Fatalf("seed %d: out of order: %+v", seed, seen)
				}
			}
		}
		tick := float64(at) * r.Float64() * 1.2
		x, y := client.Between(seen, tick)
		wx, wy := slowly(seen, tick)
		if math.Abs(x-wx) > 0.001 || math.Abs(y-wy) > 0.001 {
			t.Fatalf("seed %d: at %f it is drawn at %f, %f, not %f, %f", seed, tick, x, y, wx, wy)
		}
	}
}
