package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
)

// kick removes a player from the lobby at the host's word.
func (m *Machine) kick(s *seat, id sheet.ID) Verdict {
	t := m.seat(id)
	switch {
	case !m.hostIs(s):
		return Verdict{Code: code.NotHost, Reason: "only the host removes players"}
	case t == nil:
		return Verdict{Code: code.NoSeat, Reason: "there is no such seat in this lobby"}
	case t == s:
		return Verdict{Code: code.WrongTarget, Reason: "leave instead of removing yourself"}
	}
	m.effect(Effect{Kind: Drop, Seat: t.row.ID, Account: t.row.Text(m.book.F.Player.Account), Reason: code.Kicked})
	m.leaveSeat(t)
	return Verdict{}
}

// handOver makes another player the host.
func (m *Machine) handOver(s *seat, id sheet.ID) Verdict {
	t := m.seat(id)
	switch {
	case !m.hostIs(s):
		return Verdict{Code: code.NotHost, Reason: "only the host hands the lobby over"}
	case t == nil || t.gone:
		return Verdict{Code: code.NoSeat, Reason: "there is no such seat in this lobby"}
	}
	m.st.SetInt(m.lobby, m.book.F.Lobby.Host, int64(t.row.ID))
	return Verdict{}
}

// setField sets a field by hand, in practice lobbies.
func (m *Machine) setField(in *Input) Verdict {
	if !m.lobby.Flag(m.book.F.Lobby.Practice) {
		return Verdict{Code: code.NotPractice, Reason: "this is not a practice lobby"}
	}
	r := m.st.Get(in.Target)
	if r == nil {
		return Verdict{Code: code.NoField, Reason: fmt.Sprintf("there is no sheet %d", in.Target)}
	}
	f := m.book.Schema.Field(r.Kind, in.Name)
	switch {
	case f == nil || f.See == sheet.Hidden || f.BuiltIn && f.Name != "pos":
		return Verdict{Code: code.NoField, Reason: fmt.Sprintf("the %s sheet has no field %q that is set by hand", r.Kind, in.Name)}
	case f.Derived:
		return Verdict{Code: code.NoField, Reason: in.Name + " is derived from other fields; set those"}
	case f.Type != in.Value.Type || !m.fits(f, in.Value) || f.Type == sheet.Ref && in.Value.N[0] != 0 && m.st.GetOr(sheet.ID(in.Value.N[0]), f.Of).ID == 0:
		return Verdict{Code: code.BadArgument, Reason: fmt.Sprintf("%s is of type %s", in.Name, f.Type)}
	case f.Bounded && f.Clamp(in.Value.N[0]) != in.Value.N[0]:
		return Verdict{Code: code.OutOfRange, Reason: fmt.Sprintf("%s is from %s to %s", in.Name,
			sheet.IntValue(f.Type, f.Min).Show(f, 0, 0), sheet.IntValue(f.Type, f.Max).Show(f, 0, 0))}
	}
	v := in.Value
	switch f.Type {
	case sheet.Text:
		v.S = cut(v.S, int(f.Max))
	case sheet.Position:
		v.N[0], v.N[1] = m.within(v.N[0], v.N[1])
		m.stirred = true
	case sheet.Clock:
		v.N[0], v.N[1], v.N[2] = max(v.N[0], 0), r.N[f.Slot()+1], int64(m.clockNow(f))
	}
	m.st.Set(r, f, v)
	return Verdict{}
}
