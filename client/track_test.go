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

// TestBetween compares places with the twin's on random ways.
func TestBetween(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	for range 300 {
		var seen []client.Seen
		at := int64(0)
		for range 1 + r.IntN(30) {
			at += 1 + r.Int64N(40)
			seen = append(seen, client.Seen{Tick: at, X: r.Int64N(60_000), Y: r.Int64N(40_000)})
		}
		tick := float64(at) * r.Float64() * 1.2
		got := client.Between(seen, tick)
		wx, wy := slowly(seen, tick)
		if math.Abs(got.X-wx) > 0.001 || math.Abs(got.Y-wy) > 0.001 {
			t.Fatalf("seed %d: at %f it is drawn at %+v, not %f, %f", seed, tick, got, wx, wy)
		}
	}
}

// drawn is what a screen shows at 60 frames a second of a body whose way is known, where each tick of 20 a second comes
// late by what late says.
type drawn struct {
	frozen, uneven, frames int     // frozen: under a fifth of the true way; uneven: off that by over half
	backwards              int     // it went back
	farthest               float64 // the longest step, in millimetres
	lag                    float64 // how far behind it was drawn at the end, in ticks
}

// draw shows a body that moves along x, at x(tick) millimetres; it is told where that is a new place.
func draw(x func(tick int64) int64, speed float64, late func(tick int64) float64, to int64) (d drawn) {
	var track client.Track
	var screen client.Screen
	came, tick := 0.0, int64(1)
	told, on, before := int64(-1), int64(0), math.NaN()
	for frame := 0; ; frame++ {
		now := float64(frame) / 3
		for ; tick <= to; tick++ {
			if came = max(came, float64(tick)+late(tick)); came > now {
				break
			}
			if at := x(tick); at != told { // otherwise nothing comes
				screen.Heard(on, tick, came)
				told, on = at, tick
				track.Add(client.Seen{Tick: tick, X: at}, 20, speed)
			}
		}
		if now > float64(to) {
			return d
		}
		at := screen.Frame(now, 20)
		shown := track.At(at).X
		step := shown - before
		before = shown
		if now < 100 { // until it knows how late ticks come
			continue
		}
		d.frames++
		d.farthest = max(d.farthest, math.Abs(step))
		if step < -0.001 {
			d.backwards++
		}
		if mean := float64(x(int64(at)+1)-x(int64(at)-4)) / 15; mean == 100 { // it has been moving for a while
			d.lag = now - at
			if step < mean/5 {
				d.frozen++
			}
			if math.Abs(step-mean) > mean/2 {
				d.uneven++
			}
		}
	}
}

// TestScreen: others are drawn evenly however late ticks come, no farther behind than that takes; after a stand they
// start without a jump, what is told more rarely is drawn evenly as well, and what is put elsewhere never flies.
func TestScreen(t *testing.T) {
	steady := func(int64) float64 { return 0.2 }
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 1))
	rough := func(tick int64) float64 { // 80 ms and up to 60 more, and 150 ms of silence every 3 s
		late := 1.6 + 1.2*r.Float64()
		if tick%60 == 0 {
			late += 3
		}
		return late
	}
	walk := func(tick int64) int64 { return tick * 300 }
	for _, c := range []struct {
		name string
		x    func(int64) int64
		late func(int64) float64
		lag  [2]float64
	}{
		{"a good line", walk, steady, [2]float64{1.2, 1.6}},
		{"a bad line", walk, rough, [2]float64{3.5, 7.2}},
		{"starts and stops", func(tick int64) int64 { return 300 * (tick/40*25 + min(tick%40, 25)) }, rough,
			[2]float64{3.5, 7.2}},
		{"told every fifth tick", func(tick int64) int64 { return 300 * (tick - tick%5) }, rough,
			[2]float64{3.5, 7.2}},
	} {
		d := draw(c.x, 300, c.late, 1200)
		if d.frozen*100 > d.frames || d.backwards > 0 || d.lag < c.lag[0] || d.lag > c.lag[1] {
			t.Errorf("seed %d, %s: %+v", seed, c.name, d)
		}
		if d.uneven*100 > d.frames || d.farthest > 200 || d.frames < 3000 {
			t.Errorf("seed %d, %s: %+v", seed, c.name, d)
		}
	}
	var track client.Track // a lobby that goes on from before
	for _, s := range [][2]int64{{100, 5000}, {101, 5300}, {40, 100}, {41, 400}} {
		track.Add(client.Seen{Tick: s[0], X: s[1]}, 20, 300)
	}
	if at := track.At(40.5); at.X != 250 {
		t.Errorf("after it has gone on from before, something is drawn at %v", at)
	}
	put := func(tick int64) int64 { return 300*tick + tick/400*50_000 }
	if d := draw(put, 300, steady, 1200); d.farthest < 49_000 {
		t.Errorf("what is put elsewhere flies there: %+v", d)
	}
}
