package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// giveBearers hands the things that one player holds out at random.
func (m *Match) giveBearers() {
	for i := range m.book.Bearers {
		b := &m.book.Bearers[i]
		m.passBearer(b, b.Start, nil)
	}
}

// bearersWithout passes on what a leaving player holds.
func (m *Match) bearersWithout(p *sheet.Row) {
	for i := range m.book.Bearers {
		if b := &m.book.Bearers[i]; m.row.Int(b.Field) == int64(p.ID) {
			m.passBearer(b, b.Gone, p)
		}
	}
}

// passBearer gives a bearer to somebody at random, the living first, or to nobody.
func (m *Match) passBearer(b *rulebook.Bearer, how rulebook.Heir, not *sheet.Row) {
	if how == rulebook.HeirNone {
		m.st.SetInt(m.row, b.Field, 0)
		return
	}
	start := len(m.hits)
	for _, alive := range []bool{true, false} {
		for _, p := range m.st.Seated {
			if p != not && p.Flag(m.book.F.Player.Alive) == alive {
				m.hits = append(m.hits, p)
			}
		}
		if len(m.hits) > start {
			break
		}
	}
	id := sheet.ID(0)
	if n := len(m.hits) - start; n > 0 {
		id = m.hits[start+m.rng.IntN(n)].ID
	}
	m.hits = m.hits[:start]
	m.st.SetInt(m.row, b.Field, int64(id))
}
