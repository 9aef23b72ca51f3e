package ground

import "slices"

// Grid is where walkers of one build can stand on a tall ground, and how they get from one place to the next. It is
// made once; after that any number of goroutines use it.
type Grid struct {
	g          *Ground
	w          Walker
	size       int64 // of a cell
	cols, rows int64
	first      []int32 // by cell: its first node; one more at the end
	nodes      []node
}

// node is a place to stand in the middle of a cell.
type node struct {
	p    Point
	next [4]int32 // where one comes that walks east, south, west, north; none below 0
}

// leastCell is the least size of a grid's cell, in millimetres.
const leastCell = 500

// Grid returns the grid of a ground for walkers of a build, with most places to stand at most.
func (g *Ground) Grid(w Walker, most int) *Grid {
	x := &Grid{g: g, w: w, size: leastCell}
	for {
		x.cols, x.rows = max(g.Width/x.size, 1), max(g.Height/x.size, 1)
		if cells := x.cols * x.rows; cells == 1 || cells <= int64(most) && x.stand(most) {
			x.stand(max(most, len(g.Walls)+1))
			break
		}
		x.size += x.size / 2
	}
	for i := range x.nodes {
		x.link(&x.nodes[i])
	}
	return x
}

// stand finds the places to stand in each cell. It is false where there are too many.
func (x *Grid) stand(most int) bool {
	x.first, x.nodes = x.first[:0], x.nodes[:0]
	for row := range x.rows {
		for col := range x.cols {
			x.first = append(x.first, int32(len(x.nodes)))
			p := Point{X: col*x.size + x.size/2, Y: row*x.size + x.size/2}
			for _, p.Z = range x.g.floors(p.X, p.Y) {
				if x.g.stands(p, &x.w) {
					x.nodes = append(x.nodes, node{p: p})
				}
			}
			if len(x.nodes) > most {
				return false
			}
		}
	}
	x.first = append(x.first, int32(len(x.nodes)))
	return true
}

// stands tells whether a walker can stand at a place: nothing holds it off but what it could step upon from there.
func (g *Ground) stands(p Point, b *Walker) bool {
	if !g.Room(p, Body{Tall: b.Tall}) || p.X < b.Radius || p.Y < b.Radius || p.X > g.Width-b.Radius ||
		p.Y > g.Height-b.Radius {
		return false
	}
	var near Near
	here := g.Part(p, 0, 0, b.Radius, &near)
	step := b.Step + here.gradient(p, b)
	return !slices.ContainsFunc(g.Walls, func(w Wall) bool {
		return w.Rises == RiseNot && w.Low < p.Z+b.Tall && w.High > p.Z+step && w.Touches(p.X, p.Y, b.Radius)
	})
}

// floors are the heights at which there is a floor at a point, from below.
func (g *Ground) floors(px, py int64) (list []int64) {
	if !g.Open {
		list = append(list, 0)
	}
	for i := range g.Walls {
		if w := &g.Walls[i]; w.Over(px, py) && w.Top(px, py) < g.Tall {
			list = append(list, w.Top(px, py))
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// link finds where one comes from a place in the four ways.
func (x *Grid) link(n *node) {
	for i, way := range [4][2]int64{{1, 0}, {0, 1}, {-1, 0}, {0, -1}} {
		n.next[i] = -1
		q, on, left := n.p, true, x.size
		for left > 0 && on {
			by := min(left, stride)
			left -= by
			was := q
			if q, on = x.g.Walk(q, way[0]*by, way[1]*by, x.w, true); q.X == was.X && q.Y == was.Y {
				break
			}
		}
		if !on { // over an edge, and down
			q.X, q.Y = q.X+way[0]*left, q.Y+way[1]*left
			q.Z, on = x.g.Floor(q.X, q.Y, q.Z)
			left = 0
		}
		if to := x.at(q); on && to >= 0 && x.nodes[to].p == q && left == 0 {
			n.next[i] = to
		}
	}
}

// at is the place to stand in a point's cell that is nearest in height; -1 for none.
func (x *Grid) at(p Point) int32 {
	col, row := p.X/x.size, p.Y/x.size
	if p.X < 0 || p.Y < 0 || col >= x.cols || row >= x.rows {
		return -1
	}
	cell, best := row*x.cols+col, int32(-1)
	for i := x.first[cell]; i < x.first[cell+1]; i++ {
		if best < 0 || abs(x.nodes[i].p.Z-p.Z) < abs(x.nodes[best].p.Z-p.Z) {
			best = i
		}
	}
	return best
}

// around is the place to stand nearest to a point: in its cell, or in one beside it.
func (x *Grid) around(p Point) int32 {
	if n := x.at(p); n >= 0 && abs(x.nodes[n].p.Z-p.Z) <= x.w.Step {
		return n
	}
	best, least := int32(-1), int64(0)
	for dy := -x.size; dy <= x.size; dy += x.size {
		for dx := -x.size; dx <= x.size; dx += x.size {
			n := x.at(Point{p.X + dx, p.Y + dy, p.Z})
			if n < 0 {
				continue
			}
			q := x.nodes[n].p
			if d := abs(q.X-p.X) + abs(q.Y-p.Y) + 4*abs(q.Z-p.Z); best < 0 || d < least {
				best, least = n, d
			}
		}
	}
	return best
}

// maxSearch is how many places a search for a way looks at, at most.
const maxSearch = 8192

// How far along a way it is tried to walk straight, in places; and in which strides that is tried, as many at most, in
// millimetres.
const (
	farthest = 12
	strides  = 64
	stride   = 200
)

// Way returns where a walker should go first to get from a place to another: as far along the shortest way of the grid
// as can be walked to straight. It is false where no way is found.
func (x *Grid) Way(from, to Point) (via Point, ok bool) {
	begin, end := x.around(from), x.around(to)
	if begin < 0 || end < 0 {
		return via, false
	}
	way := x.search(begin, end)
	if len(way) == 0 {
		return via, false
	}
	via = x.nodes[way[min(1, len(way)-1)]].p
	for i := min(farthest, len(way)-1); i > 1; i = i * 2 / 3 {
		p := x.nodes[way[i]].p
		if x.Straight(from, p) {
			return p, true
		}
	}
	return via, true
}

// Straight tells whether one walks from a place straight to another, in small strides; beyond the
// farthest that is tried it says no.
func (x *Grid) Straight(from, to Point) bool {
	if from.Z == 0 && to.Z == 0 && !x.g.Open && x.clear(from, to) {
		return true
	}
	for range strides {
		dx, dy := to.X-from.X, to.Y-from.Y
		long := max(abs(dx), abs(dy))
		if long == 0 {
			return from.Z == to.Z
		}
		if long > stride {
			dx, dy = dx*stride/long, dy*stride/long
		}
		q, on := x.g.Walk(from, dx, dy, x.w, true)
		if !on || q.X != from.X+dx || q.Y != from.Y+dy {
			return false
		}
		from = q
	}
	return false
}

// clear tells whether no wall is in the way between two places on the floor at 0.
func (x *Grid) clear(from, to Point) bool {
	for i := range x.g.Walls {
		if w := &x.g.Walls[i]; w.Low < x.w.Tall {
			if grown := w.grown(x.w.Radius); grown.blocks(from.X, from.Y, to.X, to.Y) {
				return false
			}
		}
	}
	return true
}

// reached is how a search has come to a place: the place before, and 1 and how far it is; 0 where it has not. A grid
// has fewer places than 2^16, and a search goes no farther than it looks at.
type reached struct{ from, gone uint16 }

// search is the shortest way between two places to stand, both included; none where it is not found soon enough. It
// goes by how far a way is at least, as the crow walks in a town: each stride leaves that as it is or makes it two
// longer, so that two heaps of places suffice.
func (x *Grid) search(begin, end int32) (way []int32) {
	goal := x.nodes[end].p
	left := func(n int32) int32 {
		return int32((abs(x.nodes[n].p.X-goal.X) + abs(x.nodes[n].p.Y-goal.Y)) / x.size)
	}
	seen := make([]reached, len(x.nodes))
	seen[begin] = reached{uint16(begin), 1}
	whole, now, later := 1+left(begin), []int32{begin}, []int32(nil)
	for looked := 0; looked < maxSearch; looked++ {
		if len(now) == 0 {
			if now, later, whole = later, now, whole+2; len(now) == 0 {
				return nil
			}
		}
		n := now[len(now)-1]
		now = now[:len(now)-1]
		if n == end {
			for way = append(way, n); n != begin; way = append(way, n) {
				n = int32(seen[n].from)
			}
			slices.Reverse(way)
			return way
		}
		gone := int32(seen[n].gone)
		if gone+left(n) != whole {
			continue // it has been come to on a shorter way
		}
		for _, to := range x.nodes[n].next {
			if to < 0 || seen[to].gone != 0 && gone+1 >= int32(seen[to].gone) {
				continue
			}
			if seen[to] = (reached{uint16(n), uint16(gone + 1)}); gone+1+left(to) == whole {
				now = append(now, to)
			} else {
				later = append(later, to)
			}
		}
	}
	return nil
}
