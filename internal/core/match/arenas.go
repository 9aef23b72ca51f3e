package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// enterArena goes to the arena that comes next, and finds the one after it.
func (m *motion) enterArena() {
	a := m.book.Arenas
	if a == nil {
		return
	}
	no := m.lobby.Int(a.Next)
	m.st.SetInt(m.row, a.Field, no)
	m.tallied(func(t *Tally) { t.Arenas[no]++ })
	switch n := int64(len(m.book.Grounds)); {
	case a.Pick == rulebook.ArenaInTurn:
		m.st.SetInt(m.lobby, a.Next, (no+1)%n)
	case a.Pick == rulebook.ArenaAtRandom && n > 1:
		next := draw(m.stage, lots.NextArena).Int64N(n - 1)
		m.st.SetInt(m.lobby, a.Next, next+sheet.Bit(next >= no))
	}
}

// FirstArena finds the arena of a lobby's first match, where that is left to chance.
func (m *motion) FirstArena() {
	if a := m.book.Arenas; a != nil && a.Pick == rulebook.ArenaAtRandom {
		m.st.SetInt(m.lobby, a.Next, draw(m.stage, lots.FirstArena).Int64N(int64(len(m.book.Grounds))))
	}
}

// GoTo makes an arena the one that comes next.
func (m *motion) GoTo(no int64) { m.st.SetInt(m.lobby, m.book.Arenas.Next, no) }

// nextArena carries out the effect that says where the next match or round is played.
func (m *motion) nextArena(e *rulebook.Effect) {
	no := e.Value.Value(&m.env, sheet.Choice).N[0]
	if m.faulty(e.Line); m.env.Fault == expr.OK {
		m.GoTo(no)
	}
}

// mayAppear tells whether a spawn point is open to a player.
func (m *motion) mayAppear(sp *rulebook.SpawnPoint, p *sheet.Row) bool {
	if sp.Team >= 0 && (sp.Team >= len(m.teams) || m.teams[sp.Team].ID != p.Team) {
		return false
	}
	if sp.If == nil {
		return true
	}
	saved := m.env // somebody may be made to appear in the midst of an effect
	m.subject(sheet.Player, p)
	ok := m.yes(sp.If, sp.Line)
	m.env = saved
	return ok
}
