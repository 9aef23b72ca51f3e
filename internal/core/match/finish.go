package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// contestants are those among whom the match is decided: teams that have
// players, or players.
func (m *Machine) contestants() []*sheet.Row {
	if !m.book.Win.Teams {
		return slices.Clone(m.st.Seated)
	}
	var out []*sheet.Row
	for _, t := range m.teams {
		if slices.ContainsFunc(m.st.Seated, func(p *sheet.Row) bool { return p.Team == t.ID }) {
			out = append(out, t)
		}
	}
	return out
}

// compare puts two contestants in order: negative when a stands before b. The
// whole match is decided by who gave up, who was named the winner, who is still
// in and by rounds first; a single round by its order alone.
func (m *Machine) compare(a, b *sheet.Row, order []rulebook.Rank, whole bool) int {
	first := func(a, b bool) int { return int(b2i(b) - b2i(a)) }
	if whole && m.match != nil {
		r := &m.run
		if c := first(r.winner == a.ID, r.winner == b.ID); c != 0 {
			return c
		}
		if c := first(r.forfeit != a.ID, r.forfeit != b.ID); c != 0 {
			return c
		}
		if m.book.Win.Last {
			if c := first(m.isStanding(a), m.isStanding(b)); c != 0 {
				return c
			}
		}
		if m.book.Rounds != nil {
			if f := m.roundsField(); a.Int(f) != b.Int(f) {
				return int(min(max(b.Int(f)-a.Int(f), -1), 1))
			}
		}
	}
	for i := range order {
		x, y := m.ranked(order[i].Of, a), m.ranked(order[i].Of, b)
		if x == y {
			continue
		}
		if (x > y) != order[i].Least {
			return -1
		}
		return 1
	}
	return 0
}

func (m *Machine) ranked(p *expr.Prog, r *sheet.Row) int64 {
	m.subject(r.Kind, r)
	return p.Int(&m.env)
}

func (m *Machine) rank(list []*sheet.Row, order []rulebook.Rank, whole bool) {
	slices.SortStableFunc(list, func(a, b *sheet.Row) int { return m.compare(a, b, order, whole) })
}

// wantFinish notes that the match is to end when everything has settled.
func (m *Machine) wantFinish(because string, winner *expr.Prog) {
	if m.run.finish {
		return // the first word counts
	}
	m.run.finish, m.run.because = true, cut(because, 64)
	if winner != nil {
		m.run.winner = sheet.ID(winner.Int(&m.env))
	}
}

func (m *Machine) operatorFinish(reason string) {
	if m.inPlay() {
		m.endMatch(or(reason, "an operator ended it"))
	}
}

// forfeit makes the player's side the one that gave up, and ends the match.
func (m *Machine) forfeit(s *seat) {
	m.run.forfeit = s.row.ID
	if m.book.Win.Teams {
		m.run.forfeit = s.row.Team
	}
	m.endMatch(cut(s.row.Text(m.book.F.Player.Name)+" gave up", 64))
}

// endMatch is where every way to end comes together: from this very tick inputs
// are frozen; outcomes, placings, records, posts and the result follow.
func (m *Machine) endMatch(because string) {
	if m.run.over || m.match == nil {
		return
	}
	f := &m.book.F
	if m.run.broken == "" {
		m.derive()
	}
	m.place()
	m.stopClocks()
	m.run.over = true // play time stands still from here on
	m.run.finish, m.run.toPhase, m.run.phaseEnds = false, noPhase, 0
	m.run.pause.reset()
	m.st.SetInt(m.match, f.Match.Paused, rulebook.PauseNo)
	m.st.SetFlag(m.match, f.Match.Over, true)
	m.st.SetText(m.match, f.Match.Because, or(because, "the end"))
	m.st.SetInt(m.lobby, f.Lobby.State, rulebook.Results)
	m.run.backAt = m.tick + max(m.book.End.Show, 1)
	for _, s := range m.seats {
		m.stopSteering(s.row)
	}
	m.emit(rulebook.OnEnd, nil)
	m.settleRules()
	m.keepResult(because)
	m.hints()
}

// place writes outcome and placing on every team and player.
func (m *Machine) place() {
	f := &m.book.F
	order := m.contestants()
	m.rank(order, m.book.Win.Order, true)
	tiedFirst := len(order) > 1 && m.compare(order[0], order[1], m.book.Win.Order, true) == 0
	for i, c := range order {
		place, outcome := int64(i+1), int64(rulebook.Lost)
		if i > 0 && m.compare(order[i-1], c, m.book.Win.Order, true) == 0 {
			place = m.placeOf(order[i-1])
		}
		switch {
		case m.run.broken != "":
			outcome = rulebook.OutcomeNone
		case place == 1 && tiedFirst:
			outcome = rulebook.Drawn
		case place == 1:
			outcome = rulebook.Won
		}
		if c.Kind == sheet.Player {
			m.st.SetInt(c, f.Player.Place, place)
			m.st.SetInt(c, f.Player.Outcome, outcome)
			continue
		}
		m.st.SetInt(c, f.Team.Place, place)
		m.st.SetInt(c, f.Team.Outcome, outcome)
		for _, p := range m.st.Seated {
			if p.Team == c.ID {
				m.st.SetInt(p, f.Player.Place, place)
				m.st.SetInt(p, f.Player.Outcome, outcome)
			}
		}
	}
	if m.book.Win.Teams && m.run.broken == "" {
		m.placeDeserted(int64(len(order) + 1))
	}
}

// placeDeserted makes teams whose players have all left the last.
func (m *Machine) placeDeserted(last int64) {
	f := &m.book.F.Team
	for _, t := range m.teams {
		played := slices.ContainsFunc(m.run.left, func(p PlayerResult) bool { return p.Team == t.Text(f.Name) })
		if t.Int(f.Place) == 0 && played {
			m.st.SetInt(t, f.Place, last)
			m.st.SetInt(t, f.Outcome, rulebook.Lost)
		}
	}
}

func (m *Machine) placeOf(c *sheet.Row) int64 {
	if c.Kind == sheet.Team {
		return c.Int(m.book.F.Team.Place)
	}
	return c.Int(m.book.F.Player.Place)
}

// stopClocks makes every clock that follows play time stand where it is, so
// that final times are kept.
func (m *Machine) stopClocks() {
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
	m.st.SetClock(m.match, m.book.F.Match.Play, int64(m.play), 0, m.tick)
}

// afterResult is what comes when the result has been shown.
func (m *Machine) afterResult() {
	m.run.backAt = 0
	then := m.book.End.Then
	if then == "vote" {
		yes := 0
		for _, s := range m.seats {
			yes += int(b2i(s.row.Flag(m.book.F.Player.Ready)))
		}
		then = "lobby"
		if 2*yes > len(m.seats) {
			then = "again"
		}
	}
	m.clearMatch()
	switch c, _ := m.missing(); {
	case then == "close":
		m.close()
	case then == "again" && len(m.seats) > 0 && c == "":
		m.begin()
	default:
		m.startCheck()
	}
}

// clearMatch takes the match's sheets away: everyone is back in the lobby.
func (m *Machine) clearMatch() {
	f := &m.book.F
	m.clearPieces()
	if m.match != nil {
		m.st.Remove(m.match)
	}
	m.match, m.env.Match = nil, m.none
	m.st.Seated = m.st.Seated[:0]
	m.st.SetInt(m.lobby, f.Lobby.State, rulebook.Gathering)
	for i := 0; i < len(m.seats); i++ {
		s := m.seats[i]
		m.st.SetFlag(s.row, f.Player.Playing, false)
		m.st.SetFlag(s.row, f.Player.Alive, false)
		if m.book.End.Then == "lobby" || m.book.End.Then == "vote" {
			m.st.SetFlag(s.row, f.Player.Ready, false)
		}
		if s.gone {
			m.remove(s)
			i--
		}
	}
	m.run = run{toPhase: noPhase}
	m.st.TouchAll(sheet.Player)
}
