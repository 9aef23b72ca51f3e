package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// shots lets pieces fly, and hit.
type shots struct {
	*stage
	near   *nearby
	aims   *aims
	pieces *pieces
}

// shotsFly tells whether any shot is in flight.
func (m *shots) shotsFly() bool {
	for no, p := range m.book.Pieces {
		if p.Shot != nil && m.pieces.pieceCount[no] > 0 {
			return true
		}
	}
	return false
}

// send sets a shot flying with the speed of its kind, from whoever is at hand.
func (m *shots) send(r *sheet.Row, p *rulebook.Piece, dir ground.Point) {
	f := &m.book.F.Piece
	if d := ground.Root(square(dir)); d > 0 {
		was := m.env.Piece
		m.env.Piece = r
		speed := paceOf(m.stage, &p.Shot.Speed, fastestShot)
		m.env.Piece = was
		putAt(m.st, r, f.Way, ground.Point{X: dir.X * speed / d, Y: dir.Y * speed / d, Z: dir.Z * speed / d})
	}
	maker := m.env.Being
	if maker == nil {
		if maker = m.env.Me; maker != nil {
			m.st.SetInt(r, f.Owner, int64(maker.ID))
		}
	}
	if maker != nil {
		m.st.SetInt(r, f.Maker, int64(maker.ID))
		r.Team = maker.Team
	}
}

// flyShots takes every shot one tick further.
func (m *shots) flyShots() {
	list := m.st.Of(sheet.Piece)
	start := len(m.hits)
	m.hits = append(m.hits, list...) // what is hit may change the list
	for i := start; i < start+len(list) && i < len(m.hits); i++ {
		r := m.hits[i]
		if m.st.Get(r.ID) != r {
			continue
		}
		if p := m.book.Pieces[r.Int(m.book.F.Piece.Kind)]; p.Shot != nil {
			m.fly(r, p)
		}
	}
	m.hits = m.hits[:start]
	m.env.Piece, m.env.Being = nil, nil
}

// fly takes one shot a tick further: to the first that it meets, a wall, or on.
func (m *shots) fly(r *sheet.Row, p *rulebook.Piece) {
	f, g, unit := &m.book.F.Piece, m.ground(), ground.ShareOf(int64(m.book.Rate))
	if g.Tall > 0 {
		m.flyOver(r, p, unit)
		return
	}
	at, way, rest := placeIn(r, f.Pos), placeIn(r, f.Way), placeIn(r, f.Rest)
	x, y := way.X+rest.X, way.Y+rest.Y
	dx, dy := unit.Of(x), unit.Of(y)
	put(r, f.Rest, ground.Point{X: x - dx*unit.By, Y: y - dy*unit.By})
	to := ground.Point{X: at.X + dx, Y: at.Y + dy}
	end, met := stop(g, at, to, p.Shot.Walls != rulebook.ShotIgnores)
	if !m.strike(r, p, at, end) {
		return
	}
	if putAt(m.st, r, f.Pos, end); end != to {
		m.met(at, end, way, met)
		m.meetWall(r, p, end.X, end.Y)
	}
}

// met notes where a shot is stopped, from where, and by what.
func (m *shots) met(begins, stops, dir ground.Point, what int64) {
	if m.book.Met {
		m.env.Aim.N[expr.AimMet.Slot()] = what
	}
	m.aims.way(begins, stops, dir)
}

// strike does what happens to those whom a shot meets on its way, in the order in which it meets them, and tells
// whether it flies on.
func (m *shots) strike(r *sheet.Row, p *rulebook.Piece, at, end ground.Point) bool {
	f := &m.book.F.Piece
	lastAlong, last := int64(-1)<<62, -1
	for {
		along, next := m.nextMet(r, p, at, end, lastAlong, last)
		if next < 0 {
			return true
		}
		lastAlong, last = along, next
		sq := square(from(end, at))
		if share := min(max(along, 0), sq); sq > 0 {
			putAt(m.st, r, f.Pos, onward(at, from(end, at), share, sq))
		}
		if !m.hit(r, p, m.near.bodies.list[next].row) {
			return false
		}
	}
}

// nextMet finds the body that a shot meets next on its way in this tick, behind the one that it has met last; of equals
// the earlier in the list. It returns how far along it is, and its place; -1 for none.
func (m *shots) nextMet(r *sheet.Row, p *rulebook.Piece, at, end ground.Point, lastAlong int64, last int) (int64, int) {
	x, y, ex, ey := at.X, at.Y, end.X, end.Y
	maker := m.st.Get(sheet.ID(r.Int(m.book.F.Piece.Maker)))
	from := maker
	if from == nil {
		from = r
	}
	keep := expr.Relation(p.Shot.Who.String())
	best, next := int64(0), -1
	all, room := &m.near.bodies, m.near.bodies.spread+p.Radius
	east, north, south := max(x, ex)+room, min(y, ey)-room, max(y, ey)+room
	for k := all.from(min(x, ex) - room); k < len(all.byX); k++ {
		i := all.byX[k].at
		b := &all.list[i]
		if all.byX[k].x > east {
			break
		}
		if !b.alive || b.y < north && b.oy < north || b.y > south && b.oy > south ||
			(i < all.players) && !p.Shot.Players || b.row == maker {
			continue
		}
		along := (b.x-x)*(ex-x) + (b.y-y)*(ey-y)
		if len(all.up) > 0 {
			along += (all.up[i].z - at.Z) * (end.Z - at.Z)
		}
		if along < lastAlong || along == lastAlong && i <= last ||
			next >= 0 && (along > best || along == best && i > next) {
			continue
		}
		if keep(from, b.row) && m.meets(r, p, i, at, end) && m.st.Get(b.row.ID) == b.row && m.alive(b.row) {
			best, next = along, i
		}
	}
	return best, next
}

// meets tells whether the way of a shot in this tick comes upon a body, which may have moved too.
func (m *shots) meets(r *sheet.Row, p *rulebook.Piece, i int, at, end ground.Point) bool {
	b := &m.near.bodies.list[i]
	if b.row.Kind == sheet.Creature && p.Shot.Creatures&(1<<b.row.Int(m.book.F.Creature.Kind)) == 0 {
		return false
	}
	reach := p.Radius + b.reach
	sx, sy, tx, ty := at.X-b.ox, at.Y-b.oy, end.X-b.x, end.Y-b.y
	if up := m.near.bodies.up; len(up) > 0 {
		s, t := ground.Point{X: sx, Y: sy, Z: at.Z - up[i].oz}, ground.Point{X: tx, Y: ty, Z: end.Z - up[i].z}
		if body := (ground.Body{Radius: b.reach, Tall: up[i].tall}); p.Shot.Pierce && meets(s, body, p.Body) &&
			m.play > sheet.Tick(r.Int(m.book.F.Piece.Born))+1 {
			return false
		}
		return ground.PassesAt(s, t, reach, -p.Tall, up[i].tall)
	}
	if p.Shot.Pierce && near(sx, sy, 0, 0, reach) && m.play > sheet.Tick(r.Int(m.book.F.Piece.Born))+1 {
		return false // it flies through this one already
	}
	return ground.Passes(sx, sy, tx, ty, reach)
}

// hit does what a shot does to one, and tells whether it flies on.
func (m *shots) hit(r *sheet.Row, p *rulebook.Piece, b *sheet.Row) bool {
	m.subject(b.Kind, b)
	m.env.Piece = r
	if b.Kind == sheet.Player {
		m.do(p.Touch)
	} else {
		m.do(p.Meets)
	}
	if m.st.Get(r.ID) != r {
		return false
	}
	if !p.Shot.Pierce {
		m.pieces.removePiece(r)
	}
	return p.Shot.Pierce
}

// bounces does what happens when a shot meets something that it does not hit, and tells whether it bounces off;
// otherwise it is gone.
func (m *shots) bounces(r *sheet.Row, p *rulebook.Piece) bool {
	m.subject(sheet.Piece, r)
	m.do(p.Shot.Wall)
	if m.st.Get(r.ID) != r {
		return false
	}
	if p.Shot.Walls != rulebook.ShotBounces {
		m.pieces.removePiece(r)
		return false
	}
	return true
}

// meetWall does what happens where a shot meets a wall or the ground's edge.
func (m *shots) meetWall(r *sheet.Row, p *rulebook.Piece, x, y int64) {
	if !m.bounces(r, p) {
		return
	}
	f, g := &m.book.F.Piece, m.ground()
	wx, wy := r.Pos(f.Way)
	east, south := x+sign(wx), y+sign(wy)
	openX := east >= 0 && east <= g.Width && g.Sees(x, y, east, y)
	openY := south >= 0 && south <= g.Height && g.Sees(x, y, x, south)
	switch {
	case openX && !openY:
		wy = -wy
	case openY && !openX:
		wx = -wx
	default: // into a corner
		wx, wy = -wx, -wy
	}
	m.st.SetPos(r, f.Way, wx, wy)
	put(r, f.Rest, ground.Point{})
}

func sign(n int64) int64 { return min(max(n, -1), 1) }
