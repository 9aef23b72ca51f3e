package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
)

// glide is a number on its way to a value: by so much from one play tick to another, of which some is done.
type glide struct {
	of          sheet.ID
	field       int
	from, until sheet.Tick
	by, done    int64
}

// maxGlides is how many numbers are on their way at once; further ones are there at once.
const maxGlides = 1000

// glideTo sends a number on its way, and tells whether it has not to be there at once.
func (m *values) glideTo(r *sheet.Row, f *sheet.Field, to, ticks int64) bool {
	m.arrive(r, f)
	if ticks <= 0 || m.row == nil || len(m.glides) >= maxGlides {
		return false
	}
	m.glides = append(m.glides, glide{of: r.ID, field: f.No, from: m.play, until: m.play + sheet.Tick(ticks),
		by: f.Clamp(to) - r.Int(f)})
	return true
}

// arrive ends the way of a number where it is.
func (m *values) arrive(r *sheet.Row, f *sheet.Field) {
	if len(m.glides) > 0 {
		m.glides = slices.DeleteFunc(m.glides, func(g glide) bool { return g.of == r.ID && g.field == f.No })
	}
}

// glideOn moves numbers by what is due at a tick. What else changes them in between stays.
func (m *values) glideOn() {
	m.glides = slices.DeleteFunc(m.glides, func(g glide) bool { return m.st.Get(g.of) == nil })
	for i := range m.glides {
		g := &m.glides[i]
		r := m.st.Get(g.of)
		f := m.book.Schema.Fields(r.Kind)[g.field]
		done := portion(g.by, int64(min(m.play, g.until)-g.from), int64(g.until-g.from))
		to := saturating(r.Int(f), done-g.done)
		if g.done = done; f.Limit > 0 {
			to = m.held(r, f, to)
		}
		m.st.SetInt(r, f, to)
	}
	m.glides = slices.DeleteFunc(m.glides, func(g glide) bool { return m.play >= g.until })
}

// portion is a part of a number, rounded towards 0, without an overflow between.
func portion(n, part, of int64) int64 { return n/of*part + n%of*part/of }

func (m *values) walkGlides(w *state.Walk) {
	state.List(w, "glides", &m.glides, func(g *glide) {
		state.Int(w, "of", &g.of)
		state.Int(w, "field", &g.field)
		state.Int(w, "from", &g.from)
		state.Int(w, "until", &g.until)
		state.Int(w, "by", &g.by)
		state.Int(w, "done", &g.done)
		if r := m.st.Get(g.of); w.Restoring() && !w.Failed() && (g.until <= g.from || g.field < 0 ||
			r != nil && g.field >= len(m.book.Schema.Fields(r.Kind))) {
			w.Fail("a number on its way that cannot be")
		}
	})
}
