package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// emptyFor is how long a lobby without a seat stays open, in seconds.
const emptyFor = 60

// advance takes the lobby to wall tick to, one tick at a time where something
// happens and in one stride where nothing does.
func (m *Machine) advance(to sheet.Tick) {
	for m.tick < to && !m.closed {
		if to == m.tick+1 { // a busy match: no need to ask whether anything happens
			m.step()
			return
		}
		next := m.Next()
		if next == 0 || next > to {
			m.skip(to - m.tick)
			return
		}
		if next > m.tick+1 {
			m.skip(next - 1 - m.tick)
		}
		m.step()
	}
}

// skip lets ticks pass in which nothing happens.
func (m *Machine) skip(n sheet.Tick) {
	m.tick += n
	if m.playRuns() {
		m.play += n
	}
	m.env.Wall, m.env.Play = m.tick, m.play
}

// playRuns tells whether play time advances.
func (m *Machine) playRuns() bool {
	return m.match != nil && m.match.Int(m.book.F.Match.Paused) == rulebook.PauseNo && !m.run.over
}

// Next returns the next wall tick at which something happens by itself, or 0
// for never. A driver may sleep until then.
func (m *Machine) Next() sheet.Tick {
	if m.closed {
		return 0
	}
	next := sheet.Tick(0)
	at := func(t sheet.Tick) {
		if t > 0 && (next == 0 || t < next) {
			next = max(t, m.tick+1)
		}
	}
	at(m.startAt)
	at(m.emptyAt)
	for i := range m.held {
		at(m.held[i].until)
	}
	at(m.run.backAt)
	at(m.run.pause.resumeAt)
	at(m.run.pause.ends)
	for _, s := range m.seats {
		at(s.heldUntil)
	}
	if m.playRuns() {
		if next == m.tick+1 {
			return next
		}
		if p := m.nextPlay(); p > 0 {
			at(m.tick + max(p-m.play, 1))
		}
	}
	return next
}

// nextPlay returns the next play tick at which something happens, or 0.
func (m *Machine) nextPlay() sheet.Tick {
	if m.moving() || m.watchesTime() {
		return m.play + 1
	}
	next := m.run.phaseEnds
	at := func(t sheet.Tick) { next = earlier(next, t) }
	for _, t := range m.run.ruleNext {
		at(t)
	}
	for i, p := range m.book.Pieces {
		at(m.pieceDue(i, p))
	}
	for i := range m.run.decisions {
		at(m.run.decisions[i].Until)
	}
	for _, s := range m.seats {
		at(s.respawnAt)
		for _, a := range m.book.Actions {
			if a.Active != nil && m.isActive(s.row, a) {
				at(sheet.Tick(s.row.N[a.Active.Slot()] + s.row.N[a.Active.Slot()+2]))
			}
		}
	}
	return next
}

// earlier returns the earlier of two ticks, of which 0 is never.
func earlier(a, b sheet.Tick) sheet.Tick {
	if a == 0 || b > 0 && b < a {
		return b
	}
	return a
}

// step passes one wall tick, and one play tick unless play is paused.
func (m *Machine) step() {
	m.tick++
	m.env.Wall = m.tick
	m.budget = effectBudget
	runs := m.playRuns() // play that begins or goes on at this tick moves from the next
	m.holdsOver()
	if m.startAt > 0 && m.startAt <= m.tick {
		m.begin()
	}
	if m.run.backAt > 0 && m.run.backAt <= m.tick {
		m.afterResult()
	}
	m.pauseStep()
	if runs && m.playRuns() {
		m.play++
		m.env.Play = m.play
		m.playStep()
	}
	m.reservationsOver()
	if m.emptyAt > 0 && m.emptyAt <= m.tick {
		m.close()
		return
	}
	m.settle()
}

// playStep is what one tick of play time brings, in the order in which it is written.
func (m *Machine) playStep() {
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

// watchesTime tells whether a condition reads a running clock, so that passing
// time alone may change it.
func (m *Machine) watchesTime() bool { return m.book.ReadsClocks }
