package match

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// turns is whose turn it is.
type turns struct {
	*stage
	turn turnRun
}

// turnRun is the state of the turns beside the sheets.
type turnRun struct {
	to    sheet.ID   // whose turn is next, when the present one has settled; 0 with next for the next in order
	next  bool       // the turn is to pass on
	back  bool       // the order goes the other way
	at    int64      // the place in the order of whose turn it is, or was last
	first int64      // of who began the round
	ends  sheet.Tick // play tick at which its time is up, 0 for never
}

// turnsRun tells whether there are turns in the present phase.
func (m *turns) turnsRun() bool {
	return m.book.Turns != nil && m.book.Turns.Phases&(1<<m.phase) != 0
}

// takers are those who take turns: players, or teams.
func (m *turns) takers() []*sheet.Row {
	if m.book.Turns.Teams {
		return m.teams
	}
	return m.st.Seated
}

// orderTurns gives everybody a place in the order, at the start of a match.
func (m *turns) orderTurns() {
	t := m.book.Turns
	if t == nil {
		return
	}
	list := m.takers()
	for i, r := range list {
		m.st.SetInt(r, t.At, int64(i+1))
	}
	chance := draw(m.stage, lots.Turns)
	for i := len(list) - 1; t.Random && i > 0; i-- {
		k := chance.IntN(i + 1)
		a, b := list[i].Int(t.At), list[k].Int(t.At)
		m.st.SetInt(list[i], t.At, b)
		m.st.SetInt(list[k], t.At, a)
	}
}

// lastInOrder gives a latecomer the place behind all others.
func (m *turns) lastInOrder(p *sheet.Row) {
	t := m.book.Turns
	if t == nil || t.Teams {
		return
	}
	last := int64(0)
	for _, r := range m.st.Seated {
		last = max(last, r.Int(t.At))
	}
	m.st.SetInt(p, t.At, last+1)
}

// newRoundOfTurns ends the turn at a new round; who begins that one is said by the rulebook.
func (m *turns) newRoundOfTurns() {
	t, r := m.book.Turns, &m.turn
	if t == nil {
		return
	}
	m.setTurn(nil)
	r.to, r.next, r.back = 0, false, false
	if r.at = 0; t.Passes {
		r.at = r.first
	}
	r.first = 0
}

// mayHaveTurn tells whether one is not passed over.
func (m *turns) mayHaveTurn(r *sheet.Row) bool {
	t, f := m.book.Turns, &m.book.F.Player
	if r.Kind == sheet.Team {
		for _, p := range m.st.Seated {
			if p.Team == r.ID && m.mayHaveTurn(p) {
				return true
			}
		}
		return false
	}
	return r.Flag(f.Playing) && !m.benched(r) && (t.Out || r.Flag(f.Alive)) && (t.Away || !r.Flag(f.Away))
}

// nextInOrder is the one behind a place who is not passed over; nil where all are.
func (m *turns) nextInOrder(at int64) *sheet.Row {
	t := m.book.Turns
	sign := int64(1)
	if m.turn.back {
		sign = -1
	}
	var behind, around *sheet.Row
	for _, r := range m.takers() {
		if !m.mayHaveTurn(r) {
			continue
		}
		n := sign * r.Int(t.At)
		if n > sign*at && (behind == nil || n < sign*behind.Int(t.At)) {
			behind = r
		}
		if around == nil || n < sign*around.Int(t.At) {
			around = r
		}
	}
	if behind != nil {
		return behind
	}
	return around
}

// turnDue passes the turn on where that is due, and tells whether it was.
func (m *turns) turnDue() bool {
	if m.book.Turns == nil {
		return false
	}
	r := &m.turn
	holder := m.st.Get(sheet.ID(m.row.Int(m.book.F.Turns.Turn)))
	if !m.turnsRun() {
		r.to, r.next = 0, false
		if holder != nil {
			m.setTurn(nil)
		}
		return holder != nil
	}
	if holder != nil && !r.next && r.to == 0 && m.mayHaveTurn(holder) {
		return false
	}
	to := m.st.Get(r.to)
	if r.to, r.next = 0, false; to == nil || !m.mayHaveTurn(to) {
		if to = m.nextInOrder(r.at); to == nil && holder == nil {
			return false
		}
	}
	m.setTurn(to)
	return true
}

// setTurn ends the present turn, and begins another's.
func (m *turns) setTurn(to *sheet.Row) {
	t, f, r := m.book.Turns, &m.book.F.Turns, &m.turn
	if was := m.st.Get(sheet.ID(m.row.Int(f.Turn))); was != nil {
		if t.OwnTime != nil {
			m.st.SetClock(was, t.OwnTime, was.Clock(t.OwnTime, m.play)+int64(t.Gain), 0, m.play)
		}
		m.subject(was.Kind, was)
		m.do(t.End)
	}
	r.ends = 0
	if to == nil {
		m.st.SetInt(m.row, f.Turn, 0)
		m.st.SetClock(m.row, f.Left, 0, 0, m.play)
		return
	}
	m.st.SetInt(m.row, f.Turn, int64(to.ID))
	m.st.SetInt(m.row, f.Number, m.row.Int(f.Number)+1)
	if r.first == 0 {
		r.first = to.Int(t.At)
	}
	r.at = to.Int(t.At)
	if t.Length > 0 {
		r.ends = m.play + t.Length
		m.st.SetClock(m.row, f.Left, int64(t.Length), -1, m.play)
	}
	if t.OwnTime != nil {
		left := to.Clock(t.OwnTime, m.play)
		m.st.SetClock(to, t.OwnTime, left, -1, m.play)
		r.ends = sheet.Sooner(r.ends, m.play+max(sheet.Tick(left), 1))
	}
	m.subject(to.Kind, to)
	m.do(t.Begin)
}

// turnLate does what happens when the time of a turn is up, and passes it on.
func (m *turns) turnLate() {
	r := &m.turn
	r.ends = 0
	holder := m.st.Get(sheet.ID(m.row.Int(m.book.F.Turns.Turn)))
	if holder == nil {
		return
	}
	m.subject(holder.Kind, holder)
	m.do(m.book.Turns.Late)
	if r.to == 0 {
		r.next = true
	}
}

// passTurn carries out the effect that passes the turn on, when everything has settled.
func (m *turns) passTurn(e *rulebook.Effect) {
	if m.row == nil {
		return
	}
	r := &m.turn
	switch {
	case e.Value != nil:
		r.to = sheet.ID(e.Value.Int(&m.env))
	case e.No == rulebook.TurnReverse:
		r.back = !r.back
	case e.No == rulebook.TurnAgain:
		r.to = sheet.ID(m.row.Int(m.book.F.Turns.Turn))
	default:
		r.next, r.to = true, 0
	}
}

// inTurn refuses an action that is taken only in one's own turn, when it is not.
func (m *turns) inTurn(s *Player) step.Verdict {
	if m.row == nil || !m.turnsRun() {
		return step.Verdict{}
	}
	holder := sheet.ID(m.row.Int(m.book.F.Turns.Turn))
	if holder == s.Row.ID || holder != 0 && holder == s.Row.Team {
		return step.Verdict{}
	}
	reason := "it is nobody's turn now"
	if r := m.st.Get(holder); r != nil && r.Kind == sheet.Player {
		reason = "it is " + r.Text(m.book.F.Player.Name) + "'s turn"
	} else if r != nil {
		reason = "it is the turn of " + r.Text(m.book.F.Team.Title)
	}
	return step.Verdict{Code: code.NotYourTurn, Reason: reason}
}
