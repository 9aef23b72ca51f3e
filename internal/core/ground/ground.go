// Package ground is the exact geometry of a playing area: integers in whole millimetres, no floating point, so that
// every machine finds the same.
package ground

import (
	"math"
	"math/bits"
)

// MaxSide is the longest side of a ground, in millimetres. Every coordinate and length handed to this package must be
// within it.
const MaxSide = 1000 * 1000

// Ground is a playing area from (0, 0) to (Width, Height) with walls in it. Where Tall is above 0 it goes up to that,
// and Open leaves it without a floor at 0.
type Ground struct {
	Width, Height, Tall int64
	Open                bool
	Walls               []Wall

	cells *cells // of a tall ground; nil where Index has not been called, or there are too many walls
}

// Wall is a box, or a circle when Radius is above 0. Where the ground is tall it goes from Low to High, and Rises makes
// a ramp of a box.
type Wall struct {
	Left, North, Right, South int64
	X, Y, Radius              int64
	Low, High                 int64
	Rises                     Rise
}

// Touches tells whether a circle of radius r around a point overlaps the wall's inside; touching its edge does not
// count.
func (w *Wall) Touches(x, y, r int64) bool {
	if w.Radius > 0 {
		dx, dy, d := x-w.X, y-w.Y, w.Radius+r
		return dx*dx+dy*dy < d*d
	}
	dx := max(w.Left-x, 0, x-w.Right)
	dy := max(w.North-y, 0, y-w.South)
	if dx == 0 && dy == 0 { // the centre is in the box or on its edge
		return r > 0 || x > w.Left && x < w.Right && y > w.North && y < w.South
	}
	return dx*dx+dy*dy < r*r
}

// Free tells whether a circle of radius r around a point lies within the ground and overlaps no wall.
func (g *Ground) Free(x, y, r int64) bool {
	if x < r || y < r || x > g.Width-r || y > g.Height-r {
		return false
	}
	for i := range g.Walls {
		if g.Walls[i].Touches(x, y, r) {
			return false
		}
	}
	return true
}

// Move takes a body of radius r from (x, y) by dx east and then by dy south, as far as bounds and walls let it. A body
// that stands in a wall may leave it.
func (g *Ground) Move(x, y, dx, dy, r int64) (int64, int64) {
	left, right := min(x, x+dx)-r, max(x, x+dx)+r
	north, south := min(y, y+dy)-r, max(y, y+dy)+r
	tx, ty := held(x, dx, r, g.Width), held(y, dy, r, g.Height)
	clear := true
	for i := range g.Walls {
		clear = clear && !g.Walls[i].meets(left, north, right, south)
	}
	if clear {
		return tx, ty
	}
	for i := range g.Walls {
		if w := &g.Walls[i]; w.meets(left, north, right, south) {
			lo, hi := w.span(y, r)
			tx = stop(x, tx, lo, hi)
		}
	}
	for i := range g.Walls {
		if w := &g.Walls[i]; w.meets(left, north, right, south) {
			t := w.turned()
			lo, hi := t.span(tx, r)
			ty = stop(y, ty, lo, hi)
		}
	}
	return tx, ty
}

// held is where a coordinate a moved by d ends within the ground.
func held(a, d, r, side int64) int64 {
	switch {
	case d == 0:
		return a
	case side < 2*r:
		return side / 2
	}
	return min(max(a+d, r), side-r)
}

// stop holds a way from a to b at the open interval (lo, hi), if it has to be entered.
func stop(a, b, lo, hi int64) int64 {
	if lo < hi {
		if a <= lo && b > lo {
			return lo
		}
		if a >= hi && b < hi {
			return hi
		}
	}
	return b
}

// meets tells whether the wall's bounds overlap a box.
func (w *Wall) meets(left, north, right, south int64) bool {
	if w.Radius > 0 {
		return w.X+w.Radius >= left && w.X-w.Radius <= right && w.Y+w.Radius >= north && w.Y-w.Radius <= south
	}
	return w.Right >= left && w.Left <= right && w.South >= north && w.North <= south
}

// bounds are those of the wall.
func (w *Wall) bounds() (left, north, right, south int64) {
	if w.Radius > 0 {
		return w.X - w.Radius, w.Y - w.Radius, w.X + w.Radius, w.Y + w.Radius
	}
	return w.Left, w.North, w.Right, w.South
}

// turned is the wall with its axes exchanged.
func (w *Wall) turned() Wall {
	t := *w
	t.Left, t.North, t.Right, t.South, t.X, t.Y = w.North, w.Left, w.South, w.Right, w.Y, w.X
	t.Rises = [...]Rise{RiseNot, RiseSouth, RiseEast, RiseNorth, RiseWest}[w.Rises]
	return t
}

// span is the open interval of x in which a body of radius r overlaps the wall when its centre is at height y. It is
// empty (lo >= hi) when none is.
func (w *Wall) span(y, r int64) (lo, hi int64) {
	if w.Radius > 0 {
		dy, d := y-w.Y, w.Radius+r
		if h := d*d - dy*dy; h > 0 {
			k := RootUp(h)
			return w.X - k, w.X + k
		}
		return 0, 0
	}
	dy := max(w.North-y, 0, y-w.South)
	if dy == 0 {
		if r == 0 && (y == w.North || y == w.South) {
			return 0, 0
		}
		return w.Left - r, w.Right + r
	}
	if h := r*r - dy*dy; h > 0 {
		k := RootUp(h)
		return w.Left - k, w.Right + k
	}
	return 0, 0
}

// Root is the square root of n, rounded down.
func Root(n int64) int64 {
	r := int64(math.Sqrt(float64(n))) // a first guess; made exact below
	for r*r > n {
		r--
	}
	for (r+1)*(r+1) <= n {
		r++
	}
	return r
}

// RootUp is Root, rounded up.
func RootUp(n int64) int64 {
	r := Root(n)
	if r*r < n {
		r++
	}
	return r
}

// Sees tells whether the straight line from a to b passes through no wall's inside.
func (g *Ground) Sees(ax, ay, bx, by int64) bool {
	for i := range g.Walls {
		if g.Walls[i].blocks(ax, ay, bx, by) {
			return false
		}
	}
	return true
}

func (w *Wall) blocks(ax, ay, bx, by int64) bool {
	if w.Radius > 0 {
		return segmentNear(ax, ay, bx, by, w.X, w.Y, w.Radius)
	}
	if max(ax, bx) <= w.Left || min(ax, bx) >= w.Right || max(ay, by) <= w.North || min(ay, by) >= w.South {
		return false
	}
	if ax == bx && ay == by {
		return true
	}
	side := func(x, y int64) int64 { return (bx-ax)*(y-ay) - (by-ay)*(x-ax) }
	a, b, c, d := side(w.Left, w.North), side(w.Right, w.North), side(w.Left, w.South), side(w.Right, w.South)
	return !(min(a, b, c, d) >= 0 || max(a, b, c, d) <= 0)
}

// segmentNear tells whether the segment from a to b comes nearer to (x, y) than r.
func segmentNear(ax, ay, bx, by, x, y, r int64) bool {
	dx, dy, px, py := bx-ax, by-ay, x-ax, y-ay
	dot, sq := px*dx+py*dy, dx*dx+dy*dy
	if dot <= 0 {
		return px*px+py*py < r*r
	}
	if dot >= sq {
		qx, qy := x-bx, y-by
		return qx*qx+qy*qy < r*r
	}
	cross := px*dy - py*dx
	return less(cross, cross, r*r, sq)
}

// Passes tells whether the way from a to b comes within r of the origin, exactly r included.
func Passes(ax, ay, bx, by, r int64) bool {
	dx, dy := bx-ax, by-ay
	dot, sq := -ax*dx-ay*dy, dx*dx+dy*dy
	switch {
	case dot <= 0:
		return ax*ax+ay*ay <= r*r
	case dot >= sq:
		return bx*bx+by*by <= r*r
	}
	cross := abs(ax*dy - ay*dx)
	return !less(r*r, sq, cross, cross)
}

// less tells whether |a|*|b| < c*d, exactly.
func less(a, b, c, d int64) bool {
	h1, l1 := bits.Mul64(uint64(abs(a)), uint64(abs(b)))
	h2, l2 := bits.Mul64(uint64(c), uint64(d))
	return h1 < h2 || h1 == h2 && l1 < l2
}

func abs(a int64) int64 {
	if a < 0 {
		return -a
	}
	return a
}

// Line is a thick line: from (X, Y) towards (X+DX, Y+DY), Reach long, hitting what comes within Half of it.
type Line struct {
	X, Y, DX, DY, Reach, Half int64
}

// Hits tells whether the centre of something with radius r is on the thick line, and how far along: the along values of
// two hits can be compared.
func (l *Line) Hits(x, y, r int64) (along int64, ok bool) {
	px, py := x-l.X, y-l.Y
	along = px*l.DX + py*l.DY
	sq := l.DX*l.DX + l.DY*l.DY
	if along < 0 || sq == 0 || less(l.Reach*l.Reach, sq, along, along) {
		return 0, false
	}
	cross, near := px*l.DY-py*l.DX, l.Half+r
	return along, !less(near*near, sq, abs(cross), abs(cross))
}

// Clear tells whether a body of radius r can go straight from a to b without meeting a wall. A box counts as grown by r
// on each side, its corners not rounded.
func (g *Ground) Clear(ax, ay, bx, by, r int64) bool {
	for i := range g.Walls {
		if w := g.Walls[i].grown(r); w.blocks(ax, ay, bx, by) {
			return false
		}
	}
	return true
}

// grown is the wall with every edge moved outwards by r.
func (w *Wall) grown(r int64) Wall {
	if w.Radius > 0 {
		return Wall{X: w.X, Y: w.Y, Radius: w.Radius + r}
	}
	return Wall{Left: w.Left - r, North: w.North - r, Right: w.Right + r, South: w.South + r}
}

// Corners of a box, and of the eight-sided frame of a circle, in thousandths of the way from the middle to an edge.
var (
	boxCorners   = [][2]int64{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}
	frameCorners = [][2]int64{{-1000, -414}, {-414, -1000}, {414, -1000}, {1000, -414}, {1000, 414}, {414, 1000},
		{-414, 1000}, {-1000, 414}}
)

// Around returns where a body of radius r that wants to go from a to b should go first to get past the walls between
// them: the corner that makes the way shortest, of those corners of walls in its way that it can reach straight and
// stand at. The corners keep spare off the walls. Without one, ok is false.
func (g *Ground) Around(ax, ay, bx, by, r, spare int64) (x, y int64, ok bool) {
	best := int64(0)
	for i := range g.Walls {
		w := g.Walls[i].grown(r)
		if !w.blocks(ax, ay, bx, by) {
			continue
		}
		corners := boxCorners
		if w.Radius > 0 {
			corners = frameCorners
		}
		for _, c := range corners {
			cx, cy := w.corner(c, spare)
			if cx == ax && cy == ay || !g.Free(cx, cy, r) || !g.Clear(ax, ay, cx, cy, r) {
				continue
			}
			way := Root((cx-ax)*(cx-ax)+(cy-ay)*(cy-ay)) + Root((bx-cx)*(bx-cx)+(by-cy)*(by-cy))
			if !ok || way < best {
				x, y, best, ok = cx, cy, way, true
			}
		}
	}
	return x, y, ok
}

func (w *Wall) corner(c [2]int64, spare int64) (x, y int64) {
	if w.Radius > 0 {
		far := w.Radius + spare
		return w.X + far*c[0]/1000, w.Y + far*c[1]/1000
	}
	if x = w.Left - spare; c[0] > 0 {
		x = w.Right + spare
	}
	if y = w.North - spare; c[1] > 0 {
		y = w.South + spare
	}
	return x, y
}

// Until returns how far one sees from a towards b: the last point, to the millimetre, before a wall (b itself where
// none is between). One that stands in a wall sees nothing.
func (g *Ground) Until(ax, ay, bx, by int64) (x, y int64) {
	if g.Sees(ax, ay, bx, by) {
		return bx, by
	}
	dx, dy := bx-ax, by-ay
	long := max(abs(dx), abs(dy), 1)
	lo, hi := int64(0), long // one sees lo of long, and not hi
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; g.Sees(ax, ay, ax+dx*mid/long, ay+dy*mid/long) {
			lo = mid
		} else {
			hi = mid
		}
	}
	return ax + dx*lo/long, ay + dy*lo/long
}

// Cut returns where the way from a, within the ground, to b ends at the ground's edge; b itself where it stays inside.
func (g *Ground) Cut(ax, ay, bx, by int64) (x, y int64) {
	dx, dy := bx-ax, by-ay
	if dx != 0 && (bx < 0 || bx > g.Width) {
		edge := g.Width
		if bx < 0 {
			edge = 0
		}
		by, bx = ay+dy*(edge-ax)/dx, edge
	}
	if dy != 0 && (by < 0 || by > g.Height) {
		edge := g.Height
		if by < 0 {
			edge = 0
		}
		bx, by = ax+dx*(edge-ay)/dy, edge
	}
	return bx, by
}
