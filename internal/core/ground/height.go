package ground

import "math/bits"

// Point is a place: X east, Y south, Z up, in millimetres. Of a body it is the middle of its feet.
type Point struct{ X, Y, Z int64 }

// Body is an upright cylinder.
type Body struct{ Radius, Tall int64 }

// Walker is a body that walks: what is at most Step higher it steps upon, and ramps that rise at most Slope (in units
// of yaw, less than a quarter of a turn) it walks up.
type Walker struct {
	Body
	Step, Slope int64
}

// Rise is the way in which the top of a wall rises.
type Rise uint8

// The ways. A wall that rises is a ramp: its top goes from Low at one edge to High at the opposite one.
const (
	RiseNot Rise = iota
	RiseEast
	RiseSouth
	RiseWest
	RiseNorth
)

// run is how long a ramp is.
func (w *Wall) run() int64 {
	if w.Rises == RiseEast || w.Rises == RiseWest {
		return w.Right - w.Left
	}
	return w.South - w.North
}

// Top is how high a wall is above a point that it is over, rounded up.
func (w *Wall) Top(x, y int64) int64 {
	along := int64(0)
	switch w.Rises {
	case RiseNot:
		return w.High
	case RiseEast:
		along = x - w.Left
	case RiseWest:
		along = w.Right - x
	case RiseSouth:
		along = y - w.North
	case RiseNorth:
		along = w.South - y
	}
	return w.Low + over((w.High-w.Low)*along, w.run())
}

// over is a/b rounded up, of what is not below 0.
func over(a, b int64) int64 { return (a + b - 1) / b }

// Over tells whether a point is over a wall, its edge included.
func (w *Wall) Over(x, y int64) bool {
	if w.Radius > 0 {
		return (x-w.X)*(x-w.X)+(y-w.Y)*(y-w.Y) <= w.Radius*w.Radius
	}
	return x >= w.Left && x <= w.Right && y >= w.North && y <= w.South
}

// climbs tells whether a walker can walk up a ramp.
func (w *Walker) climbs(ramp *Wall) bool {
	c, s := Dir(w.Slope)
	return (ramp.High-ramp.Low)*c <= ramp.run()*s
}

// Place is the part of a tall ground in which a way may lead.
type Place struct {
	*Ground
	walls []*Wall // of all walls those that may be in the way
}

// Near is room for the walls of a place, of which there are seldom more.
type Near [8]*Wall

// Part is the part of a ground around the way of a body of radius r from a point by dx and dy.
func (g *Ground) Part(p Point, dx, dy, r int64, near *Near) Place {
	left, north, right, south := min(p.X, p.X+dx)-r, min(p.Y, p.Y+dy)-r, max(p.X, p.X+dx)+r, max(p.Y, p.Y+dy)+r
	walls := near[:0]
	if g.cells == nil {
		for i := range g.Walls {
			if w := &g.Walls[i]; w.meets(left, north, right, south) {
				walls = append(walls, w)
			}
		}
		return Place{g, walls}
	}
	for set := g.cells.near(left, north, right, south); set != 0; set &= set - 1 {
		if w := &g.Walls[bits.TrailingZeros64(set)]; w.meets(left, north, right, south) {
			walls = append(walls, w)
		}
	}
	return Place{g, walls}
}

// cells is which walls of a ground lie in which part of it: by rows of squares, a bit for each wall.
type cells struct {
	side  uint // of a square: two to this power, in millimetres
	walls [across * across]uint64
}

// across is how many squares there are each way, at most.
const across = 16

// Index makes looking for what is near faster, where the ground has no more walls than it can tell apart. The walls
// must not change any more.
func (g *Ground) Index() {
	if g.cells = nil; g.Tall == 0 || len(g.Walls) > 64 {
		return
	}
	c := &cells{side: uint(bits.Len64(uint64(max(g.Width, g.Height) / across)))}
	for i := range g.Walls {
		left, north, right, south := g.Walls[i].bounds()
		west, east, first, last := c.squares(left, north, right, south)
		for y := first; y <= last; y++ {
			for x := west; x <= east; x++ {
				c.walls[y*across+x] |= 1 << i
			}
		}
	}
	g.cells = c
}

// near is the walls that may be within a box.
func (c *cells) near(left, north, right, south int64) (walls uint64) {
	west, east, first, last := c.squares(left, north, right, south)
	for y := first; y <= last; y++ {
		for x := west; x <= east; x++ {
			walls |= c.walls[y*across+x]
		}
	}
	return walls
}

// squares are those that a box overlaps. What is off the ground counts to its edge.
func (c *cells) squares(left, north, right, south int64) (west, east, first, last int64) {
	at := func(n int64) int64 { return min(max(n, 0)>>c.side, across-1) }
	return at(left), at(right), at(north), at(south)
}

// Floor is the highest place to stand at above a point, none higher than z. There is none where the ground has no
// floor.
func (g *Ground) Floor(x, y, z int64) (height int64, ok bool) {
	var near Near
	here := g.Part(Point{X: x, Y: y}, 0, 0, 0, &near)
	return here.floor(x, y, z)
}

func (g *Place) floor(x, y, z int64) (height int64, ok bool) {
	ok = !g.Open && z >= 0
	for _, w := range g.walls {
		if w.Low > z || !w.Over(x, y) {
			continue
		}
		if top := w.Top(x, y); top <= z && (!ok || top > height) {
			height, ok = top, true
		}
	}
	return height, ok
}

// ceiling is how high above 0 the head of a body may come that stands at a point.
func (g *Place) ceiling(p Point, b Body) int64 {
	low := g.Tall
	for _, w := range g.walls {
		if w.Low > p.Z && w.Low < low && w.holds(p.X, p.Y, b.Radius) {
			low = w.Low
		}
	}
	return low
}

// holds tells whether a wall is above or below a body of radius r: a ramp holds its middle, and nobody at the edge
// where it is not yet high; other walls hold all of it.
func (w *Wall) holds(x, y, r int64) bool {
	if w.Rises != RiseNot {
		return w.Over(x, y) && w.Top(x, y) > w.Low
	}
	return w.Touches(x, y, r)
}

// Room tells whether a body at a point lies within the ground and overlaps no wall.
func (g *Ground) Room(p Point, b Body) bool {
	if p.X < b.Radius || p.Y < b.Radius || p.X > g.Width-b.Radius || p.Y > g.Height-b.Radius ||
		p.Z < 0 || p.Z+b.Tall > g.Tall {
		return false
	}
	for i := range g.Walls {
		w := &g.Walls[i]
		if w.Low >= p.Z+b.Tall || w.High <= p.Z || !w.holds(p.X, p.Y, b.Radius) {
			continue
		}
		if w.Rises == RiseNot || w.Top(p.X, p.Y) > p.Z {
			return false
		}
	}
	return true
}

// Walk takes a walker from p by dx east and then by dy south, as far as bounds and walls let it: up steps and ramps,
// and, where it stands, down them. It tells whether it stands then. Where it would have no room above the step that it
// takes, it stays where it is.
func (g *Ground) Walk(p Point, dx, dy int64, w Walker, stands bool) (q Point, on bool) {
	var near Near
	here := g.Part(p, dx, dy, w.Radius, &near)
	return here.Walk(p, dx, dy, &w, stands)
}

// Walk is that of the ground, on a way within the place.
func (g *Place) Walk(p Point, dx, dy int64, w *Walker, stands bool) (q Point, on bool) {
	if len(g.walls) == 0 && p.Z == 0 && stands && !g.Open {
		return Point{held(p.X, dx, w.Radius, g.Width), held(p.Y, dy, w.Radius, g.Height), 0}, true
	}
	q = g.along(p, held(p.X, dx, w.Radius, g.Width), w, false)
	q = g.along(q, held(p.Y, dy, w.Radius, g.Height), w, true)
	floor, is := g.floor(q.X, q.Y, q.Z+w.Step)
	if up := max(floor, q.Z); up > p.Z && (is || q.Z > p.Z) && g.ceiling(Point{q.X, q.Y, up}, w.Body) < up+w.Tall {
		q = p
		floor, is = g.floor(q.X, q.Y, q.Z+w.Step)
	}
	if down := w.Step + g.descent(p, q); stands && is && floor >= q.Z-down {
		q.Z = floor
		return q, true
	}
	return q, false
}

// descent is by how much more than a step a walker may come down at once on ramps, on its way from p to q.
func (g *Place) descent(p, q Point) (most int64) {
	for _, w := range g.walls {
		if w.Rises != RiseNot && w.Over(q.X, q.Y) {
			most = max(most, over((w.High-w.Low)*(abs(q.X-p.X)+abs(q.Y-p.Y)), w.run()))
		}
	}
	return most
}

// along takes a walker along one axis, to x as far as walls let it, and up the ramps on which it ends.
func (g *Place) along(p Point, to int64, b *Walker, turned bool) Point {
	from, side := p.X, p.Y
	if turned {
		from, side = p.Y, p.X
	}
	step := b.Step + g.gradient(p, b)
	for _, w := range g.walls {
		if w.Low >= p.Z+b.Tall || w.High <= p.Z {
			continue
		}
		if turned {
			t := w.turned()
			w = &t
		}
		if w.Rises != RiseNot {
			to = w.slopes(from, to, side, p.Z, b)
		} else if w.High > p.Z+step {
			lo, hi := w.span(side, b.Radius)
			if from > lo && from < hi { // it overlaps the wall, and may go on as long as its middle does not
				lo, hi = w.span(side, 0)
			}
			to = stop(from, to, lo, hi)
		}
	}
	if p.X = to; turned {
		p.X, p.Y = side, to
	}
	for _, w := range g.walls {
		if w.Rises != RiseNot && w.Low < p.Z+b.Tall && w.Over(p.X, p.Y) && b.climbs(w) {
			p.Z = max(p.Z, w.Top(p.X, p.Y))
		}
	}
	return p
}

// gradient is by how much a ramp on which a walker stands rises within its radius: so much higher may be what is at the
// ramp's end.
func (g *Place) gradient(p Point, b *Walker) (most int64) {
	for _, w := range g.walls {
		if w.Rises != RiseNot && w.Over(p.X, p.Y) && w.Top(p.X, p.Y) == p.Z && b.climbs(w) {
			most = max(most, over((w.High-w.Low)*b.Radius, w.run()))
		}
	}
	return most
}

// slopes is how far towards x the middle of a walker at height z comes before a ramp stops it.
func (w *Wall) slopes(from, to, y, z int64, b *Walker) int64 {
	if y < w.North || y > w.South || max(from, to) < w.Left || min(from, to) > w.Right {
		return to
	}
	enter := min(max(from, w.Left), w.Right)
	if enter != from && w.topOf(enter, y) > z+b.Step {
		if enter == w.Left {
			return w.Left - 1
		}
		return w.Right + 1
	}
	if high := w.topOf(enter, y); high > z+b.Step && high == w.Low && w.topOf(to, y) > high {
		return from // under its low edge
	} else if high > z+b.Step || b.climbs(w) {
		return to // it is in the ramp and may leave it, or climbs it
	}
	up := w.Rises == RiseEast && to > from || w.Rises == RiseWest && to < from
	if !up {
		return to
	}
	z = max(z, w.topOf(enter, y)) // as high as it may come on a ramp that is too steep
	far := (z - w.Low) * w.run() / (w.High - w.Low)
	if far >= w.run() {
		return to
	}
	if w.Rises == RiseEast {
		return min(to, max(w.Left+far, enter))
	}
	return max(to, min(w.Right-far, enter))
}

// topOf is Top, held within the wall.
func (w *Wall) topOf(x, y int64) int64 {
	return w.Top(min(max(x, w.Left), w.Right), min(max(y, w.North), w.South))
}

// Fall takes a walker up or down by dz, as far as floors and ceilings let it. Below 0 it falls on where there is no
// floor, no deeper than the ground is tall.
func (g *Ground) Fall(p Point, dz int64, w Walker) (q Point, stopped bool) {
	var near Near
	here := g.Part(p, 0, 0, w.Radius, &near)
	return here.Fall(p, dz, &w)
}

// Fall is that of the ground, where the place goes as far as the walker's radius around the point.
func (g *Place) Fall(p Point, dz int64, w *Walker) (q Point, stopped bool) {
	q = p
	floor, is := g.floor(p.X, p.Y, p.Z+w.Step)
	if dz > 0 {
		top := max(g.ceiling(p, w.Body)-w.Tall, p.Z)
		if q.Z = min(p.Z+dz, top); is {
			q.Z = max(q.Z, floor)
		}
		return q, q.Z < p.Z+dz
	}
	if q.Z = max(p.Z+dz, -g.Tall); is && q.Z <= floor {
		q.Z = floor
	}
	return q, is && q.Z == floor || q.Z == -g.Tall
}

// Fly takes a body from p by d: east, then south, then up or down, as far as bounds, floors and walls let it.
func (g *Ground) Fly(p, d Point, b Body) Point {
	var near Near
	here := g.Part(p, d.X, d.Y, b.Radius, &near)
	w := Walker{Body: b}
	p = here.along(p, held(p.X, d.X, b.Radius, g.Width), &w, false)
	p = here.along(p, held(p.Y, d.Y, b.Radius, g.Height), &w, true)
	if d.Z > 0 {
		p.Z = min(p.Z+d.Z, max(here.ceiling(p, b)-b.Tall, p.Z))
	} else if d.Z < 0 {
		p.Z = max(p.Z+d.Z, min(here.under(p, b.Radius), p.Z))
	}
	return p
}

// under is the highest place that holds a body from below.
func (g *Place) under(p Point, r int64) (high int64) {
	if g.Open {
		high = -g.Tall
	}
	for _, w := range g.walls {
		if w.Low < p.Z && w.holds(p.X, p.Y, r) {
			top := w.High
			if w.Rises != RiseNot {
				top = w.Top(p.X, p.Y)
			}
			if top <= p.Z {
				high = max(high, top)
			}
		}
	}
	return high
}
