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
// for never. It looks at the very deadlines that BeginTick and PassTick look at, so
// that a stride never passes over one; it may name a tick at which nothing happens.
func (m *Match) Next() sheet.Tick {
	if m.watchesTime() {
		return m.wall + 1
	}
	next := sheet.Sooner(m.run.backAt, sheet.Sooner(m.run.pause.resumeAt, m.run.pause.ends))
	if !m.unkept {
		next = sheet.Sooner(next, m.saveAt)
	}
	if m.playRuns() && next != m.wall+1 {
		if p := m.nextPlay(); p > 0 {
			next = sheet.Sooner(next, m.wall+max(p-m.play, 1))
		}
	}
	return next
}

// nextPlay returns the next play tick at which something happens, or 0.
func (m *Match) nextPlay() sheet.Tick {
	if m.moving() || m.touchesWait() || m.steers() || m.run.pause.stepTo > 0 {
		return m.play + 1
	}
	next := sheet.Sooner(sheet.Sooner(m.run.phaseEnds, m.run.turn.ends), m.run.respawn)
	for _, t := range m.run.ruleNext {
		next = sheet.Sooner(next, t)
	}
	for i, p := range m.book.Pieces {
		next = sheet.Sooner(next, m.pieceDue(i, p))
	}
	next = sheet.Sooner(next, m.run.returns)
	for _, c := range m.book.Creatures {
		next = sheet.Sooner(next, m.creatureDue(c))
	}
	for i := range m.run.decisions {
		next = sheet.Sooner(next, m.run.decisions[i].Until)
	}
	next = sheet.Sooner(next, m.whims())
	if !m.book.Lasting {
		return next
	}
	for _, p := range m.players {
		for _, a := range m.book.Actions {
			if a.Active != nil && m.isActive(p.Row, a) {
				next = sheet.Sooner(next, sheet.Tick(p.Row.N[a.Active.Slot()]+p.Row.N[a.Active.Slot()+2]))
			}
		}
	}
	return next
}

// meet lets shots fly and zones look who is in them, where everybody has come to be.
func (m *Match) meet() {
	if m.book.Phases[m.run.phase].Frozen {
		return
	}
	shots, zones := m.shotsFly(), len(m.book.Zones) > 0 && (m.touchesWait() || m.zonesWait())
	if shots || zones {
		m.gatherBodies()
	}
	if shots {
		m.flyShots()
	}
	if zones {
		m.watchZones()
	}
}

// steers tells whether the service moves anything at the next tick of play.
func (m *Match) steers() bool {
	return !m.book.Phases[m.run.phase].Frozen && (m.creaturesMove() || m.shotsFly() || m.zonesWait())
}

// watchesTime tells whether passing time alone may change a derived field, or a
// condition that is looked at now.
func (m *Match) watchesTime() bool {
	return m.anyRuns(m.book.Derives) || m.InPlay() && m.anyRuns(m.book.Awaits)
}

// anyRuns tells whether any of these clocks runs on time that passes.
func (m *Match) anyRuns(clocks []rulebook.Timed) bool {
	for _, c := range clocks {
		if !c.Field.Wall && !m.playRuns() {
			continue
		}
		for _, r := range m.st.Of(c.Kind) {
			if r.N[c.Field.Slot()+1] != 0 {
				return true
			}
		}
	}
	return false
}

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
		m.stepDone()
	}
}

// playStep is what one tick of play time brings, in the order in which it is written.
func (m *Match) playStep() {
	m.move()
	m.moveCreatures()
	m.meet()
	m.touchPieces()
	m.endActions()
	m.overdueDecisions()
	m.respawns()
	m.returning()
	m.everyRules()
	m.keepPieces()
	m.keepCreatures()
	if m.run.turn.ends > 0 && m.run.turn.ends <= m.play {
		m.turnLate()
	}
	if m.run.phaseEnds > 0 && m.run.phaseEnds <= m.play {
		m.phaseOver()
	}
}
