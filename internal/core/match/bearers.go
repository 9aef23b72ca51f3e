package match

import (
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// giveBearers hands the things that one player holds out at random.
func (m *pieces) giveBearers() {
	for i := range m.book.Bearers {
		b := &m.book.Bearers[i]
		m.passBearer(b, b.Start, nil)
	}
}

// bearersFrom passes on what a player holds, by the policy for what has happened.
func (m *pieces) bearersFrom(p *sheet.Row, policy func(*rulebook.Bearer) rulebook.Heir) {
	if m.row == nil {
		return
	}
	for i := range m.book.Bearers {
		if b := &m.book.Bearers[i]; policy(b) != rulebook.HeirKeep && m.row.Int(b.Field) == int64(p.ID) {
			m.passBearer(b, policy(b), p)
		}
	}
}

// bearersWithout passes on what a leaving player holds.
func (m *pieces) bearersWithout(p *sheet.Row) {
	m.bearersFrom(p, func(b *rulebook.Bearer) rulebook.Heir { return b.Gone })
}

// bearersAgain hands out what somebody always has to the first who comes after all have left.
func (m *pieces) bearersAgain() {
	for i := range m.book.Bearers {
		always := m.book.Bearers[i].Start == rulebook.HeirRandom && m.book.Bearers[i].Gone == rulebook.HeirRandom
		if b := &m.book.Bearers[i]; always && m.row.Int(b.Field) == 0 {
			m.passBearer(b, b.Gone, nil)
		}
	}
}

// bearersOut passes on what a player holds who is out, once the rules for that have seen who held it.
func (m *pieces) bearersOut(p *sheet.Row) {
	m.bearersFrom(p, func(b *rulebook.Bearer) rulebook.Heir { return b.Out })
}

// Away passes on what a player holds whose connection is lost.
func (m *pieces) Away(p *Player) {
	if m.Has(p) {
		m.bearersFrom(p.Row, func(b *rulebook.Bearer) rulebook.Heir { return b.Away })
	}
}

// passBearer gives a bearer to somebody at random, the living first, or to nobody, or puts it down where its holder is.
func (m *pieces) passBearer(b *rulebook.Bearer, how rulebook.Heir, holder *sheet.Row) {
	switch {
	case how == rulebook.HeirNone, how == rulebook.HeirDrop && m.putDown(b, holder):
		m.st.SetInt(m.row, b.Field, 0)
		return
	}
	start := len(m.hits)
	for _, alive := range []bool{true, false} {
		for _, p := range m.st.Seated {
			if p != holder && p.Flag(m.book.F.Player.Alive) == alive {
				m.hits = append(m.hits, p)
			}
		}
		if len(m.hits) > start {
			break
		}
	}
	id := sheet.ID(0)
	if n := len(m.hits) - start; n > 0 {
		id = m.hits[start+draw(m.stage, lots.Bearer, uint32(b.Field.No)).IntN(n)].ID
	}
	m.hits = m.hits[:start]
	m.hold(b, id)
}

// hold makes a player the holder of a bearer, wherever it was before.
func (m *pieces) hold(b *rulebook.Bearer, id sheet.ID) {
	m.st.SetInt(m.row, b.Field, int64(id))
	if b.Piece == rulebook.NoPiece || id == 0 {
		return
	}
	list := m.st.Of(sheet.Piece)
	for i := len(list) - 1; i >= 0; i-- {
		if r := list[i]; r.Int(m.book.F.Piece.Kind) == int64(b.Piece) {
			m.removePiece(r)
			list = m.st.Of(sheet.Piece)
		}
	}
}

// putDown lays a bearer on the ground where its holder is, who has to step off it before they can take it up again. It
// tells whether there was room for one more piece.
func (m *pieces) putDown(b *rulebook.Bearer, holder *sheet.Row) bool {
	if b.Piece == rulebook.NoPiece || holder == nil || len(m.st.Of(sheet.Piece)) >= maxPieces {
		return false
	}
	r := m.placeAt(b.Piece, m.laid(m.book.Pieces[b.Piece], m.at(holder)))
	if holder.Flag(m.book.F.Player.Alive) {
		m.setTouching(r, holder, true)
	}
	return true
}

// layDown carries out the effect that gives a bearer to nobody.
func (m *pieces) layDown(b *rulebook.Bearer) {
	if b.Piece == rulebook.NoPiece {
		m.st.SetInt(m.row, b.Field, 0)
		return
	}
	if p := m.playing(sheet.ID(m.row.Int(b.Field))); p != nil {
		m.passBearer(b, rulebook.HeirDrop, p.Row)
	}
}
