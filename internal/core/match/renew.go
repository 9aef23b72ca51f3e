package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Visit notes that a player whose record has come is here today, and when they were before.
func (m *kept) Visit(p *Player) {
	c := m.book.Calendar
	seen, today := m.book.Schema.Field(sheet.Record, rulebook.SeenDay), m.lobby.Int(c.Day)
	m.st.SetInt(p.Record, c.Last, p.Record.Int(seen))
	if p.Record.Int(seen) != today {
		m.change(p.Record, seen, step.ChangeSet, sheet.IntValue(sheet.Integer, today))
	}
	m.Renew(p)
}

// Renew lets fields of a player's record start over whose day or week is not the present one.
func (m *kept) Renew(p *Player) {
	for _, r := range m.book.Record {
		if r.Since == nil {
			continue
		}
		now := m.lobby.Int(m.book.Calendar.Day)
		if r.Renew == rulebook.RenewWeekly {
			now = m.lobby.Int(m.book.Calendar.Week)
		}
		if p.Record.Int(r.Since) == now {
			continue
		}
		if p.Record.Get(r.Field) != r.Field.Start {
			m.change(p.Record, r.Field, step.ChangeSet, r.Field.Start)
		}
		m.change(p.Record, r.Since, step.ChangeSet, sheet.IntValue(sheet.Integer, now))
	}
}
