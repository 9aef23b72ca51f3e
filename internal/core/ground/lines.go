package ground

// SeesOver is Sees in three dimensions.
func (g *Ground) SeesOver(a, b Point) bool {
	for i := range g.Walls {
		if g.Walls[i].between(a, b) {
			return false
		}
	}
	return true
}

// between tells whether the straight way from a to b passes through a wall's inside. Of a round wall the part of the
// way that is between its heights counts, its ends to the millimetre.
func (w *Wall) between(a, b Point) bool {
	if min(a.Z, b.Z) >= w.High || max(a.Z, b.Z) <= w.Low ||
		!w.meets(min(a.X, b.X), min(a.Y, b.Y), max(a.X, b.X), max(a.Y, b.Y)) {
		return false
	}
	c := clip{0, 1, 1, 1}
	c.above(a.Z-w.Low, b.Z-w.Low)
	if w.Radius > 0 {
		c.above(w.High-a.Z, w.High-b.Z)
		p, q := c.ends(a, b)
		return c.some() && segmentNear(p.X, p.Y, q.X, q.Y, w.X, w.Y, w.Radius)
	}
	c.above(a.X-w.Left, b.X-w.Left)
	c.above(w.Right-a.X, w.Right-b.X)
	c.above(a.Y-w.North, b.Y-w.North)
	c.above(w.South-a.Y, w.South-b.Y)
	c.above(w.below(a), w.below(b))
	return c.some()
}

// below is how far a point is below a wall's top, in a unit of its own.
func (w *Wall) below(p Point) int64 {
	rise, run := w.High-w.Low, int64(1)
	along := int64(1)
	switch w.Rises {
	case RiseEast:
		along, run = p.X-w.Left, w.run()
	case RiseWest:
		along, run = w.Right-p.X, w.run()
	case RiseSouth:
		along, run = p.Y-w.North, w.run()
	case RiseNorth:
		along, run = w.South-p.Y, w.run()
	}
	return rise*along - (p.Z-w.Low)*run
}

// clip is a part of a way: from n/d to m/e of it.
type clip struct{ n, d, m, e int64 }

// none is a part of a way that there is not.
var none = clip{1, 1, 0, 1}

// above leaves what is above 0 of a way along which something changes evenly from f to g.
func (c *clip) above(f, g int64) {
	switch {
	case f <= 0 && g <= 0:
		*c = none
	case f < 0: // and above 0 later
		if less(c.n, g-f, -f, c.d) {
			c.n, c.d = -f, g-f
		}
	case g < 0:
		if less(f, c.e, c.m, f-g) {
			c.m, c.e = f, f-g
		}
	}
}

// some tells whether there is anything of the way left.
func (c *clip) some() bool { return less(c.n, c.e, c.m, c.d) }

// ends are the ends of what is left, to the millimetre.
func (c *clip) ends(a, b Point) (p, q Point) {
	at := func(n, d int64) Point {
		return Point{part(a.X, b.X, n, d), part(a.Y, b.Y, n, d), part(a.Z, b.Z, n, d)}
	}
	return at(c.n, c.d), at(c.m, c.e)
}

func part(a, b, n, d int64) int64 { return a + (b-a)*n/d }

// UntilOver is Until in three dimensions.
func (g *Ground) UntilOver(a, b Point) Point {
	if g.SeesOver(a, b) {
		return b
	}
	long := max(abs(b.X-a.X), abs(b.Y-a.Y), abs(b.Z-a.Z), 1)
	at := func(n int64) Point {
		return Point{part(a.X, b.X, n, long), part(a.Y, b.Y, n, long), part(a.Z, b.Z, n, long)}
	}
	lo, hi := int64(0), long
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; g.SeesOver(a, at(mid)) {
			lo = mid
		} else {
			hi = mid
		}
	}
	return at(lo)
}

// CutOver is Cut in three dimensions: at the ground's edges, its floor, where it has one, and the height to which it
// goes.
func (g *Ground) CutOver(a, b Point) Point {
	cut := func(from, to, low, high int64) (n, d int64) {
		switch {
		case to > high:
			return high - from, to - from
		case to < low:
			return from - low, from - to
		}
		return 1, 1
	}
	low := int64(0)
	if g.Open {
		low = -g.Tall
	}
	n, d := int64(1), int64(1)
	for _, x := range [3][4]int64{{a.X, b.X, 0, g.Width}, {a.Y, b.Y, 0, g.Height}, {a.Z, b.Z, low, g.Tall}} {
		if m, e := cut(x[0], x[1], x[2], x[3]); m*d < n*e {
			n, d = max(m, 0), e
		}
	}
	return Point{part(a.X, b.X, n, d), part(a.Y, b.Y, n, d), part(a.Z, b.Z, n, d)}
}

// PassesAt tells whether the way from a to b comes within r of the upright line over the origin from low to high, both
// included: the part of the way that is between these heights counts, its ends to the millimetre.
func PassesAt(a, b Point, r, low, high int64) bool {
	if min(a.Z, b.Z) > high || max(a.Z, b.Z) < low {
		return false
	}
	c := clip{0, 1, 1, 1}
	c.above(a.Z-low+1, b.Z-low+1)
	c.above(high+1-a.Z, high+1-b.Z)
	if !c.some() {
		return false
	}
	p, q := c.ends(a, b)
	return Passes(p.X, p.Y, q.X, q.Y, r)
}

// Ray is a thick line in space: from From in the direction Dir, Reach long, hitting what comes within Half of it.
type Ray struct {
	From, Dir   Point
	Reach, Half int64
}

// Long is the length of the ray's direction, rounded down, at least 1.
func (l *Ray) Long() int64 {
	return max(Root(l.Dir.X*l.Dir.X+l.Dir.Y*l.Dir.Y+l.Dir.Z*l.Dir.Z), 1)
}

// End is where the ray ends.
func (l *Ray) End() Point {
	d := l.Long()
	return Point{l.From.X + l.Dir.X*l.Reach/d, l.From.Y + l.Dir.Y*l.Reach/d, l.From.Z + l.Dir.Z*l.Reach/d}
}

// Hits tells whether the ray comes upon a body that stands at p, and how far along the middle of that is: the along
// values of two hits can be compared.
func (l *Ray) Hits(p Point, b Body) (along int64, ok bool) {
	from := Point{l.From.X - p.X, l.From.Y - p.Y, l.From.Z - p.Z}
	end := l.End()
	end = Point{end.X - p.X, end.Y - p.Y, end.Z - p.Z}
	along = -from.X*l.Dir.X - from.Y*l.Dir.Y + (b.Tall/2-from.Z)*l.Dir.Z
	return along, PassesAt(from, end, b.Radius+l.Half, -l.Half, b.Tall+l.Half)
}
