package match

import (
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// touch finds who touches which pieces.
type touch struct {
	*stage
	near   *nearby
	pieces *pieces
}

// touchesWait tells whether touches are to be looked for at the next tick of play: somebody or something may have
// moved, or a condition of theirs may have changed.
func (m *touch) touchesWait() bool {
	return !m.book.Phases[m.phase].Frozen &&
		(m.stirred || len(m.st.Of(sheet.Piece)) > 0 && m.anyRuns(m.book.TouchAwaits))
}

// touchPieces finds the bodies that have reached a piece, or passed one, since it was last looked, and does what
// touching it does. A body touches a piece once until it has left it.
func (m *touch) touchPieces() {
	if !m.touchesWait() {
		return
	}
	m.stirred = false
	list := m.st.Of(sheet.Piece)
	start := len(m.hits)
	m.hits = append(m.hits, list...)
	m.gatherWays()
	for i := start; i < start+len(list) && i < len(m.hits); i++ {
		r := m.hits[i]
		p := m.book.Pieces[r.Int(m.book.F.Piece.Kind)]
		if p.Shot == nil && (len(p.Touch) > 0 || p.Bearer != rulebook.NoPiece) && m.st.Get(r.ID) == r {
			m.touchPiece(r, p)
		}
		if p.Shot == nil && len(p.Meets) > 0 && m.st.Get(r.ID) == r {
			m.meetPiece(r, p)
		}
	}
	m.hits = m.hits[:start]
	m.env.Piece = nil
	for _, body := range m.st.Seated {
		m.arrived(body, m.book.F.Player.Pos, m.book.F.Player.Was)
	}
	for _, r := range m.st.Of(sheet.Piece) {
		m.arrived(r, m.book.F.Piece.Pos, m.book.F.Piece.Was)
	}
	for _, r := range m.st.Of(sheet.Creature) {
		m.arrived(r, m.book.F.Creature.Pos, m.book.F.Creature.Was)
	}
}

// way is how a player has gone since it was last looked who touches what.
type way struct {
	row    *sheet.Row
	x, y   int64
	ox, oy int64
}

// gatherWays notes the ways of all players side by side, for every piece to be held against. What touching does may put
// somebody elsewhere; then it is to be done anew.
func (m *touch) gatherWays() {
	m.near.bodies.ways = m.near.bodies.ways[:0]
	if m.book.F.Player.Pos == nil {
		return
	}
	pos, was := m.book.F.Player.Pos.Slot(), m.book.F.Player.Was.Slot()
	for _, r := range m.st.Seated {
		n := r.N
		m.near.bodies.ways = append(m.near.bodies.ways, way{row: r, x: n[pos], y: n[pos+1], ox: n[was], oy: n[was+1]})
	}
}

// arrived ends the way that has been looked at.
func (m *touch) arrived(r *sheet.Row, pos, was *sheet.Field) {
	if pos != nil {
		p, w := pos.Slot(), was.Slot()
		if r.N[w], r.N[w+1] = r.N[p], r.N[p+1]; pos.Type == sheet.Position3 {
			r.N[w+2] = r.N[p+2]
		}
	}
}

// touchPiece looks which bodies touch one piece. Seen from the piece, which may have moved too, each body has gone from
// (sx, sy) to (ex, ey).
func (m *touch) touchPiece(r *sheet.Row, p *rulebook.Piece) {
	f, pf := &m.book.F.Piece, &m.book.F.Player
	x, y := r.Pos(f.Pos)
	ox, oy := r.Pos(f.Was)
	reach, deep := p.Radius+m.radius(), m.book.Schema.Deep
	left := m.touched(r)
	for i := 0; i < len(m.near.bodies.ways); i++ {
		w := &m.near.bodies.ways[i]
		ex, sx, ey, sy := w.x-x, w.ox-ox, w.y-y, w.oy-oy
		if !left && max(min(ex, sx), -max(ex, sx), min(ey, sy), -max(ey, sy)) > reach { // beyond it all the way
			continue
		}
		body := w.row
		alive := body.Flag(pf.Alive)
		on := alive && near(ex, ey, 0, 0, reach)
		passes := !on && alive && !deep && ground.Passes(sx, sy, ex, ey, reach)
		if deep && alive {
			on, passes = m.touchOver(r, body, p.Body, playersBody(m.stage))
		}
		before := left && m.touching(r, body)
		switch {
		case before && !on:
			m.pieces.setTouching(r, body, false)
		case !before && (on || passes):
			m.touch(r, p, body, on)
			m.gatherWays()
			if m.st.Get(r.ID) != r {
				return
			}
		}
	}
}

// touchOver tells whether a body touches a piece on tall ground, or has passed it.
func (m *touch) touchOver(piece, body *sheet.Row, p, b ground.Body) (on, passes bool) {
	f := &m.book.F.Piece
	pos, was := m.book.F.Player.Pos, m.book.F.Player.Was
	if body.Kind == sheet.Creature {
		pos, was = m.book.F.Creature.Pos, m.book.F.Creature.Was
	}
	end := from(placeIn(body, pos), placeIn(piece, f.Pos))
	if on = meets(end, p, b); !on {
		begin := from(placeIn(body, was), placeIn(piece, f.Was))
		passes = ground.PassesAt(begin, end, p.Radius+b.Radius, -b.Tall, p.Tall)
	}
	return on, passes
}

// meetPiece looks which creatures have come upon a piece, or passed it.
func (m *touch) meetPiece(r *sheet.Row, p *rulebook.Piece) {
	f, cf := &m.book.F.Piece, &m.book.F.Creature
	x, y := r.Pos(f.Pos)
	ox, oy := r.Pos(f.Was)
	list := m.st.Of(sheet.Creature)
	start := len(m.hits)
	m.hits = append(m.hits, list...)
	for i := start; i < start+len(list) && m.st.Get(r.ID) == r; i++ {
		c := m.hits[i]
		if m.st.Get(c.ID) != c || !c.Flag(cf.Alive) {
			continue
		}
		ex, ey := c.Pos(cf.Pos)
		sx, sy := c.Pos(cf.Was)
		kind := m.creature(c)
		reach := p.Radius + kind.Radius
		if sx, sy = sx-ox, sy-oy; m.book.Schema.Deep {
			before := meets(from(placeIn(c, cf.Was), placeIn(r, f.Was)), p.Body, kind.Body)
			if on, passes := m.touchOver(r, c, p.Body, kind.Body); before || !on && !passes {
				continue
			}
		} else if near(sx, sy, 0, 0, reach) || !ground.Passes(sx, sy, ex-x, ey-y, reach) {
			continue
		}
		m.subject(sheet.Creature, c)
		m.env.Piece = r
		m.do(p.Meets)
		m.gatherWays()
	}
	m.hits = m.hits[:start]
}

// touch does what touching a piece does, if its condition holds.
func (m *touch) touch(r *sheet.Row, p *rulebook.Piece, body *sheet.Row, stays bool) {
	m.subject(sheet.Player, body)
	m.env.Piece = r
	if p.If != nil && !m.yes(p.If, p.Line) {
		return
	}
	m.pieces.setTouching(r, body, stays)
	if p.Bearer != rulebook.NoPiece {
		m.st.SetInt(m.row, m.book.Bearers[p.Bearer].Field, int64(body.ID))
	}
	m.do(p.Touch)
	if p.Bearer != rulebook.NoPiece && m.st.Get(r.ID) == r { // what it did could see the piece
		m.pieces.removePiece(r)
	}
}

// touched tells whether any body was on a piece when it was last looked at.
func (m *touch) touched(piece *sheet.Row) bool {
	for _, f := range m.book.F.Piece.Touching {
		if piece.Int(f) != 0 {
			return true
		}
	}
	return false
}

// touching tells whether a body was on a piece, and had touched it, when it was last looked at.
func (m *touch) touching(piece, body *sheet.Row) bool {
	f, bit := m.pieces.touchBit(body)
	return piece.Int(f)&bit != 0
}
