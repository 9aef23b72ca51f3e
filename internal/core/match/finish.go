package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// settler is what a match needs of its rules where it changes its course.
type settler interface {
	settleRules()                      // lets all rules act that must
	holdPromises(atEnd bool)           // holds the rulebook's promises against the state
	holds(p *expr.Prog, line int) bool // evaluates a condition of the match
	may(p *expr.Prog) bool             // tells whether a condition may have changed
	unseen()                           // has every condition looked at again
}

// ends is how a match ends: who wants it to, how all stand, and what comes of it.
type ends struct {
	*stage
	kept   *kept
	motion *motion
	pauses *pauses
	values *values
	rules  settler

	beganWall sheet.Tick // wall tick
	finish    bool       // an effect wants the match to end
	because   string     // why, or why a phase is left
	forfeit   sheet.ID   // the player or team that gave up
	cut       bool       // it was ended from outside, or for want of players
	backAt    sheet.Tick // wall tick until which the result is shown
	absent    []Absent   // players who have left, in the order in which they did
	removers  []string   // accounts that have removed somebody as the host
	named     bool       // who has won was said, and not left to the order
	winners   []sheet.ID // who was: several at one tick are ranked by the order; none: all have lost
	together  bool       // they have won together, and are not ranked
}

// wantFinish notes that the match is to end when everything has settled. The first reason counts, but nobody has won
// only because they were looked at first: whoever is named as the winner by then is one, and the order decides between
// several.
func (m *ends) wantFinish(because string, winner *expr.Who) {
	first := !m.finish
	if first {
		m.finish, m.because = true, or(because, "the rules ended it")
	}
	if winner == nil || !first && !m.named { // the first left it to the order
		return
	}
	start := len(m.hits)
	m.hits = winner.Append(&m.env, m.hits)
	if m.env.Fault == expr.OK {
		m.named, m.together = true, m.together || winner.Several
		for _, r := range m.hits[start:] {
			if !slices.Contains(m.winners, r.ID) {
				m.winners = append(m.winners, r.ID)
			}
		}
	}
	m.hits = m.hits[:start]
}

// Finish ends the match at an operator's word.
func (m *ends) Finish(reason string) {
	if m.InPlay() {
		m.cut = true
		m.endMatch(or(reason, "an operator ended it"))
	}
}

// Forfeit makes the player's side the one that gave up, and ends the match.
func (m *ends) Forfeit(s *Player) {
	m.forfeit = s.Row.ID
	if m.book.Win.Teams {
		m.forfeit = s.Row.Team
	}
	m.endMatch(s.Row.Text(m.book.F.Player.Name) + " gave up")
}

// endMatch is where every way to end comes together: from this very tick inputs are frozen; outcomes, placings,
// records, posts and the result follow.
func (m *ends) endMatch(because string) {
	if m.over || m.row == nil {
		return
	}
	f := &m.book.F
	if m.broken == "" {
		m.values.derive()
	}
	m.place()
	m.named, m.together, m.winners = false, false, m.winners[:0]
	m.stopClocks()
	m.over = true // play time stands still from here on
	m.finish, m.toPhase, m.phaseEnds = false, noPhase, 0
	m.pauses.pause.reset()
	m.st.SetInt(m.row, f.Match.Paused, rulebook.PauseNo)
	m.st.SetText(m.row, f.Match.Why, "")
	m.pauses.pause.stepTo = 0
	m.st.SetFlag(m.row, f.Match.Over, true)
	m.st.SetText(m.row, f.Match.Because, or(because, "the end"))
	m.st.SetInt(m.lobby, f.Lobby.State, rulebook.Results)
	m.st.SetClock(m.row, f.Match.Longest, 0, 0, m.wall)
	m.showUntil(m.wall + max(m.book.End.Show, 1))
	for _, s := range m.players {
		m.motion.StopSteering(s)
	}
	m.emit(rulebook.OnEnd, nil)
	m.rules.settleRules()
	m.rules.holdPromises(false)
	if !m.cut {
		m.rules.holdPromises(true)
	}
	m.keepResult(because)
	m.hints()
}

// stopClocks makes every clock that follows play time stand where it is, so that final times are kept.
func (m *ends) stopClocks() {
	for k := 0; k < sheet.Kinds; k++ {
		for _, f := range m.book.Schema.Fields(sheet.Kind(k)) {
			if f.Type != sheet.Clock || f.Wall {
				continue
			}
			for _, r := range m.st.Of(sheet.Kind(k)) {
				if r.N[f.Slot()+1] != 0 {
					m.st.SetClock(r, f, r.Clock(f, m.play), 0, m.play)
				}
			}
		}
	}
	m.st.SetClock(m.row, m.book.F.Match.Play, int64(m.play), 0, m.wall)
}

// hints sends what the author wrote for the client's show.
func (m *ends) hints() {
	for i := range m.book.End.Hints {
		h := &m.book.End.Hints[i]
		values := []sheet.Value{sheet.TextValue(h.Tint), sheet.TextValue(h.Play), sheet.TextValue(h.Say),
			sheet.IntValue(sheet.Integer, h.Lasts), sheet.IntValue(sheet.Integer, h.Strength),
			sheet.IntValue(sheet.Integer, h.Hold), sheet.TextValue(h.With)}
		if h.For == rulebook.HintEveryone {
			m.out.Tell(step.Notice{Notice: rulebook.HintNotice, Values: values})
			continue
		}
		for _, p := range m.st.Seated {
			if outcome(m.book.F.Player.Outcome, p) == h.For.String() {
				m.out.Tell(step.Notice{Notice: rulebook.HintNotice, To: sheet.OwnerOnly, Of: p.ID, Values: values})
			}
		}
	}
}

// forget makes the next match begin with nothing.
func (m *ends) forget() {
	m.beganWall, m.backAt = 0, 0
	m.finish, m.because, m.forfeit, m.cut = false, "", 0, false
	m.absent, m.removers = nil, nil
}

// ShownUntil returns the wall tick until which a result is shown; 0 while none is.
func (m *ends) ShownUntil() sheet.Tick { return m.backAt }

// ShowNoLonger lets what comes after the result come at the next tick.
func (m *ends) ShowNoLonger() {
	if m.backAt > 0 {
		m.showUntil(m.wall + 1)
	}
}

// showUntil shows the result until a wall tick, and tells clients so.
func (m *ends) showUntil(at sheet.Tick) {
	m.backAt = at
	m.st.SetClock(m.row, m.book.F.Match.Until, int64(at-m.wall), -1, m.wall)
}

func (m *ends) roundsField() *sheet.Field {
	if m.book.Win.Teams {
		return m.book.F.Team.Rounds
	}
	return m.book.F.Player.Rounds
}
