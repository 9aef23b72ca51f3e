package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Skip lets wall ticks pass in which nothing happens.
func (m *Match) Skip(n sheet.Tick) {
	m.wall += n
	if m.playRuns() {
		m.play += n
	}
	m.env.Wall, m.env.Play = m.wall, m.play
}

// playRuns tells whether play time advances.
func (m *Match) playRuns() bool {
	return m.row != nil && m.row.Int(m.book.F.Match.Paused) == rulebook.PauseNo && !m.run.over
}

// Next returns the next wall tick at which something happens by itself, or 0
// for never.
func (m *Match) Next() sheet.Tick {
	next := sheet.Sooner(m.run.backAt, sheet.Sooner(m.run.pause.resumeAt, m.run.pause.ends))
	if m.playRuns() && next != m.wall+1 {
		if p := m.nextPlay(); p > 0 {
			next = sheet.Sooner(next, m.wall+max(p-m.play, 1))
		}
	}
	return next
}

// nextPlay returns the next play tick at which something happens, or 0.
func (m *Match) nextPlay() sheet.Tick {
	if m.moving() || m.watchesTime() || m.touchesWait() {
		return m.play + 1
	}
	next := m.run.phaseEnds
	for _, t := range m.run.ruleNext {
		next = sheet.Sooner(next, t)
	}
	for i, p := range m.book.Pieces {
		next = sheet.Sooner(next, m.pieceDue(i, p))
	}
	for i := range m.run.decisions {
		next = sheet.Sooner(next, m.run.decisions[i].Until)
	}
	for _, p := range m.players {
		next = sheet.Sooner(next, p.respawnAt)
		for _, a := range m.book.Actions {
			if a.Active != nil && m.isActive(p.Row, a) {
				next = sheet.Sooner(next, sheet.Tick(p.Row.N[a.Active.Slot()]+p.Row.N[a.Active.Slot()+2]))
			}
		}
	}
	return next
}

// watchesTime tells whether a condition reads a running clock, so that passing
// time alone may change it.
func (m *Match) watchesTime() bool { return m.book.ReadsClocks }

// BeginTick begins a wall tick: time has come, and whether play runs in it is decided.
// Play that begins or goes on at this tick moves from the next.
func (m *Match) BeginTick() {
	m.wall++
	m.env.Wall = m.wall
	m.Allow()
	m.runs = m.playRuns()
}

// PassTick does what the tick that has begun brings: pauses whose time is up, and a
// tick of play where play runs.
func (m *Match) PassTick() {
	m.pauseStep()
	if m.runs && m.playRuns() {
		m.play++
		m.env.Play = m.play
		m.playStep()
	}
}

// playStep is what one tick of play time brings, in the order in which it is written.
func (m *Match) playStep() {
	m.move()
	m.touchPieces()
	m.endActions()
	m.overdueDecisions()
	m.respawns()
	m.everyRules()
	m.keepPieces()
	if m.run.phaseEnds > 0 && m.run.phaseEnds <= m.play {
		m.phaseOver()
	}
}
