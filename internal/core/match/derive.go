package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// startOf is what a field of a sheet begins with.
func (m *values) startOf(r *sheet.Row, f *sheet.Field) sheet.Value {
	if l := m.book.LimitOf(f); l != nil && l.Start != nil && m.has(r, l.Kinds) {
		return m.startBy(l, r)
	}
	var starts []rulebook.Begin
	switch r.Kind {
	case sheet.Creature:
		starts = m.creature(r).Starts
	case sheet.Zone:
		starts = m.book.Zones[r.Int(m.book.F.Zone.Kind)].Starts
	case sheet.Piece:
		starts = m.book.Pieces[r.Int(m.book.F.Piece.Kind)].Starts
	}
	for i := range starts {
		if starts[i].Field == f {
			return starts[i].Value
		}
	}
	return f.Start
}

// derive brings derived fields up to date where something that they read has changed, and then what is bounded by
// expressions.
func (m *values) derive() {
	if !m.plainly && !m.st.AnyTouched() && len(m.book.Derives) == 0 {
		return
	}
	m.deriveAll()
	for range maxHolds {
		if len(m.book.Limits) == 0 || !m.holdBounds() {
			return
		}
		m.deriveAll()
	}
}

func (m *values) deriveAll() {
	for _, d := range m.book.Derived {
		reads := &d.Is.Reads
		if m.plainly || reads.Clock || d.Is.TouchedAny(m.st.Touched()) {
			for _, r := range m.st.Of(d.Kind) {
				m.deriveRow(d, r)
			}
			continue
		}
		own := &reads.Own[d.Kind]
		if !own.Meets(&m.st.Touched()[d.Kind]) {
			continue
		}
		hot := m.st.Hot()
		for i := 0; i < len(hot); i++ { // deriving may make others hot, but not through what this one reads
			if r := hot[i]; r.Kind == d.Kind && r.Touched.Meets(own) {
				m.deriveRow(d, r)
			}
		}
	}
}

func (m *values) deriveRow(d *rulebook.Derived, r *sheet.Row) {
	if !m.has(r, d.Kinds) {
		return
	}
	m.subject(d.Kind, r)
	m.st.Set(r, d.Field, d.Is.Value(&m.env, d.Field.Type))
	m.faulty(d.Line)
}
