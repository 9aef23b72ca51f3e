package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// values works out what fields hold: their starts, their bounds, what is derived, lists.
type values struct {
	*stage
	glides []glide
}

// held is a value as the bounds by expression of its field let it stand on a sheet.
func (m *values) held(r *sheet.Row, f *sheet.Field, v int64) int64 {
	l := m.book.LimitOf(f)
	if l == nil || !m.has(r, l.Kinds) {
		return v
	}
	was := m.env
	m.subject(l.Kind, r)
	v = m.bounded(l, f.Clamp(v))
	m.env = was
	return v
}

// bounded holds a value between the bounds for the present subject; where the lower one is above the upper one, that
// counts.
func (m *values) bounded(l *rulebook.Limit, v int64) int64 {
	for i, p := range [2]*expr.Prog{l.Max, l.Min} {
		if p == nil {
			continue
		}
		m.env.Fault = expr.OK
		n := p.Value(&m.env, l.Field.Type).N[0]
		m.faulty(l.Line)
		switch {
		case m.env.Fault != expr.OK:
		case i == 0:
			v = min(v, n)
		default:
			v = max(v, n)
		}
	}
	return v
}

// holdBounds brings values within their bounds by expression, where one of these or the value has changed. It tells
// whether any had to be.
func (m *values) holdBounds() (any bool) {
	for _, l := range m.book.Limits {
		for _, p := range [2]*expr.Prog{l.Min, l.Max} {
			if p == nil || !m.plainly && !p.Reads.Clock && !p.Touched(m.st.Touched()) &&
				!m.st.Touched()[l.Kind].Has(l.Field.No) {
				continue
			}
			for _, r := range m.st.Of(l.Kind) {
				if !m.has(r, l.Kinds) {
					continue
				}
				m.subject(l.Kind, r)
				if m.st.SetInt(r, l.Field, m.bounded(l, r.Int(l.Field))) {
					any = true
				}
			}
			break
		}
	}
	return any
}

// begin gives the fields of a sheet that reset at a point what they begin with by expression. Derived fields are
// brought up to date before it.
func (m *values) begin(r *sheet.Row, at sheet.Reset) {
	if len(m.glides) > 0 {
		for _, f := range m.book.Schema.Fields(r.Kind) {
			if f.Reset >= at {
				m.arrive(r, f)
			}
		}
	}
	for _, l := range m.book.Limits {
		m.beginOne(l, r, at)
	}
}

func (m *values) beginOne(l *rulebook.Limit, r *sheet.Row, at sheet.Reset) {
	if l.Start == nil || l.Kind != r.Kind || l.Field.Reset < at || !m.has(r, l.Kinds) {
		return
	}
	was := m.env
	m.derive()
	m.st.Set(r, l.Field, m.startOf(r, l.Field))
	m.env = was
}

// startBy is what a field begins with by expression.
func (m *values) startBy(l *rulebook.Limit, r *sheet.Row) sheet.Value {
	was := m.env
	m.subject(l.Kind, r)
	m.env.Fault = expr.OK
	v := l.Start.Value(&m.env, l.Field.Type)
	m.faulty(l.Line)
	switch {
	case m.env.Fault != expr.OK:
		v = l.Field.Start
	case l.Field.Type == sheet.Clock:
		v = sheet.Value{Type: sheet.Clock, N: [3]int64{sheet.Ticks(max(v.N[0], 0), m.book.Rate)}}
	case l.Field.Type == sheet.Integer || l.Field.Type == sheet.Number:
		v.N[0] = m.bounded(l, l.Field.Clamp(v.N[0]))
	}
	m.env = was
	return v
}
