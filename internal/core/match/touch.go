package match

import "turnvex.example/turnvex/internal/core/sheet"

// touchPieces finds the bodies that have reached a piece and does what touching
// it does. A body touches a piece once until it has left it.
func (m *Match) touchPieces() {
	f, pf := &m.book.F.Piece, &m.book.F.Player
	list := m.st.Of(sheet.Piece)
	if !m.stirred || len(list) == 0 || m.book.Phases[m.run.phase].Frozen {
		return
	}
	m.stirred = false
	start := len(m.hits)
	m.hits = append(m.hits, list...)
	for i := start; i < start+len(list) && i < len(m.hits); i++ {
		r := m.hits[i]
		p := m.book.Pieces[r.Int(f.Kind)]
		if len(p.Touch) == 0 {
			continue
		}
		x, y := r.Pos(f.Pos)
		reach := p.Radius + m.radius()
		left, slot := m.touched(r), pf.Pos.Slot()
		for _, body := range m.st.Seated {
			dx := x - body.N[slot]
			if !left && (dx > reach || dx < -reach) {
				continue
			}
			dy := y - body.N[slot+1]
			on := dx <= reach && dx >= -reach && dy <= reach && dy >= -reach && dx*dx+dy*dy <= reach*reach &&
				body.Flag(pf.Alive)
			if (on || left) && m.touchEdge(r, body, on) {
				m.subject(sheet.Player, body)
				m.env.Piece = r
				if p.If == nil || p.If.Bool(&m.env) {
					m.do(p.Touch)
				}
				if m.st.Get(r.ID) != r {
					break
				}
			}
		}
	}
	m.hits = m.hits[:start]
	m.env.Piece = nil
}

// touched tells whether any body was on a piece when it was last looked at.
func (m *Match) touched(piece *sheet.Row) bool {
	for _, f := range m.book.F.Piece.Touching {
		if piece.Int(f) != 0 {
			return true
		}
	}
	return false
}

// touchEdge notes whether a body is on a piece and tells whether it has just
// come onto it.
func (m *Match) touchEdge(piece, body *sheet.Row, on bool) bool {
	slot := body.Int(m.book.F.Player.Slot)
	f := m.book.F.Piece.Touching[slot/60]
	bit, was := int64(1)<<(slot%60), piece.Int(f)
	if on == (was&bit != 0) {
		return false
	}
	m.st.SetInt(piece, f, was^bit)
	return on
}

// touchesWait tells whether touches are to be looked for at the next tick of play.
func (m *Match) touchesWait() bool {
	return m.stirred && len(m.st.Of(sheet.Piece)) > 0 && !m.book.Phases[m.run.phase].Frozen
}
