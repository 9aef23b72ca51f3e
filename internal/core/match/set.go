package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// setField sets a field by hand, in practice lobbies.
func (m *Match) SetByHand(in *step.Input) step.Verdict {
	if !m.lobby.Flag(m.book.F.Lobby.Practice) {
		return step.Verdict{Code: code.NotPractice, Reason: "this is not a practice lobby"}
	}
	r := m.st.Get(in.Target)
	if r == nil {
		return step.Verdict{Code: code.NoField, Reason: fmt.Sprintf("there is no sheet %d", in.Target)}
	}
	f := m.book.Schema.Field(r.Kind, in.Name)
	switch {
	case f == nil || f.See == sheet.Hidden || f.BuiltIn && f.Name != "pos":
		return step.Verdict{Code: code.NoField, Reason: fmt.Sprintf("the %s sheet has no field %q that is set by hand", r.Kind, in.Name)}
	case f.Derived:
		return step.Verdict{Code: code.NoField, Reason: in.Name + " is derived from other fields; set those"}
	case f.Type != in.Value.Type || !f.Fits(in.Value) || f.Type == sheet.Ref && in.Value.N[0] != 0 && m.st.GetOr(sheet.ID(in.Value.N[0]), f.Of).ID == 0:
		return step.Verdict{Code: code.BadArgument, Reason: fmt.Sprintf("%s is of type %s", in.Name, f.Type)}
	case f.Bounded && f.Clamp(in.Value.N[0]) != in.Value.N[0]:
		return step.Verdict{Code: code.OutOfRange, Reason: fmt.Sprintf("%s is from %s to %s", in.Name,
			sheet.IntValue(f.Type, f.Min).Show(f, 0, 0), sheet.IntValue(f.Type, f.Max).Show(f, 0, 0))}
	}
	v := in.Value
	switch f.Type {
	case sheet.Text:
		v.S = sheet.Cut(v.S, int(f.Max))
	case sheet.Position:
		v.N[0], v.N[1] = m.within(v.N[0], v.N[1])
		m.stirred = true
	case sheet.Clock:
		v.N[0], v.N[1], v.N[2] = max(v.N[0], 0), r.N[f.Slot()+1], int64(m.clockNow(f))
	}
	m.st.Set(r, f, v)
	return step.Verdict{}
}
