package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// flow leads from phase to phase and round to round.
type flow struct {
	*stage
	creatures *creatures
	ends      *ends
	kept      *kept
	motion    *motion
	pieces    *pieces
	turns     *turns
	values    *values
	zones     *zones
	rules     settler
}

// enterPhase begins a phase. A phase's clock starts anew with it.
func (m *flow) enterPhase(no int) {
	f := &m.book.F.Match
	p := m.book.Phases[no]
	m.phase = no
	m.toPhase = noPhase
	m.rules.unseen() // its ends have not been looked at yet
	m.st.SetInt(m.row, f.Phase, int64(no))
	if r := m.book.Rounds; r != nil && r.Phase == no {
		m.beginRound()
	}
	length := p.Length
	if p.Reckon != nil {
		m.subject(sheet.Match, m.row)
		ms := p.Reckon.Int(&m.env)
		m.faulty(p.Line)
		length = sheet.Tick(sheet.Ticks(min(max(ms, 1), 24*3600*1000), m.book.Rate))
	}
	m.phaseEnds = 0
	if length > 0 {
		m.phaseEnds = m.play + length
	}
	if p.Down {
		m.st.SetClock(m.row, f.Clock, int64(length), -1, m.play)
	} else {
		m.st.SetClock(m.row, f.Clock, 0, 1, m.play)
	}
	if p.Frozen {
		for _, s := range m.players {
			m.motion.StopSteering(s)
		}
	}
	m.subject(sheet.Match, m.row)
	m.do(p.Enter)
	m.emit(rulebook.OnPhase, nil)
}

// phaseOver ends a phase whose time is up.
func (m *flow) phaseOver() {
	m.phaseEnds = 0
	m.rules.settleRules() // what still happens at this tick counts
	if m.InPlay() && m.toPhase == noPhase && !m.ends.finish {
		m.follow(m.leads(&m.book.Phases[m.phase].Next), "time")
	}
}

// leads is where a phase leads now: to the end where that cannot be computed.
func (m *flow) leads(to *rulebook.Lead) int {
	m.subject(sheet.Match, m.row)
	next, ok := to.To(&m.env, len(m.book.Phases))
	if m.faulty(m.book.Phases[m.phase].Line); !ok {
		return rulebook.EndOfMatch
	}
	return next
}

// follow leaves the present phase for the next, unless the round that ends with it decides otherwise.
func (m *flow) follow(next int, because string) {
	p := m.book.Phases[m.phase]
	m.subject(sheet.Match, m.row)
	m.do(p.Leave)
	if r := m.book.Rounds; r != nil && r.Phase == m.phase {
		next, because = m.roundOver(next, because)
	}
	if m.ends.finish { // said as the phase was left
		because, next = m.ends.because, rulebook.EndOfMatch
	}
	if next == rulebook.EndOfMatch {
		m.ends.endMatch(because)
		return
	}
	m.enterPhase(next)
}

// transition lets the match end or the phase change, if something says so. It tells whether anything happened.
func (m *flow) transition() bool {
	for i := range m.book.Win.Ends { // all of them: several may name a winner
		e := &m.book.Win.Ends[i]
		if m.rules.may(e.If) && m.rules.holds(e.If, e.Line) {
			m.ends.wantFinish(or(e.Because, "the match is decided"), e.Winner)
		}
	}
	if m.ends.finish {
		m.ends.endMatch(m.ends.because)
		return true
	}
	if m.book.Win.Last && m.ends.started() && m.ends.standing() <= 1 {
		m.ends.endMatch("the last one standing")
		return true
	}
	if m.toPhase != noPhase {
		next := m.toPhase
		m.toPhase = noPhase
		m.follow(next, or(m.ends.because, "the rules"))
		return true
	}
	for i := range m.book.Phases[m.phase].Ends {
		e := &m.book.Phases[m.phase].Ends[i]
		if m.rules.may(e.If) && m.rules.holds(e.If, e.Line) {
			m.follow(m.leads(&e.Next), or(e.Because, m.book.Phases[m.phase].Title))
			return true
		}
	}
	return m.turns.turnDue()
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
