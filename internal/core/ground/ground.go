// Package ground is the exact geometry of a playing area: integers in whole
// millimetres, no floating point, so that every machine finds the same.
package ground

import (
	"math"
	"math/bits"
)

// MaxSide is the longest side of a ground, in millimetres. Every coordinate and
// length handed to this package must be within it.
const MaxSide = 1000 * 1000

// Ground is a playing area from (0, 0) to (Width, Height) with walls in it.
type Ground struct {
	Width, Height int64
	Walls         []Wall
}

// Wall is a box, or a circle when Radius is above 0.
type Wall struct {
	Left, Top, Right, Bottom int64
	X, Y, Radius             int64
}

// Touches tells whether a circle of radius r around a point overlaps the wall's
// inside; touching its edge does not count.
func (w *Wall) Touches(x, y, r int64) bool {
	if w.Radius > 0 {
		dx, dy, d := x-w.X, y-w.Y, w.Radius+r
		return dx*dx+dy*dy < d*d
	}
	dx := max(w.Left-x, 0, x-w.Right)
	dy := max(w.Top-y, 0, y-w.Bottom)
	if dx == 0 && dy == 0 { // the centre is in the box or on its edge
		return r > 0 || x > w.Left && x < w.Right && y > w.Top && y < w.Bottom
	}
	return dx*dx+dy*dy < r*r
}

// Free tells whether a circle of radius r around a point lies within the
// ground and overlaps no wall.
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

// Move takes a body of radius r from (x, y) by dx east and then by dy south, as
// far as bounds and walls let it. A body that stands in a wall may leave it.
func (g *Ground) Move(x, y, dx, dy, r int64) (int64, int64) {
	left, right := min(x, x+dx)-r, max(x, x+dx)+r
	top, bottom := min(y, y+dy)-r, max(y, y+dy)+r
	tx, ty := held(x, dx, r, g.Width), held(y, dy, r, g.Height)
	clear := true
	for i := range g.Walls {
		clear = clear && !g.Walls[i].meets(left, top, right, bottom)
	}
	if clear {
		return tx, ty
	}
	for i := range g.Walls {
		if w := &g.Walls[i]; w.meets(left, top, right, bottom) {
			lo, hi := w.span(y, r)
			tx = stop(x, tx, lo, hi)
		}
	}
	for i := range g.Walls {
		if w := &g.Walls[i]; w.meets(left, top, right, bottom) {
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

// stop holds a way from a to b at the open interval (lo, hi), if it has to be
// entered.
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
func (w *Wall) meets(left, top, right, bottom int64) bool {
	if w.Radius > 0 {
		return w.X+w.Radius >= left && w.X-w.Radius <= right && w.Y+w.Radius >= top && w.Y-w.Radius <= bottom
	}
	return w.Right >= left && w.Left <= right && w.Bottom >= top && w.Top <= bottom
}

// turned is the wall with its axes exchanged.
func (w *Wall) turned() Wall {
	return Wall{Left: w.Top, Top: w.Left, Right: w.Bottom, Bottom: w.Right, X: w.Y, Y: w.X, Radius: w.Radius}
}

// span is the open interval of x in which a body of radius r overlaps the wall
// when its centre is at height y. It is empty (lo >= hi) when none is.
func (w *Wall) span(y, r int64) (lo, hi int64) {
	if w.Radius > 0 {
		dy, d := y-w.Y, w.Radius+r
		if h := d*d - dy*dy; h > 0 {
			k := rootUp(h)
			return w.X - k, w.X + k
		}
		return 0, 0
	}
	dy := max(w.Top-y, 0, y-w.Bottom)
	if dy == 0 {
		if r == 0 && (y == w.Top || y == w.Bottom) {
			return 0, 0
		}
		return w.Left - r, w.Right + r
	}
	if h := r*r - dy*dy; h > 0 {
		k := rootUp(h)
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

func rootUp(n int64) int64 {
	r := Root(n)
	if r*r < n {
		r++
	}
	return r
}

// Sees tells whether the straight line from a to b passes through no wall's
// inside.
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
	if max(ax, bx) <= w.Left || min(ax, bx) >= w.Right || max(ay, by) <= w.Top || min(ay, by) >= w.Bottom {
		return false
	}
	if ax == bx && ay == by {
		return true
	}
	side := func(x, y int64) int64 { return (bx-ax)*(y-ay) - (by-ay)*(x-ax) }
	a, b, c, d := side(w.Left, w.Top), side(w.Right, w.Top), side(w.Left, w.Bottom), side(w.Right, w.Bottom)
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

// Passes tells whether the way from a to b comes within r of the origin, exactly r
// included.
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

// Line is a thick line: from (X, Y) towards (X+DX, Y+DY), Reach long, hitting
// what comes within Half of it.
type Line struct {
	X, Y, DX, DY, Reach, Half int64
}

// Hits tells whether the centre of something with radius r is on the thick
// line, and how far along: the along values of two hits can be compared.
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
