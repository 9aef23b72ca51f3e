package ahead_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/internal/core/ahead"
	"turnvex.example/turnvex/internal/core/ground"
)

// line is a service and a client of 20 ticks a second with a delay each way, as both see one body.
type line struct {
	t     *testing.T
	r     *rand.Rand
	world ahead.World
	up    func() float64 // ticks
	down  func() float64

	truth []ground.Moving // by tick: what the service has
	steer []ground.Point  // by tick: how it steers behind it
	takes []wish          // on their way to the service
	body  ahead.Body
	lead  ahead.Lead
	n     uint64
}

type wish struct {
	n     uint64
	tick  int64
	comes float64
	steer ground.Point
}

// said is a tick on its way to the client, with what was taken before it.
type said struct {
	comes float64
	told  ahead.Told
	taken []wish
}

// play lets the body be steered for some seconds and returns, by frame of a 60th, where it is drawn, and where the
// service has it at that tick.
func (l *line) play(seconds int, push func(tick int64, m *ground.Moving)) (drawn, truth [][3]float64) {
	const rate, frames = 20, 60
	l.truth, l.steer = []ground.Moving{{At: ground.Point{X: 5000, Y: 5000}}}, []ground.Point{{}}
	var ways []said
	var at []float64
	next := 0.0
	for f := range seconds * frames {
		now := 1 + float64(f)*rate/frames
		for tick := int64(len(l.truth)); tick <= int64(now); tick++ { // the service
			var taken []wish
			steer := l.steer[tick-1]
			left := l.takes[:0]
			for _, w := range l.takes {
				if w.comes < float64(tick) && w.tick < tick {
					steer = w.steer
					w.tick = tick - 1
					taken = append(taken, w)
				} else {
					left = append(left, w)
				}
			}
			l.takes = left
			m, d := l.truth[tick-1], l.world.Drive
			d.Steer = steer
			m.Tick(l.world.Ground, &l.world.Gait, &d)
			if push != nil {
				push(tick, &m)
			}
			l.truth, l.steer = append(l.truth, m), append(l.steer, steer)
			m.Rest = ground.Point{}
			comes := float64(tick) + l.down()
			if n := len(ways); n > 0 {
				comes = max(comes, ways[n-1].comes)
			}
			ways = append(ways, said{comes, ahead.Told{Tick: tick, At: tick, Body: m, Steer: steer}, taken})
		}
		for len(ways) > 0 && ways[0].comes <= now { // the client
			l.body.Tell(l.world, ways[0].told)
			for _, w := range ways[0].taken {
				l.body.Answered(w.n, true, w.tick)
			}
			ways = ways[1:]
		}
		p := l.lead.At(now, 2, rate)
		if now >= next {
			angle := l.r.Float64() * 2 * math.Pi
			l.n++
			w := wish{n: l.n, tick: int64(p), comes: now + l.up(),
				steer: ground.Point{X: int64(math.Cos(angle) * 1000), Y: int64(math.Sin(angle) * 1000)}}
			l.takes = append(l.takes, w)
			l.body.Asked(w.n, w.tick, w.steer)
			next = now + 4 + l.r.Float64()*10
		}
		if x, y, z, ok := l.body.Place(p); ok {
			drawn, at = append(drawn, [3]float64{x, y, z}), append(at, p)
		}
	}
	for i, p := range at {
		whole := int(p)
		if whole+1 >= len(l.truth) {
			drawn = drawn[:i]
			break
		}
		a, b, part := l.truth[whole].At, l.truth[whole+1].At, p-float64(whole)
		truth = append(truth, [3]float64{float64(a.X) + part*float64(b.X-a.X), float64(a.Y) + part*float64(b.Y-a.Y)})
	}
	return drawn, truth
}

func newLine(t *testing.T) *line {
	g := &ground.Ground{Width: 20_000, Height: 20_000, Walls: []ground.Wall{{Left: 8000, North: 8000, Right: 12_000,
		South: 9000}, {X: 4000, Y: 14_000, Radius: 1500}}}
	return &line{t: t, r: rand.New(rand.NewPCG(1, 1)), world: ahead.World{Ground: g, Moves: true, Steers: true,
		Gait:  ground.Gait{Walker: ground.Walker{Body: ground.Body{Radius: 500}}, Rate: 20},
		Drive: ground.Drive{Speed: 6000}}}
}

// TestBodyIsWhereItWillBe draws a body over a line of 80 to 100 ms each way that turns at random and runs into walls:
// it follows each wish in the frame of that wish, and is drawn where the service has it at that tick later on, but for
// what it makes good of a wish within a tick; no step is over twice its speed.
func TestBodyIsWhereItWillBe(t *testing.T) {
	l := newLine(t)
	l.up = func() float64 { return 1.6 + 0.4*l.r.Float64() }
	l.down = l.up
	drawn, truth := l.play(60, nil)
	if len(drawn) < 3000 {
		t.Fatalf("only %d frames were drawn", len(drawn))
	}
	off := 0
	for i := range drawn {
		if apart(drawn[i], truth[i]) > 350 { // half a tick's way, there and back
			t.Fatalf("frame %d is drawn at %v; the body is at %v then", i, drawn[i], truth[i])
		}
		if apart(drawn[i], truth[i]) > 1 {
			off++
		}
		if i > 0 && apart(drawn[i], drawn[i-1]) > 2*100+1 {
			t.Fatalf("in frame %d it goes %v to %v, over twice its speed", i, drawn[i-1], drawn[i])
		}
	}
	if off > len(drawn)*9/10 {
		t.Errorf("in %d of %d frames it is not where it will be", off, len(drawn))
	}
}

// TestBodyMakesGood has the service push a body aside without a word, and put it elsewhere: the one is made good
// without a jump, the other is a jump; and what comes to the service late is made good too.
func TestBodyMakesGood(t *testing.T) {
	l := newLine(t)
	l.up = func() float64 { return 1.6 + 3*float64(l.r.IntN(2)) } // every second wish comes late
	l.down = func() float64 { return 1.6 }
	jumped := 0
	drawn, truth := l.play(30, func(tick int64, m *ground.Moving) {
		switch {
		case tick%100 == 50:
			m.At.X, m.At.Y = l.world.Ground.Move(m.At.X, m.At.Y, 700, 0, 500)
		case tick%100 == 0:
			m.At = ground.Point{X: 25_000 - m.At.X - 5000, Y: 1000}
			jumped++
		}
	})
	jumps := 0
	for i := 1; i < len(drawn); i++ {
		if apart(drawn[i], drawn[i-1]) > 2500 {
			jumps++
		} else if apart(drawn[i], drawn[i-1]) > 900 {
			t.Fatalf("in frame %d it goes from %v to %v", i, drawn[i-1], drawn[i])
		}
	}
	if jumps < jumped/2 || jumps > jumped {
		t.Errorf("%d jumps are drawn of %d", jumps, jumped)
	}
	near := 0
	for i := range drawn {
		if apart(drawn[i], truth[i]) < 700 {
			near++
		}
	}
	if near < len(drawn)/2 {
		t.Errorf("only %d of %d frames are near where the body is", near, len(drawn))
	}
}

// TestBodyStandsWhereNothingMoves draws a body that is told not to move, one of which nothing is told any more, and one
// whose wish is refused.
func TestBodyStandsWhereNothingMoves(t *testing.T) {
	l := newLine(t)
	var b ahead.Body
	if _, _, _, ok := b.Place(1); ok {
		t.Error("a body is drawn of which nothing was told")
	}
	told := ahead.Told{Tick: 10, At: 10, Body: ground.Moving{At: ground.Point{X: 5000, Y: 2000}},
		Steer: ground.Point{X: 1000}}
	b.Tell(l.world, told)
	for tick := 11.0; tick < 60; tick++ {
		if x, _, _, _ := b.Place(tick); x != 5000+300*min(tick-10, 20) {
			t.Fatalf("at tick %v it is at %v: it goes on for a second, and then stands", tick, x)
		}
	}
	still := l.world
	still.Moves = false
	b.Tell(still, told)
	for tick := 60.0; tick < 100; tick++ {
		b.Place(tick)
	}
	if x, _, _, _ := b.Place(101); math.Abs(x-5000) > 1 {
		t.Errorf("where nothing moves it is at %v", x)
	}
	b = ahead.Body{}
	told.Steer = ground.Point{}
	b.Tell(l.world, told)
	b.Asked(1, 12, ground.Point{Y: 1000})
	if _, y, _, _ := b.Place(14); y != 2600 {
		t.Errorf("two ticks behind a wish it is at %v", y)
	}
	b.Answered(1, false, 12)
	for tick := 15.0; tick < 60; tick++ {
		b.Place(tick)
	}
	if _, y, _, _ := b.Place(60); math.Abs(y-2000) > 1 {
		t.Errorf("long after the wish was refused it is at %v", y)
	}
}

func apart(a, b [3]float64) float64 { return math.Hypot(math.Hypot(a[0]-b[0], a[1]-b[1]), a[2]-b[2]) }
