package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Held makes the match hold its rulebook's promises, as it does in practice, or no longer.
func (m *rules) Held(on bool) { m.promised = on }

// holdPromises tells which promises the present state breaks, each once in a match. Nothing else follows from it, so it
// is no part of the state.
func (m *rules) holdPromises(end bool) {
	if len(m.book.Promises) == 0 || m.row == nil || !m.promised && !m.practice() {
		return
	}
	if m.broke.match != m.count {
		m.broke = broken{match: m.count}
	}
	was := m.env
	for _, p := range m.book.Promises {
		if end != (p.Kind == rulebook.PromiseByTheEnd) || m.broke.set&(1<<p.No) != 0 || p.Is == nil ||
			p.Phases&(1<<m.phase) == 0 {
			continue
		}
		if of, breaks := m.breaks(p); breaks {
			m.broke.set |= 1 << p.No
			m.out.Do(step.Effect{Kind: step.PromiseBroken, N: int64(p.No), Seat: of, Text: p.Text})
			if m.practice() {
				m.out.Tell(step.Notice{Notice: rulebook.PromiseNotice, Values: []sheet.Value{sheet.TextValue(p.Text),
					sheet.IntValue(sheet.Integer, int64(p.Line))}})
			}
		}
	}
	m.env = was
}

// broken is which promises were broken in a match.
type broken struct {
	match int64
	set   uint64
}

// breaks finds the first sheet for which a promise does not hold.
func (m *rules) breaks(p *rulebook.Promise) (of sheet.ID, yes bool) {
	wrong := func(r *sheet.Row) bool {
		m.subject(p.For, r)
		return m.yes(p.Is, p.Line) == (p.Kind == rulebook.PromiseNever)
	}
	if p.For == sheet.Match {
		return 0, wrong(m.row)
	}
	for _, r := range m.subjects(p.For) {
		switch {
		case p.For == sheet.Creature && p.Kinds&(1<<r.Int(m.book.F.Creature.Kind)) == 0,
			p.For == sheet.Player && !r.Flag(m.book.F.Player.Playing):
		case wrong(r):
			return r.ID, true
		}
	}
	return 0, false
}
