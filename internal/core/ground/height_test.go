package ground_test

import (
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/tool/trial"
)

// tower makes a crowded little tall ground: walls over and under each other, platforms and ramps.
func tower(r *rand.Rand) *ground.Ground {
	g := small(r)
	g.Tall, g.Open = 60+r.Int64N(60), r.IntN(3) == 0
	for range 2 + r.IntN(5) {
		x, y := r.Int64N(90), r.Int64N(90)
		w := ground.Wall{Left: x, North: y, Right: x + 2 + r.Int64N(40), South: y + 2 + r.Int64N(40)}
		w.Rises = ground.Rise(r.IntN(5))
		g.Walls = append(g.Walls, w)
	}
	for i := range g.Walls {
		w := &g.Walls[i]
		w.Low = r.Int64N(3) * r.Int64N(30)
		w.High = w.Low + 1 + r.Int64N(40)
	}
	if r.IntN(2) == 0 {
		g.Index()
	}
	return g
}

// someone is a walker of a random build.
func someone(r *rand.Rand) ground.Walker {
	return ground.Walker{Body: ground.Body{Radius: r.Int64N(8), Tall: 2 + r.Int64N(20)}, Step: r.Int64N(6),
		Slope: r.Int64N(15000)}
}

// climbs tells whether a walker can walk up a ramp, by the tangent of its slope.
func climbs(w *ground.Walker, ramp *ground.Wall) bool {
	run := ramp.South - ramp.North
	if ramp.Rises == ground.RiseEast || ramp.Rises == ground.RiseWest {
		run = ramp.Right - ramp.Left
	}
	c, s := ground.Dir(w.Slope)
	return (ramp.High-ramp.Low)*c <= run*s
}

// plod is Walk's slow twin along one axis: a millimetre at a time, until something is in the way.
func plod(g *ground.Ground, p ground.Point, d int64, w *ground.Walker, part func(*ground.Point) *int64) ground.Point {
	start, step := p, w.Step
	for i := range g.Walls { // on a ramp one may step as much higher as it rises within the radius
		if x := &g.Walls[i]; x.Rises != ground.RiseNot && x.Over(p.X, p.Y) && x.Top(p.X, p.Y) == p.Z && climbs(w, x) {
			run := x.South - x.North
			if x.Rises == ground.RiseEast || x.Rises == ground.RiseWest {
				run = x.Right - x.Left
			}
			step = max(step, w.Step+((x.High-x.Low)*w.Radius+run-1)/run)
		}
	}
	enters := make([]int64, len(g.Walls)) // how high each ramp is where the way comes upon it
	free := func(was, q ground.Point) bool {
		if q.X < w.Radius || q.Y < w.Radius || q.X > g.Width-w.Radius || q.Y > g.Height-w.Radius {
			return false
		}
		for i := range g.Walls {
			x := &g.Walls[i]
			if x.Low >= p.Z+w.Tall || x.High <= p.Z {
				continue
			}
			if x.Rises == ground.RiseNot {
				r := w.Radius
				if x.Touches(start.X, start.Y, r) {
					r = 0
				}
				if x.High > p.Z+step && x.Touches(q.X, q.Y, r) && !x.Touches(start.X, start.Y, r) {
					return false
				}
				continue
			}
			switch in := x.Over(q.X, q.Y); {
			case in && !x.Over(was.X, was.Y):
				if enters[i] = x.Top(q.X, q.Y); enters[i] > p.Z+w.Step {
					return false
				}
			case in && was == start:
				enters[i] = x.Top(was.X, was.Y)
				if enters[i] > p.Z+w.Step && enters[i] == x.Low && x.Top(q.X, q.Y) > x.Low {
					return false
				}
			}
			if x.Over(q.X, q.Y) && enters[i] <= p.Z+w.Step && !climbs(w, x) &&
				x.Top(q.X, q.Y) > max(p.Z, enters[i]) && x.Top(q.X, q.Y) > x.Top(was.X, was.Y) {
				return false
			}
		}
		return true
	}
	for ; d != 0; d -= max(min(d, 1), -1) {
		q := p
		if *part(&q) += max(min(d, 1), -1); !free(p, q) {
			break
		}
		p = q
	}
	for i := range g.Walls {
		if x := &g.Walls[i]; x.Rises != ground.RiseNot && x.Low < p.Z+w.Tall && x.Over(p.X, p.Y) && climbs(w, x) {
			p.Z = max(p.Z, x.Top(p.X, p.Y))
		}
	}
	return p
}

// TestWalkAgainstPlod: each half of a way ends at the farthest free millimetre; in between a walker goes up steps and
// ramps. Nobody who walks comes into a wall.
func TestWalkAgainstPlod(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	climbed, stopped := 0, 0
	for i := range trial.Rounds(1_000_000, 30_000) {
		g, w := tower(r), someone(r)
		p := ground.Point{X: r.Int64N(g.Width), Y: r.Int64N(g.Height), Z: r.Int64N(g.Tall)}
		if floor, is := g.Floor(p.X, p.Y, p.Z); is && r.IntN(4) > 0 {
			p.Z = floor
		}
		if !g.Room(p, w.Body) {
			continue
		}
		dx, dy := r.Int64N(90)-45, r.Int64N(90)-45
		q := plod(g, p, dx, &w, func(p *ground.Point) *int64 { return &p.X })
		q = plod(g, q, dy, &w, func(p *ground.Point) *int64 { return &p.Y })
		got, on := g.Walk(p, dx, dy, w, true)
		up := q
		if floor, is := g.Floor(q.X, q.Y, q.Z+w.Step); is {
			up.Z = max(up.Z, floor)
		}
		if got.X == p.X && got.Y == p.Y && got != q && up.Z > p.Z && !g.Room(up, w.Body) { // no room above the step
			stopped++
			continue
		}
		if got.X != q.X || got.Y != q.Y {
			t.Fatalf("seed %d, case %d: %+v from %+v by (%d,%d) in %+v: %+v, plodding %+v", seed, i, w, p, dx, dy, *g,
				got, q)
		}
		if got.Z > p.Z {
			climbed++
		}
		if floor, is := g.Floor(got.X, got.Y, got.Z); on && (!is || floor != got.Z) {
			t.Fatalf("seed %d, case %d: stands at %+v, where the floor is at %d", seed, i, got, floor)
		}
	}
	if climbed < 100 || stopped < 5 {
		t.Errorf("%d climbed and %d stopped are too few to say anything", climbed, stopped)
	}
}

// TestFallAgainstDrops: who falls ends where a millimetre at a time ends, on the highest floor on the way; who rises
// ends below the lowest ceiling.
func TestFallAgainstDrops(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	landed, hit := 0, 0
	for i := range trial.Rounds(1_000_000, 20_000) {
		g, w := tower(r), someone(r)
		w.Step = 0
		p := ground.Point{X: r.Int64N(g.Width), Y: r.Int64N(g.Height), Z: r.Int64N(g.Tall)}
		if !g.Room(p, w.Body) {
			continue
		}
		dz := r.Int64N(120) - 60
		got, stopped := g.Fall(p, dz, w)
		want := p
		for want.Z != p.Z+dz {
			next := want
			if next.Z += max(min(dz, 1), -1); dz > 0 && !g.Room(next, w.Body) {
				hit++
				break
			}
			if floor, is := g.Floor(want.X, want.Y, want.Z); dz < 0 && is && floor == want.Z {
				landed++
				break
			}
			if next.Z < -g.Tall {
				break
			}
			want = next
		}
		if got != want || dz > 0 && stopped != (want.Z != p.Z+dz) {
			t.Fatalf("seed %d, case %d: %+v from %+v by %d in %+v: %+v (stopped %v), slowly %+v", seed, i, w, p, dz, *g,
				got, stopped, want)
		}
	}
	if landed < 200 || hit < 200 {
		t.Errorf("%d landed and %d hit are too few to say anything", landed, hit)
	}
}

// TestFlyersStayOutside: who flies from where there is room comes to where there is room, and no farther than they
// wanted.
func TestFlyersStayOutside(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	for i := range trial.Rounds(1_000_000, 20_000) {
		g, w := tower(r), someone(r)
		g.Open = false
		p := ground.Point{X: r.Int64N(g.Width), Y: r.Int64N(g.Height), Z: r.Int64N(g.Tall)}
		if !g.Room(p, w.Body) {
			continue
		}
		d := ground.Point{X: r.Int64N(80) - 40, Y: r.Int64N(80) - 40, Z: r.Int64N(80) - 40}
		if q := g.Fly(p, d, w.Body); !g.Room(q, w.Body) {
			t.Fatalf("seed %d, case %d: %+v from %+v by %+v in %+v: %+v is in a wall", seed, i, w.Body, p, d, *g, q)
		}
	}
}

// within tells whether a point, in parts of a millimetre, is inside a wall.
func within(w *ground.Wall, x, y, z, parts int64) bool {
	if z <= w.Low*parts || z >= w.High*parts {
		return false
	}
	if w.Radius > 0 {
		dx, dy, r := x-w.X*parts, y-w.Y*parts, w.Radius*parts
		return dx*dx+dy*dy < r*r
	}
	if x <= w.Left*parts || x >= w.Right*parts || y <= w.North*parts || y >= w.South*parts {
		return false
	}
	rise := w.High - w.Low
	switch w.Rises {
	case ground.RiseEast:
		return (z-w.Low*parts)*(w.Right-w.Left) < rise*(x-w.Left*parts)
	case ground.RiseWest:
		return (z-w.Low*parts)*(w.Right-w.Left) < rise*(w.Right*parts-x)
	case ground.RiseSouth:
		return (z-w.Low*parts)*(w.South-w.North) < rise*(y-w.North*parts)
	case ground.RiseNorth:
		return (z-w.Low*parts)*(w.South-w.North) < rise*(w.South*parts-y)
	}
	return true
}

// TestSeesOverAgainstManyPoints: what many exact points of a line find in a wall is seen to be there, and what is found
// is there but for what lies between the points.
func TestSeesOverAgainstManyPoints(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	seen, hidden, between := 0, 0, 0
	for i := range trial.Rounds(1_000_000, 4_000) {
		g := tower(r)
		g.Walls = g.Walls[len(g.Walls)-1:]
		w := &g.Walls[0]
		a := ground.Point{X: r.Int64N(100), Y: r.Int64N(100), Z: r.Int64N(70)}
		b := ground.Point{X: r.Int64N(100), Y: r.Int64N(100), Z: r.Int64N(70)}
		const parts = 2520
		slow := true
		for n := int64(0); n <= parts && slow; n++ {
			slow = !within(w, a.X*(parts-n)+b.X*n, a.Y*(parts-n)+b.Y*n, a.Z*(parts-n)+b.Z*n, parts)
		}
		switch fast := g.SeesOver(a, b); {
		case fast && !slow:
			t.Fatalf("seed %d, case %d: %+v to %+v past %+v is seen through", seed, i, a, b, *w)
		case fast:
			seen++
		case slow:
			between++
		default:
			hidden++
		}
	}
	if seen < 100 || hidden < 100 || between > (seen+hidden)/100 {
		t.Errorf("%d seen, %d hidden, and %d hidden between the points", seen, hidden, between)
	}
}

// TestHitsFromAllSides: a ray hits a body where it comes as near as they are thick, at its height, in its reach.
func TestHitsFromAllSides(t *testing.T) {
	body := ground.Body{Radius: 500, Tall: 2000}
	ray := func(from, dir ground.Point) bool {
		l := ground.Ray{From: from, Dir: dir, Reach: 10_000, Half: 100}
		_, ok := l.Hits(ground.Point{X: 5000, Y: 5000, Z: 1000}, body)
		return ok
	}
	for _, x := range []struct {
		what      string
		from, dir ground.Point
		hits      bool
	}{
		{"level", ground.Point{Y: 5000, Z: 2000}, ground.Point{X: 1}, true},
		{"over its head", ground.Point{Y: 5000, Z: 3101}, ground.Point{X: 1}, false},
		{"at its head", ground.Point{Y: 5000, Z: 3100}, ground.Point{X: 1}, true},
		{"under its feet", ground.Point{Y: 5000, Z: 899}, ground.Point{X: 1}, false},
		{"beside it", ground.Point{Y: 5601, Z: 2000}, ground.Point{X: 1}, false},
		{"at its side", ground.Point{Y: 5600, Z: 2000}, ground.Point{X: 1}, true},
		{"from above", ground.Point{X: 5000, Y: 5300, Z: 9000}, ground.Point{Z: -1}, true},
		{"from above, beside it", ground.Point{X: 5000, Y: 5700, Z: 9000}, ground.Point{Z: -1}, false},
		{"upwards, away from it", ground.Point{X: 5000, Y: 5000, Z: 3200}, ground.Point{Z: 1}, false},
		{"down at a slant", ground.Point{Y: 5000, Z: 7000}, ground.Point{X: 1, Z: -1}, true},
		{"down at a slant, short of it", ground.Point{X: 1000, Y: 5000, Z: 4000}, ground.Point{X: 1, Z: -1}, false},
		{"too far", ground.Point{X: 15_601, Y: 5000, Z: 2000}, ground.Point{X: -1}, false},
		{"just so far", ground.Point{X: 15_600, Y: 5000, Z: 2000}, ground.Point{X: -1}, true},
	} {
		if got := ray(x.from, x.dir); got != x.hits {
			t.Errorf("%s: %v", x.what, got)
		}
	}
}

// TestPitch: each direction upwards is found again, and a pitch of a quarter turn points straight up.
func TestPitch(t *testing.T) {
	for pitch := int64(-16384); pitch <= 16384; pitch += 7 {
		if back := ground.PitchOf(ground.DirOf(9000, pitch)); max(back-pitch, pitch-back) > 1 {
			t.Fatalf("a pitch of %d comes back as %d", pitch, back)
		}
	}
	if up := ground.DirOf(0, 16384); up != (ground.Point{Z: ground.DirUnit}) {
		t.Errorf("straight up is %+v", up)
	}
}

// maze is a ground with a deck that one ramp leads up to, round a wall, and an island that nothing leads to.
func maze() *ground.Ground {
	return &ground.Ground{Width: 30_000, Height: 20_000, Tall: 10_000, Walls: []ground.Wall{
		{Left: 10_000, North: 0, Right: 11_000, South: 15_000, High: 10_000},
		{Left: 20_000, North: 0, Right: 30_000, South: 12_000, High: 3000},
		{Left: 22_000, North: 12_000, Right: 25_000, South: 18_000, High: 3000, Rises: ground.RiseNorth},
		{Left: 2000, North: 16_000, Right: 4000, South: 18_000, High: 5000}}}
}

// TestWaysLeadThere: whoever goes where the grid says, stride by stride, comes to where they want to go, round walls,
// up and down; and no way leads to an island.
func TestWaysLeadThere(t *testing.T) {
	g := maze()
	w := ground.Walker{Body: ground.Body{Radius: 400, Tall: 1000}, Step: 300, Slope: ground.FullTurn / 8}
	grid := g.Grid(w, 1<<14)
	walk := func(from, to ground.Point) (at ground.Point, strides int) {
		for at = from; at != to && strides < 300; strides++ {
			goal := to
			if !grid.Straight(at, to) {
				via, ok := grid.Way(at, to)
				if !ok {
					return at, strides
				}
				goal = via
			}
			dx, dy := goal.X-at.X, goal.Y-at.Y
			if long := max(dx, -dx, dy, -dy); long > 300 {
				dx, dy = dx*300/long, dy*300/long
			}
			var on bool
			if at, on = g.Walk(at, dx, dy, w, true); !on {
				at, _ = g.Fall(at, -20_000, w)
			}
		}
		return at, strides
	}
	low, deck := ground.Point{X: 3000, Y: 3000}, ground.Point{X: 28_000, Y: 2000, Z: 3000}
	for _, x := range [][2]ground.Point{{low, deck}, {deck, low}, {{X: 28_000, Y: 19_000}, deck},
		{low, {X: 17_000, Y: 1000}}} {
		if at, strides := walk(x[0], x[1]); at != x[1] {
			t.Errorf("from %+v to %+v one comes to %+v in %d strides", x[0], x[1], at, strides)
		}
	}
	if via, ok := grid.Way(low, ground.Point{X: 3000, Y: 17_000, Z: 5000}); ok {
		t.Errorf("a way to an island leads over %+v", via)
	}
	if coarse := g.Grid(w, 20); coarse.Straight(low, deck) {
		t.Error("one walks through a wall")
	}
}
