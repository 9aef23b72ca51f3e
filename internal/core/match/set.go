package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// maxClock is the most milliseconds that a clock is set to by hand: a hundred days.
const maxClock = 100 * 24 * 3600 * 1000

// SetByHand sets a field by hand, in practice lobbies: a clock in milliseconds, which goes on running as it was.
func (m *referee) SetByHand(in *step.Input) step.Verdict {
	if !m.practice() {
		return step.Verdict{Code: code.NotPractice, Reason: "this is not a practice lobby"}
	}
	r := m.st.Get(in.Target)
	if r == nil {
		return step.Verdict{Code: code.NoField, Reason: fmt.Sprintf("there is no sheet %d", in.Target)}
	}
	f := m.book.Schema.Field(r.Kind, in.Name)
	switch {
	case f == nil || f.See == sheet.Hidden || f.BuiltIn && f.Name != "pos":
		return step.Verdict{Code: code.NoField,
			Reason: fmt.Sprintf("the %s sheet has no field %q that is set by hand", r.Kind, in.Name)}
	case f.Derived:
		return step.Verdict{Code: code.NoField, Reason: in.Name + " is derived from other fields; set those"}
	}
	if v := m.maySet(f, in.Value); v.Code != code.OK {
		return v
	}
	m.setNow(r, f, in.Value)
	return step.Verdict{}
}

// maySet tells whether a field takes a value from outside.
func (m *referee) maySet(f *sheet.Field, v sheet.Value) step.Verdict {
	switch {
	case v.Type == sheet.Unreadable:
		return wrongType(f, v)
	case f.Type != v.Type || !f.Fits(v) || f.Type == sheet.Ref && v.N[0] != 0 &&
		m.st.GetOr(sheet.ID(v.N[0]), f.Of).ID == 0:
		return step.Verdict{Code: code.BadArgument, Reason: fmt.Sprintf("%s is of type %s", f.Name, f.Type)}
	case f.Bounded && f.Clamp(v.N[0]) != v.N[0]:
		return step.Verdict{Code: code.OutOfRange, Reason: fmt.Sprintf("%s is from %s to %s", f.Name,
			sheet.IntValue(f.Type, f.Min).Show(f, 0, 0), sheet.IntValue(f.Type, f.Max).Show(f, 0, 0))}
	}
	return step.Verdict{}
}

// setNow sets a field from outside.
func (m *referee) setNow(r *sheet.Row, f *sheet.Field, v sheet.Value) {
	switch f.Type {
	case sheet.Text:
		v.S = sheet.Cut(v.S, int(f.Max))
	case sheet.Position, sheet.Position3:
		switch p := pointIn(v); {
		case f == m.book.F.Player.Pos:
			m.motion.putDown(r, p)
		case f.BuiltIn:
			putAt(m.st, r, f, m.motion.within(p))
			m.startFrom(r)
		default:
			putAt(m.st, r, f, m.motion.within(p))
		}
		return
	case sheet.Clock:
		at := m.clockNow(f)
		m.st.SetClock(r, f, sheet.Ticks(min(max(v.N[0], 0), maxClock), m.book.Rate), r.N[f.Slot()+1], at)
		return
	}
	if f.Limit > 0 && (f.Type == sheet.Integer || f.Type == sheet.Number) {
		v.N[0] = m.values.held(r, f, v.N[0])
	}
	m.st.Set(r, f, v)
}
