package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// contestants are those among whom the match is decided: teams that have players, or are of creatures alone, or
// players; of these who competes, if the rulebook says so.
func (m *ends) contestants() []*sheet.Row {
	if !m.book.Win.Teams {
		return competing(m, slices.Clone(m.st.Seated))
	}
	var out []*sheet.Row
	for i, t := range m.teams {
		if m.book.Teams.List[i].Creatures ||
			slices.ContainsFunc(m.st.Seated, func(p *sheet.Row) bool { return p.Team == t.ID }) {
			out = append(out, t)
		}
	}
	return competing(m, out)
}

// competing leaves out those who take part and do not compete.
func competing(m *ends, list []*sheet.Row) []*sheet.Row {
	w := &m.book.Win
	if w.Who == nil || m.row == nil {
		return list
	}
	was := m.env
	list = slices.DeleteFunc(list, func(r *sheet.Row) bool {
		m.subject(r.Kind, r)
		return !m.yes(w.Who, w.Line)
	})
	m.env = was
	return list
}

// compare puts two contestants in order: negative when a stands before b. The whole match is decided by who gave up,
// who was named the winner, who is still in and by rounds first; a single round by its order alone.
func (m *ends) compare(a, b *sheet.Row, order []rulebook.Rank, whole bool) int {
	first := func(a, b bool) int { return int(sheet.Bit(b) - sheet.Bit(a)) }
	if whole && m.row != nil {
		won, also := slices.Contains(m.winners, a.ID), slices.Contains(m.winners, b.ID)
		if c := first(won, also); c != 0 || won && m.together {
			return c
		}
		if c := first(m.forfeit != a.ID, m.forfeit != b.ID); c != 0 {
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
		x, y := m.ranked(&order[i], a), m.ranked(&order[i], b)
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

// Compare puts two teams in the order of the whole match: negative when a stands before b.
func (m *ends) Compare(a, b *sheet.Row) int { return m.compare(a, b, m.book.Win.Order, true) }

func (m *ends) ranked(by *rulebook.Rank, r *sheet.Row) int64 {
	m.subject(r.Kind, r)
	n := by.Of.Int(&m.env)
	m.faulty(by.Line)
	return n
}

// rank sorts contestants by an order, the first first.
func (m *ends) rank(list []*sheet.Row, order []rulebook.Rank, whole bool) {
	slices.SortStableFunc(list, func(a, b *sheet.Row) int { return m.compare(a, b, order, whole) })
}

// place writes outcome and placing on every team and player.
func (m *ends) place() {
	f := &m.book.F
	order := m.contestants()
	m.rank(order, m.book.Win.Order, true)
	tiedFirst := !m.together && len(order) > 1 && m.compare(order[0], order[1], m.book.Win.Order, true) == 0
	lost := m.nobodyWon(order)
	for i, c := range order {
		place, outcome := int64(i+1), int64(rulebook.Lost)
		if i > 0 && m.compare(order[i-1], c, m.book.Win.Order, true) == 0 {
			place = m.placeOf(order[i-1])
		}
		switch {
		case m.broken != "":
			outcome = rulebook.OutcomeNone
		case lost || c.ID == m.forfeit:
		case place == 1 && tiedFirst:
			outcome = rulebook.Drawn
		case place == 1:
			outcome = rulebook.Won
		}
		if c.Kind == sheet.Player {
			m.st.SetInt(c, f.Player.Place, place)
			setOutcome(m, c, outcome)
			continue
		}
		m.st.SetInt(c, f.Team.Place, place)
		m.st.SetInt(c, f.Team.Outcome, outcome)
		for _, p := range m.st.Seated {
			if p.Team == c.ID {
				m.st.SetInt(p, f.Player.Place, place)
				setOutcome(m, p, outcome)
			}
		}
	}
	if m.broken == "" && m.book.Win.Teams {
		m.placeDeserted(int64(len(order) + 1))
	}
}

// placeLeaver gives somebody who has left the outcome and the place that the rulebook says.
func (m *ends) placeLeaver(p *sheet.Row, last int64) {
	how, f := m.book.Players.Leavers, &m.book.F
	if how == rulebook.LeaversLeft {
		return
	}
	place, outcome := last, int64(rulebook.Lost)
	if t := m.st.Get(p.Team); how == rulebook.LeaversTeam && m.book.Win.Teams && t != nil && t.Int(f.Team.Place) > 0 {
		place, outcome = t.Int(f.Team.Place), t.Int(f.Team.Outcome)
	}
	m.st.SetInt(p, f.Player.Place, place)
	setOutcome(m, p, outcome)
}

// setOutcome gives a player an outcome. Who has removed somebody from the match has not won it.
func setOutcome(m *ends, p *sheet.Row, outcome int64) {
	if outcome == rulebook.Won && slices.Contains(m.removers, p.Text(m.book.F.Player.Account)) {
		outcome = rulebook.Drawn
	}
	m.st.SetInt(p, m.book.F.Player.Outcome, outcome)
}

// nobodyWon tells whether all have lost: nobody was named as the winner, or a team without players or somebody who does
// not take part.
func (m *ends) nobodyWon(contestants []*sheet.Row) bool {
	return m.named && !slices.ContainsFunc(contestants, func(c *sheet.Row) bool {
		return slices.Contains(m.winners, c.ID)
	})
}

// placeDeserted makes teams whose players have all left the last.
func (m *ends) placeDeserted(last int64) {
	f := &m.book.F.Team
	for _, t := range m.teams {
		played := slices.ContainsFunc(m.absent, func(a Absent) bool { return a.Team == t.ID })
		if t.Int(f.Place) == 0 && played {
			m.st.SetInt(t, f.Place, last)
			m.st.SetInt(t, f.Outcome, rulebook.Lost)
		}
	}
}

func (m *ends) placeOf(c *sheet.Row) int64 {
	if c.Kind == sheet.Team {
		return c.Int(m.book.F.Team.Place)
	}
	return c.Int(m.book.F.Player.Place)
}

// started tells whether there ever was more than one to be the last of.
func (m *ends) started() bool { return len(m.contestants())+len(m.absent) > 1 }

// standing counts the teams or players who are still in: alive or coming back.
func (m *ends) standing() int {
	n := 0
	for _, c := range m.contestants() {
		if m.isStanding(c) {
			n++
		}
	}
	return n
}

func (m *ends) isStanding(c *sheet.Row) bool {
	f := &m.book.F.Player
	for _, s := range m.players {
		in := s.Row == c || c.Kind == sheet.Team && s.Row.Team == c.ID
		if in && s.Row.Flag(f.Playing) && (s.Row.Flag(f.Alive) || s.respawnAt > 0 || m.benched(s.Row)) {
			return true
		}
	}
	return c.Kind == sheet.Team && creaturesStand(m, c)
}

// creaturesStand tells whether a team of creatures alone is still in: one of them is alive, coming back, or kept on the
// ground.
func creaturesStand(m *ends, team *sheet.Row) bool {
	i := slices.Index(m.teams, team)
	if !m.book.Teams.List[i].Creatures {
		return false
	}
	return slices.ContainsFunc(m.st.Of(sheet.Creature), func(r *sheet.Row) bool {
		return r.Team == team.ID && (r.Flag(m.book.F.Creature.Alive) || m.creature(r).Again)
	}) || slices.ContainsFunc(m.book.Creatures, func(c *rulebook.Creature) bool { return c.Side == i && c.Keep > 0 })
}
