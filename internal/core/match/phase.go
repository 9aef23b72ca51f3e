package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

var everything = sheet.Mask{^uint64(0), ^uint64(0)}

// enterPhase begins a phase. A phase's clock starts anew with it.
func (m *Machine) enterPhase(no int) {
	f := &m.book.F.Match
	p := m.book.Phases[no]
	m.run.phase = no
	m.run.toPhase = noPhase
	for k := range m.changed { // its ends have not been looked at yet
		m.changed[k] = everything
	}
	m.st.SetInt(m.match, f.Phase, int64(no))
	if r := m.book.Rounds; r != nil && r.Phase == no {
		m.beginRound()
	}
	length := p.Length
	if p.Reckon != nil {
		m.subject(sheet.Match, m.match)
		length = sheet.Tick(sheet.Ticks(min(max(p.Reckon.Int(&m.env), 1), 24*3600*1000), m.book.Rate))
	}
	m.run.phaseEnds = 0
	if length > 0 {
		m.run.phaseEnds = m.play + length
	}
	if p.Down {
		m.st.SetClock(m.match, f.Clock, int64(length), -1, m.play)
	} else {
		m.st.SetClock(m.match, f.Clock, 0, 1, m.play)
	}
	if p.Frozen {
		for _, s := range m.seats {
			m.stopSteering(s.row)
		}
	}
	m.subject(sheet.Match, m.match)
	m.do(p.Enter)
	m.emit(rulebook.OnPhase, nil)
}

// beginRound counts the round and resets what resets with it.
func (m *Machine) beginRound() {
	m.run.round++
	m.st.SetInt(m.match, m.book.F.Match.Round, m.run.round)
	if m.run.round > 1 { // the match's own start has just done all this
		m.st.ResetRow(m.match, sheet.ResetRound)
		for _, t := range m.teams {
			m.st.ResetRow(t, sheet.ResetRound)
		}
		for _, s := range m.seats {
			if s.row.Flag(m.book.F.Player.Playing) {
				m.st.ResetRow(s.row, sheet.ResetRound)
				m.spawn(s)
			}
		}
		m.clearPieces()
		m.giveBearers()
	}
	m.stirred = true
	for i := range m.run.pieceNext {
		m.run.pieceNext[i] = 0
	}
	m.emit(rulebook.OnRound, nil)
}

// phaseOver ends a phase whose time is up.
func (m *Machine) phaseOver() {
	m.run.phaseEnds = 0
	m.settleRules() // what still happens at this tick counts
	if m.inPlay() && m.run.toPhase == noPhase && !m.run.finish {
		m.follow(m.book.Phases[m.run.phase].Next, "time")
	}
}

// follow leaves the present phase for the next, unless the round that ends with
// it decides otherwise.
func (m *Machine) follow(next int, because string) {
	p := m.book.Phases[m.run.phase]
	m.subject(sheet.Match, m.match)
	m.do(p.Leave)
	if r := m.book.Rounds; r != nil && r.Phase == m.run.phase {
		next, because = m.roundOver(next, because)
	}
	if next == rulebook.EndOfMatch {
		m.endMatch(because)
		return
	}
	m.enterPhase(next)
}

// roundOver counts the round for its winner and says what follows.
func (m *Machine) roundOver(next int, because string) (int, string) {
	r := m.book.Rounds
	m.derive()
	order := m.contestants()
	m.rank(order, r.Order, false)
	f := m.roundsField()
	if len(order) > 0 && (len(order) == 1 || m.compare(order[0], order[1], r.Order, false) != 0) {
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
	left := int64(r.Most) - m.run.round
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

func (m *Machine) roundsField() *sheet.Field {
	if m.book.Win.Teams {
		return m.book.F.Team.Rounds
	}
	return m.book.F.Player.Rounds
}

// transition lets the match end or the phase change, if something says so. It
// tells whether anything happened.
func (m *Machine) transition() bool {
	r := &m.run
	if r.finish {
		m.endMatch(r.because)
		return true
	}
	for i := range m.book.Win.Ends {
		e := &m.book.Win.Ends[i]
		if m.may(e.If) && m.holds(e.If) {
			m.wantFinish(or(e.Because, e.If.Source), e.Winner)
			m.endMatch(r.because)
			return true
		}
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
		if m.may(e.If) && m.holds(e.If) {
			m.follow(e.Next, or(e.Because, e.If.Source))
			return true
		}
	}
	return false
}

func or(a, b string) string {
	if a != "" {
		return cut(a, 64)
	}
	return cut(b, 64)
}

// started tells whether there ever was more than one to be the last of.
func (m *Machine) started() bool { return len(m.contestants())+len(m.run.left) > 1 }

// standing counts the teams or players who are still in: alive or coming back.
func (m *Machine) standing() int {
	n := 0
	for _, c := range m.contestants() {
		if m.isStanding(c) {
			n++
		}
	}
	return n
}

func (m *Machine) isStanding(c *sheet.Row) bool {
	f := &m.book.F.Player
	for _, s := range m.seats {
		in := s.row == c || c.Kind == sheet.Team && s.row.Team == c.ID
		if in && s.row.Flag(f.Playing) && (s.row.Flag(f.Alive) || s.respawnAt > 0) {
			return true
		}
	}
	return false
}
