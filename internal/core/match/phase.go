package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

var everything = sheet.Mask{^uint64(0), ^uint64(0)}

// enterPhase begins a phase. A phase's clock starts anew with it.
func (m *Match) enterPhase(no int) {
	f := &m.book.F.Match
	p := m.book.Phases[no]
	m.run.phase = no
	m.run.toPhase = noPhase
	for k := range m.changed { // its ends have not been looked at yet
		m.changed[k] = everything
	}
	m.st.SetInt(m.row, f.Phase, int64(no))
	if r := m.book.Rounds; r != nil && r.Phase == no {
		m.beginRound()
	}
	length := p.Length
	if p.Reckon != nil {
		m.subject(sheet.Match, m.row)
		length = sheet.Tick(sheet.Ticks(min(max(p.Reckon.Int(&m.env), 1), 24*3600*1000), m.book.Rate))
	}
	m.run.phaseEnds = 0
	if length > 0 {
		m.run.phaseEnds = m.play + length
	}
	if p.Down {
		m.st.SetClock(m.row, f.Clock, int64(length), -1, m.play)
	} else {
		m.st.SetClock(m.row, f.Clock, 0, 1, m.play)
	}
	if p.Frozen {
		for _, s := range m.players {
			m.StopSteering(s)
		}
	}
	m.subject(sheet.Match, m.row)
	m.do(p.Enter)
	m.emit(rulebook.OnPhase, nil)
}

// phaseOver ends a phase whose time is up.
func (m *Match) phaseOver() {
	m.run.phaseEnds = 0
	m.settleRules() // what still happens at this tick counts
	if m.InPlay() && m.run.toPhase == noPhase && !m.run.finish {
		m.follow(m.book.Phases[m.run.phase].Next, "time")
	}
}

// follow leaves the present phase for the next, unless the round that ends with
// it decides otherwise.
func (m *Match) follow(next int, because string) {
	p := m.book.Phases[m.run.phase]
	m.subject(sheet.Match, m.row)
	m.do(p.Leave)
	if r := m.book.Rounds; r != nil && r.Phase == m.run.phase {
		next, because = m.roundOver(next, because)
	}
	if m.run.finish { // said as the phase was left
		because, next = m.run.because, rulebook.EndOfMatch
	}
	if next == rulebook.EndOfMatch {
		m.endMatch(because)
		return
	}
	m.enterPhase(next)
}

// transition lets the match end or the phase change, if something says so. It
// tells whether anything happened.
func (m *Match) transition() bool {
	r := &m.run
	for i := range m.book.Win.Ends { // all of them: several may name a winner
		e := &m.book.Win.Ends[i]
		if m.may(e.If) && m.holds(e.If, e.Line) {
			m.wantFinish(or(e.Because, "the match is decided"), e.Winner)
		}
	}
	if r.finish {
		m.endMatch(r.because)
		return true
	}
	if m.book.Win.Last && m.started() && m.standing() <= 1 {
		m.endMatch("the last one standing")
		return true
	}
	if r.toPhase != noPhase {
		next := r.toPhase
		r.toPhase = noPhase
		m.follow(next, or(r.because, "the rules"))
		return true
	}
	for i := range m.book.Phases[r.phase].Ends {
		e := &m.book.Phases[r.phase].Ends[i]
		if m.may(e.If) && m.holds(e.If, e.Line) {
			m.follow(e.Next, or(e.Because, m.book.Phases[r.phase].Title))
			return true
		}
	}
	return m.turnDue()
}

// or is the first text that is not empty, cut to what a reason may be long.
func or(a, b string) string {
	if a != "" {
		return sheet.Cut(a, maxReason)
	}
	return sheet.Cut(b, maxReason)
}

// maxReason is the most characters of the reason for an end.
const maxReason = 80
