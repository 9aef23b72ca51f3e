package match

import (
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// placeIn is the place in a position field; on flat ground it is at 0.
func placeIn(r *sheet.Row, f *sheet.Field) (p ground.Point) {
	p.X, p.Y = r.Pos(f)
	p.Z = r.Height(f)
	return p
}

// pointIn is the place that a value holds.
func pointIn(v sheet.Value) ground.Point { return ground.Point{X: v.N[0], Y: v.N[1], Z: v.N[2]} }

// putAt puts a place into a position field, and tells whether it was another.
func putAt(st *sheet.Store, r *sheet.Row, f *sheet.Field, p ground.Point) bool {
	return st.SetPlace(r, f, p.X, p.Y, p.Z)
}

// from is a place as seen from another one.
func from(p, eye ground.Point) ground.Point {
	return ground.Point{X: p.X - eye.X, Y: p.Y - eye.Y, Z: p.Z - eye.Z}
}

// square is the square of how long a way is.
func square(way ground.Point) int64 { return way.X*way.X + way.Y*way.Y + way.Z*way.Z }

// inReach tells whether two places are no farther apart than reach.
func inReach(a, b ground.Point, reach int64) bool { return square(from(a, b)) <= reach*reach }

// where is the field that holds where a player, a creature or a piece is.
func where(m *stage, r *sheet.Row) *sheet.Field {
	switch r.Kind {
	case sheet.Player:
		return m.book.F.Player.Pos
	case sheet.Creature:
		return m.book.F.Creature.Pos
	}
	return m.book.F.Piece.Pos
}

// at is where a player, a creature or a piece is: the middle of its feet.
func (m *stage) at(r *sheet.Row) ground.Point { return placeIn(r, where(m, r)) }

// playersBody is the body of every player.
func playersBody(m *stage) ground.Body {
	if m.book.Movement == nil {
		return ground.Body{}
	}
	return m.book.Movement.Body
}

// middleOf is the middle of a body: reach, nearest and sight run from middle to middle.
func middleOf(m *stage, r *sheet.Row) ground.Point {
	p := m.at(r)
	p.Z += m.book.Body(r).Tall / 2
	return p
}

// eyeOf is where somebody looks from: lines, and what blocks them, begin there.
func eyeOf(m *stage, r *sheet.Row) ground.Point {
	p := m.at(r)
	if r.Kind == sheet.Player && m.book.Movement != nil {
		p.Z += m.book.Movement.Eye
	} else {
		p.Z += m.book.Body(r).Tall * 9 / 10
	}
	return p
}

// sees tells whether no wall is between two places.
func sees(g *rulebook.Ground, a, b ground.Point) bool {
	if g.Tall == 0 {
		return g.Sees(a.X, a.Y, b.X, b.Y)
	}
	return g.SeesOver(a, b)
}

// until is how far one sees from a towards b.
func until(g *rulebook.Ground, a, b ground.Point) ground.Point {
	if g.Tall == 0 {
		b.X, b.Y = g.Until(a.X, a.Y, b.X, b.Y)
		return b
	}
	return g.UntilOver(a, b)
}

// cut is where the way from a to b ends within the ground.
func cut(g *rulebook.Ground, a, b ground.Point) ground.Point {
	if g.Tall == 0 {
		b.X, b.Y = g.Cut(a.X, a.Y, b.X, b.Y)
		return b
	}
	return g.CutOver(a, b)
}

// held is a place, held within the ground as far as a body of that radius and height allows.
func heldIn(g *rulebook.Ground, p ground.Point, b ground.Body) ground.Point {
	r := b.Radius
	if g.Width < 2*r || g.Height < 2*r {
		r = 0
	}
	p.X, p.Y = min(max(p.X, r), g.Width-r), min(max(p.Y, r), g.Height-r)
	p.Z = min(max(p.Z, 0), max(g.Tall-b.Tall, 0))
	return p
}

// meets tells whether two bodies overlap or touch: b stands at p as seen from a.
func meets(p ground.Point, a, b ground.Body) bool {
	r := a.Radius + b.Radius
	return p.X*p.X+p.Y*p.Y <= r*r && p.Z <= a.Tall && -p.Z <= b.Tall
}

func inRange(n int64) bool { return n >= -ground.MaxSide && n <= ground.MaxSide }

// isPlace tells whether a place can be reckoned with.
func isPlace(p ground.Point) bool { return inRange(p.X) && inRange(p.Y) && inRange(p.Z) }
