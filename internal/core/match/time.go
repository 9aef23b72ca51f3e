package match

import (
	"turnvex.example/turnvex/internal/core/sheet"
)

// clock lets time pass, and knows when something falls due.
type clock struct {
	*stage
	acts      *acts
	creatures *creatures
	effects   *effects
	ends      *ends
	flow      *flow
	kept      *kept
	motion    *motion
	near      *nearby
	pauses    *pauses
	pieces    *pieces
	referee   *referee
	rules     *rules
	shots     *shots
	standIns  *standIns
	touch     *touch
	turns     *turns
	values    *values
	zones     *zones

	runs bool // play ran when the tick began
}

// Skip lets wall ticks pass in which nothing happens.
func (m *clock) Skip(n sheet.Tick) {
	m.wall += n
	if m.playRuns() {
		m.play += n
	}
	m.env.Wall, m.env.Play = m.wall, m.play
}

// Next returns the next wall tick at which something happens by itself, or 0 for never. It looks at the very deadlines
// that BeginTick and PassTick look at, so that a stride never passes over one; it may name a tick at which nothing
// happens.
func (m *clock) Next() sheet.Tick {
	if m.watchesTime() {
		return m.wall + 1
	}
	next := sheet.Sooner(m.ends.backAt, sheet.Sooner(m.pauses.pause.resumeAt, m.pauses.pause.ends))
	if !m.kept.unkept {
		next = sheet.Sooner(next, m.kept.saveAt)
	}
	if m.playRuns() && next != m.wall+1 {
		if p := m.nextPlay(); p > 0 {
			next = sheet.Sooner(next, m.wall+max(p-m.play, 1))
		}
	}
	return next
}

// nextPlay returns the next play tick at which something happens, or 0.
func (m *clock) nextPlay() sheet.Tick {
	if m.motion.moving() || m.motion.looks.turning() || m.touch.touchesWait() || m.steers() ||
		m.pauses.pause.stepTo > 0 || len(m.values.glides) > 0 {
		return m.play + 1
	}
	next := sheet.Sooner(sheet.Sooner(m.phaseEnds, m.turns.turn.ends), m.motion.respawn)
	for _, t := range m.rules.ruleNext {
		next = sheet.Sooner(next, t)
	}
	for i, p := range m.book.Pieces {
		next = sheet.Sooner(next, m.pieces.pieceDue(i, p))
	}
	next = sheet.Sooner(next, m.creatures.returns)
	for _, c := range m.book.Creatures {
		next = sheet.Sooner(next, m.creatures.creatureDue(c))
	}
	for i := range m.acts.decisions {
		next = sheet.Sooner(next, m.acts.decisions[i].Until)
	}
	next = sheet.Sooner(next, m.standIns.whims())
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
func (m *clock) meet() {
	if m.book.Phases[m.phase].Frozen {
		return
	}
	shots, zones := m.shots.shotsFly(), len(m.book.Zones) > 0 && (m.touch.touchesWait() || m.zones.zonesWait())
	if shots || zones {
		m.near.gatherBodies()
	}
	if shots {
		m.shots.flyShots()
	}
	if zones {
		m.zones.watchZones()
	}
}

// steers tells whether the service moves anything at the next tick of play.
func (m *clock) steers() bool {
	return !m.book.Phases[m.phase].Frozen && (m.creatures.creaturesMove() || m.shots.shotsFly() || m.zones.zonesWait())
}

// watchesTime tells whether passing time alone may change a derived field, or a condition that is looked at now.
func (m *clock) watchesTime() bool {
	return m.anyRuns(m.book.Derives) || m.InPlay() && m.anyRuns(m.book.Awaits)
}

// BeginTick begins a wall tick: time has come, and whether play runs in it is decided. Play that begins or goes on at
// this tick moves from the next.
func (m *clock) BeginTick() {
	m.wall++
	m.env.Wall = m.wall
	m.effects.Allow()
	m.runs = m.playRuns()
}

// PassTick does what the tick that has begun brings: pauses whose time is up, and a tick of play where play runs.
func (m *clock) PassTick() {
	m.pauses.pauseStep()
	if m.runs && m.playRuns() {
		m.play++
		m.env.Play = m.play
		m.playStep()
		m.pauses.stepDone()
	}
}

// playStep is what one tick of play time brings, in the order in which it is written.
func (m *clock) playStep() {
	if len(m.values.glides) > 0 {
		m.values.glideOn()
	}
	m.motion.move()
	m.motion.looks.turn()
	m.creatures.moveCreatures()
	m.meet()
	m.touch.touchPieces()
	m.acts.endActions()
	m.referee.overdueDecisions()
	m.motion.respawns()
	m.creatures.returning()
	m.rules.everyRules()
	m.pieces.keepPieces()
	m.creatures.keepCreatures()
	if m.turns.turn.ends > 0 && m.turns.turn.ends <= m.play {
		m.turns.turnLate()
	}
	if m.phaseEnds > 0 && m.phaseEnds <= m.play {
		m.flow.phaseOver()
	}
}
