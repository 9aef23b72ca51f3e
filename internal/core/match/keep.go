package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// keepRecord brings a player's record up to date with what the match gave.
func (m *Match) keepRecord(s *Player) {
	if m.practice() || m.run.broken != "" || !s.Row.Flag(m.book.F.Player.Loaded) {
		return
	}
	kept := m.book.F.Record.Kept
	for i, r := range m.book.Record {
		m.subject(sheet.Player, s.Row)
		if r.Of == nil || r.If != nil && !r.If.Bool(&m.env) {
			continue
		}
		v := r.Of.Value(&m.env, r.Field.Type)
		if m.env.Fault != 0 {
			continue
		}
		had, now := s.Record.Int(r.Field), v.N[0]
		first := s.Record.Int(kept)&(1<<i) == 0
		switch r.Keep {
		case rulebook.KeepTotal:
			m.st.SetInt(s.Record, r.Field, saturating(had, now))
		case rulebook.KeepBest:
			if first || now > had {
				m.st.SetInt(s.Record, r.Field, now)
			}
		case rulebook.KeepLowest:
			if first || now < had {
				m.st.SetInt(s.Record, r.Field, now)
			}
		default:
			m.st.Set(s.Record, r.Field, v)
		}
		m.st.SetInt(s.Record, kept, s.Record.Int(kept)|1<<i)
	}
}

// SaveRecord asks the driver to save a player's record as it is.
func (m *Match) SaveRecord(s *Player) {
	if !s.Row.Flag(m.book.F.Player.Loaded) || m.practice() || len(m.book.Record) == 0 {
		return
	}
	e := step.Effect{Kind: step.SaveRecord, Seat: s.Row.ID, Account: s.Row.Text(m.book.F.Player.Account)}
	for _, f := range m.book.Schema.Fields(sheet.Record) {
		e.Values = append(e.Values, step.Named{Name: f.Name, Value: s.Record.Get(f)})
	}
	m.out.Do(e)
}
