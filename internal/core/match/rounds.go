package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// beginRound counts the round and resets what resets with it.
func (m *flow) beginRound() {
	m.round++
	m.st.SetInt(m.row, m.book.F.Match.Round, m.round)
	if m.round > 1 { // the match's own start has just done all this
		if a := m.book.Arenas; a != nil && a.Rounds {
			m.motion.enterArena()
		}
		m.turns.newRoundOfTurns()
		m.st.ResetRow(m.row, sheet.ResetRound)
		m.values.begin(m.row, sheet.ResetRound)
		for _, t := range m.teams {
			m.st.ResetRow(t, sheet.ResetRound)
			m.values.begin(t, sheet.ResetRound)
		}
		for _, s := range m.players {
			if s.Row.Flag(m.book.F.Player.Playing) {
				m.st.ResetRow(s.Row, sheet.ResetRound)
				m.values.begin(s.Row, sheet.ResetRound)
				m.motion.spawn(s)
			}
		}
		m.pieces.clearPieces()
		m.creatures.clearCreatures()
		m.zones.resetZones()
		m.pieces.giveBearers()
	}
	m.stirred = true
	for i := range m.pieces.pieceNext {
		m.pieces.pieceNext[i] = 0
	}
	m.emit(rulebook.OnRound, nil)
}

// roundOver counts the round for its winner and says what follows.
func (m *flow) roundOver(next int, because string) (int, string) {
	r := m.book.Rounds
	m.values.derive()
	if m.kept.saveAt > 0 { // what the round brought is kept with its end
		m.kept.saveAt = m.wall
	}
	order := m.ends.contestants()
	m.ends.rank(order, r.Order, false)
	f := m.ends.roundsField()
	if len(order) > 0 && (len(order) == 1 || m.ends.compare(order[0], order[1], r.Order, false) != 0) {
		m.st.SetInt(order[0], f, order[0].Int(f)+1)
	}
	lead, behind := int64(0), int64(0)
	for _, c := range order {
		if n := c.Int(f); n > lead {
			lead, behind = n, lead
		} else if n > behind {
			behind = n
		}
	}
	left := int64(r.Most) - m.round
	switch {
	case r.FirstTo > 0 && lead >= int64(r.FirstTo):
		return rulebook.EndOfMatch, "rounds"
	case r.FirstTo > 0 && r.Most < 2*r.FirstTo && lead-behind > left: // best of: nobody can catch up
		return rulebook.EndOfMatch, "rounds"
	case left > 0:
		if next == rulebook.EndOfMatch { // the phase would end the match, but rounds are left to play
			next = r.Phase
		}
		return next, because
	case lead == behind && r.Tied != rulebook.EndOfMatch:
		return r.Tied, "rounds"
	}
	return rulebook.EndOfMatch, "rounds"
}
