package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// wantFinish notes that the match is to end when everything has settled. The first
// reason counts, but nobody has won only because they were looked at first: whoever is
// named as the winner by then is one, and the order decides between several.
func (m *Match) wantFinish(because string, winner *expr.Prog) {
	r := &m.run
	first := !r.finish
	if first {
		r.finish, r.because = true, or(because, "the rules ended it")
	}
	if winner == nil || !first && !m.named { // the first left it to the order
		return
	}
	id := sheet.ID(winner.Int(&m.env))
	if m.env.Fault != expr.OK {
		return
	}
	m.named = true
	if id != 0 && !slices.Contains(m.winners, id) {
		m.winners = append(m.winners, id)
	}
}

// Finish ends the match at an operator's word.
func (m *Match) Finish(reason string) {
	if m.InPlay() {
		m.run.cut = true
		m.endMatch(or(reason, "an operator ended it"))
	}
}

// Forfeit makes the player's side the one that gave up, and ends the match.
func (m *Match) Forfeit(s *Player) {
	m.run.forfeit = s.Row.ID
	if m.book.Win.Teams {
		m.run.forfeit = s.Row.Team
	}
	m.endMatch(s.Row.Text(m.book.F.Player.Name) + " gave up")
}

// endMatch is where every way to end comes together: from this very tick inputs
// are frozen; outcomes, placings, records, posts and the result follow.
func (m *Match) endMatch(because string) {
	if m.run.over || m.row == nil {
		return
	}
	f := &m.book.F
	if m.run.broken == "" {
		m.derive()
	}
	m.place()
	m.named, m.winners = false, m.winners[:0]
	m.stopClocks()
	m.run.over = true // play time stands still from here on
	m.run.finish, m.run.toPhase, m.run.phaseEnds = false, noPhase, 0
	m.run.pause.reset()
	m.st.SetInt(m.row, f.Match.Paused, rulebook.PauseNo)
	m.st.SetText(m.row, f.Match.Why, "")
	m.run.pause.stepTo = 0
	m.st.SetFlag(m.row, f.Match.Over, true)
	m.st.SetText(m.row, f.Match.Because, or(because, "the end"))
	m.st.SetInt(m.lobby, f.Lobby.State, rulebook.Results)
	m.st.SetClock(m.row, f.Match.Longest, 0, 0, m.wall)
	m.showUntil(m.wall + max(m.book.End.Show, 1))
	for _, s := range m.players {
		m.StopSteering(s)
	}
	m.emit(rulebook.OnEnd, nil)
	m.settleRules()
	m.holdPromises(false)
	if !m.run.cut {
		m.holdPromises(true)
	}
	m.keepResult(because)
	m.hints()
}

// stopClocks makes every clock that follows play time stand where it is, so
// that final times are kept.
func (m *Match) stopClocks() {
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
func (m *Match) hints() {
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
