package ground_test

import (
	"math/big"
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/tool/trial"
)

// small makes a crowded little ground, so that every special case comes up.
func small(r *rand.Rand) *ground.Ground {
	g := &ground.Ground{Width: 60 + r.Int64N(60), Height: 60 + r.Int64N(60)}
	for range r.IntN(5) {
		x, y := r.Int64N(100), r.Int64N(100)
		if r.IntN(2) == 0 {
			g.Walls = append(g.Walls, ground.Wall{X: x, Y: y, Radius: 1 + r.Int64N(20)})
		} else {
			g.Walls = append(g.Walls,
				ground.Wall{Left: x, North: y, Right: x + 2 + r.Int64N(30), South: y + 2 + r.Int64N(30)})
		}
	}
	return g
}

// crawl is Move's slow twin: a millimetre at a time, until something is in the way.
func crawl(g *ground.Ground, x, y, dx, dy, rad int64) (int64, int64) {
	step := func(p *int64, d int64) {
		s := int64(1)
		if d < 0 {
			s = -1
		}
		for range d * s {
			*p += s
			if !g.Free(x, y, rad) {
				*p -= s
				return
			}
		}
	}
	step(&x, dx)
	step(&y, dy)
	return x, y
}

// blocked is Sees' slow twin: it looks at many exact points of the line.
func blocked(w *ground.Wall, ax, ay, bx, by int64) bool {
	const parts = 5040 // all lengths below are in this part of a millimetre
	for i := int64(0); i <= parts; i++ {
		x, y := ax*(parts-i)+bx*i, ay*(parts-i)+by*i
		if w.Radius > 0 {
			dx, dy, r := x-w.X*parts, y-w.Y*parts, w.Radius*parts
			if dx*dx+dy*dy < r*r {
				return true
			}
		} else if x > w.Left*parts && x < w.Right*parts && y > w.North*parts && y < w.South*parts {
			return true
		}
	}
	return false
}

func TestMoveAgainstCrawl(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	for i := range 30000 {
		g := small(r)
		rad := r.Int64N(12)
		x, y := r.Int64N(g.Width), r.Int64N(g.Height)
		if !g.Free(x, y, rad) {
			continue
		}
		dx, dy := r.Int64N(120)-60, r.Int64N(120)-60
		gx, gy := g.Move(x, y, dx, dy, rad)
		if wx, wy := crawl(g, x, y, dx, dy, rad); gx != wx || gy != wy {
			t.Fatalf("seed %d, case %d: from (%d,%d) by (%d,%d), radius %d, in %+v: (%d,%d), crawling (%d,%d)", seed, i,
				x, y, dx, dy, rad, *g, gx, gy, wx, wy)
		}
	}
}

func TestSeesAgainstManyPoints(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	seen, hidden := 0, 0
	for i := range 4000 {
		g := small(r)
		if len(g.Walls) == 0 {
			continue
		}
		g.Walls = g.Walls[:1]
		ax, ay, bx, by := r.Int64N(100), r.Int64N(100), r.Int64N(100), r.Int64N(100)
		slow := !blocked(&g.Walls[0], ax, ay, bx, by)
		fast := g.Sees(ax, ay, bx, by)
		if slow { // a wall that is only just touched can hide between the points
			seen++
		} else {
			hidden++
		}
		if fast && !slow ||
			!fast && slow && !g.Walls[0].Touches(ax, ay, 0) && !nearlyTouched(&g.Walls[0], ax, ay, bx, by) {
			t.Fatalf("seed %d, case %d: (%d,%d) to (%d,%d) past %+v: sees %v, slowly %v", seed, i, ax, ay, bx, by,
				g.Walls[0], fast, slow)
		}
	}
	if seen < 20 || hidden < 20 {
		t.Errorf("%d seen and %d hidden are too few to say anything", seen, hidden)
	}
}

// nearlyTouched tells whether the line sees past the wall when it is a millimetre smaller.
func nearlyTouched(w *ground.Wall, ax, ay, bx, by int64) bool {
	less := *w
	less.Left, less.North, less.Right, less.South, less.Radius = w.Left+1, w.North+1, w.Right-1, w.South-1, max(
		w.Radius-1, 0)
	if w.Radius == 1 || w.Radius == 0 && (less.Left >= less.Right || less.North >= less.South) {
		return true
	}
	g := ground.Ground{Walls: []ground.Wall{less}}
	return g.Sees(ax, ay, bx, by)
}

// TestLineAgainstExactArithmetic compares the thick line with the same in arbitrary precision, at the largest
// coordinates.
func TestLineAgainstExactArithmetic(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	hits := 0
	for i := range 20000 {
		scale := []int64{20, 1000, ground.MaxSide}[r.IntN(3)]
		n := func() int64 { return r.Int64N(scale + 1) }
		l := ground.Line{X: n(), Y: n(), DX: n() - scale/2, DY: n() - scale/2, Reach: n(), Half: n() / 4}
		x, y, rad := n(), n(), n()/8
		b := big.NewInt
		px, py := b(x-l.X), b(y-l.Y)
		mul := func(a, c *big.Int) *big.Int { return new(big.Int).Mul(a, c) }
		along := new(big.Int).Add(mul(px, b(l.DX)), mul(py, b(l.DY)))
		cross := new(big.Int).Sub(mul(px, b(l.DY)), mul(py, b(l.DX)))
		sq := b(l.DX*l.DX + l.DY*l.DY)
		want := sq.Sign() > 0 && along.Sign() >= 0 && mul(along, along).Cmp(mul(b(l.Reach*l.Reach), sq)) <= 0 &&
			mul(cross, cross).Cmp(mul(b((l.Half+rad)*(l.Half+rad)), sq)) <= 0
		if _, ok := l.Hits(x, y, rad); ok != want {
			t.Fatalf("seed %d, case %d: %+v hits (%d,%d) with radius %d: %v", seed, i, l, x, y, rad, ok)
		}
		if want {
			hits++
		}
	}
	if hits < 100 {
		t.Errorf("%d hits are too few to say anything", hits)
	}
}

// TestNarrowGround: a body wider than the ground stands in its middle.
func TestNarrowGround(t *testing.T) {
	for _, c := range [][4]int64{{600, 400, 0, 300}, {800, 400, 100, 400}, {799, 400, 100, 399}, {801, 400, 100, 401},
		{801, 400, -900, 400}} {
		g := &ground.Ground{Width: c[0], Height: 5000}
		if x, _ := g.Move(c[0]/2, 2500, max(c[2], 1), 0, c[1]); c[2] >= 0 && x != c[3] {
			t.Errorf("%d wide, radius %d, by %d: at %d, not %d", c[0], c[1], c[2], x, c[3])
		}
	}
}

// TestPasses holds the exact answer to a slow twin that reckons with fractions.
func TestPasses(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	slow := func(ax, ay, bx, by, reach int64) bool {
		rat := func(n int64) *big.Rat { return new(big.Rat).SetInt64(n) }
		dx, dy := rat(bx-ax), rat(by-ay)
		sq := new(big.Rat).Add(new(big.Rat).Mul(dx, dx), new(big.Rat).Mul(dy, dy))
		at := new(big.Rat)
		if sq.Sign() > 0 { // how far along the way the origin is nearest
			dot := new(big.Rat).Add(new(big.Rat).Mul(rat(-ax), dx), new(big.Rat).Mul(rat(-ay), dy))
			if at.Quo(dot, sq); at.Sign() < 0 {
				at.SetInt64(0)
			} else if at.Cmp(rat(1)) > 0 {
				at.SetInt64(1)
			}
		}
		x := new(big.Rat).Add(rat(ax), new(big.Rat).Mul(at, dx))
		y := new(big.Rat).Add(rat(ay), new(big.Rat).Mul(at, dy))
		away := new(big.Rat).Add(x.Mul(x, x), y.Mul(y, y))
		return away.Cmp(rat(reach*reach)) <= 0
	}
	hits := 0
	for range 20000 {
		side := int64(1) << (2 + r.IntN(18))
		n := func() int64 { return r.Int64N(2*side+1) - side }
		ax, ay, bx, by, reach := n(), n(), n(), n(), r.Int64N(side+1)
		got := ground.Passes(ax, ay, bx, by, reach)
		if want := slow(ax, ay, bx, by, reach); got != want {
			t.Fatalf("seed %d: from (%d, %d) to (%d, %d) within %d: %v, not %v", seed, ax, ay, bx, by, reach, got, want)
		}
		if got {
			hits++
		}
	}
	if hits < 2000 || hits > 18000 {
		t.Errorf("%d of 20000 hit: that says too little", hits)
	}
	if !ground.Passes(-10, 3, 10, 3, 3) || ground.Passes(-10, 3, 10, 3, 2) || !ground.Passes(3, 4, 3, 4, 5) {
		t.Error("exactly so far is not near enough, or less is")
	}
}

// TestShareIsDivision holds the faster division to the language's.
func TestShareIsDivision(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200_000 {
		by := 1 + r.Int64N(1<<uint(1+r.IntN(20)))
		a := r.Int64N(1<<uint(1+r.IntN(61))) - r.Int64N(1<<uint(1+r.IntN(61)))
		for _, a := range []int64{a, a / by * by, a/by*by - 1, a/by*by + 1} {
			if got := ground.ShareOf(by).Of(a); got != a/by {
				t.Fatalf("%d/%d is %d, not %d", a, by, got, a/by)
			}
		}
	}
}
