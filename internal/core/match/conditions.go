package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Holds evaluates a condition on a player, which stands in a line.
func (m *rules) Holds(s *Player, p *expr.Prog, line int) bool {
	m.subject(sheet.Player, s.Row)
	return m.yes(p, line)
}

// Carry does what follows from a vote: for who opened it as me, with whom it was on as target, and the chosen word as
// the first argument.
func (m *rules) Carry(list []rulebook.Effect, by, on sheet.ID, choice int64) {
	m.subject(sheet.Player, m.st.GetOr(by, sheet.Player))
	m.env.Target = m.st.GetOr(on, sheet.Player)
	m.acts.clearArgs()
	m.env.Arg.N[0] = choice
	m.do(list)
	m.env.Target = nil
}

// may tells whether a condition may have become another one since the ends were last looked at.
func (m *rules) may(p *expr.Prog) bool {
	return p.Reads.Clock || p.Const || p.Touched(&m.changed)
}

func (m *rules) unseen() {
	for k := range m.changed {
		m.changed[k] = everything
	}
}

// holds evaluates a condition on the match as a whole, which stands in a line.
func (m *rules) holds(p *expr.Prog, line int) bool {
	m.subject(sheet.Match, m.row)
	return m.yes(p, line)
}
