package match

import (
	"cmp"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
)

func (m *Machine) teamSize(t *sheet.Row) int {
	n := 0
	for _, s := range m.seats {
		if s.row.Team == t.ID {
			n++
		}
	}
	return n
}

func (m *Machine) teamNamed(name string) (int, *sheet.Row) {
	for i, t := range m.book.Teams.List {
		if t.Name == name {
			return i, m.teams[i]
		}
	}
	return -1, nil
}

func (m *Machine) anyTeamFree() bool {
	for i, t := range m.teams {
		if m.teamSize(t) < m.book.Teams.List[i].Most {
			return true
		}
	}
	return false
}

// placeInTeam puts a newcomer in the team of their wish, where the rulebook
// leaves the choice, and otherwise in the one with the fewest players.
func (m *Machine) placeInTeam(s *seat, wish string) {
	if len(m.teams) == 0 {
		return
	}
	if t := m.partysTeam(s.party); t != nil {
		m.joinTeam(s, t)
		return
	}
	if i, t := m.teamNamed(wish); t != nil && m.book.Teams.Newcomers == "choice" && m.teamSize(t) < m.book.Teams.List[i].Most {
		m.joinTeam(s, t)
		return
	}
	var best []*sheet.Row
	for i, t := range m.teams {
		if m.teamSize(t) >= m.book.Teams.List[i].Most {
			continue
		}
		if len(best) > 0 {
			switch c := cmp.Compare(m.teamSize(t), m.teamSize(best[0])); {
			case c > 0:
				continue
			case c < 0:
				best = best[:0]
			}
		}
		best = append(best, t)
	}
	if len(best) > 0 {
		m.joinTeam(s, m.breakTie(best))
	}
}

// breakTie picks among teams with equally few players, as the rulebook says.
func (m *Machine) breakTie(ts []*sheet.Row) *sheet.Row {
	switch m.book.Teams.Tie {
	case "random":
		return ts[m.rng.IntN(len(ts))]
	case "weakest":
		weakest := ts[0]
		for _, t := range ts[1:] {
			if m.compare(weakest, t, m.book.Win.Order, true) < 0 {
				weakest = t
			}
		}
		return weakest
	}
	return ts[0]
}

func (m *Machine) joinTeam(s *seat, t *sheet.Row) {
	m.st.SetInt(s.row, m.book.F.Player.Team, int64(t.ID))
	m.st.SetTeam(s.row, t.ID)
	m.st.SetTeam(s.record, t.ID)
}

// changeTeam answers the intent to join a team.
func (m *Machine) changeTeam(s *seat, in *Input) Verdict {
	i, t := m.teamNamed(in.Name)
	if t == nil {
		return Verdict{Code: code.NoTeam, Reason: "there is no team " + in.Name}
	}
	who := s
	if in.Target != 0 && in.Target != s.row.ID {
		if who = m.seat(in.Target); who == nil {
			return Verdict{Code: code.NoSeat, Reason: "there is no such seat"}
		}
		if !m.hostIs(s) {
			return Verdict{Code: code.NotHost, Reason: "only the host puts others in a team"}
		}
	}
	switch {
	case m.teamsLocked():
		return Verdict{Code: code.NotNow, Reason: "the teams are locked now"}
	case m.book.Teams.Newcomers == "fewest", m.book.Teams.Newcomers == "host" && !m.hostIs(s):
		return Verdict{Code: code.TeamChoice, Reason: "the rulebook does not leave this choice to you"}
	case who.row.Team == t.ID:
		return Verdict{}
	case m.teamSize(t) >= m.book.Teams.List[i].Most:
		return Verdict{Code: code.TeamFull, Reason: "the team has no place left"}
	}
	m.joinTeam(who, t)
	m.counts()
	m.startCheck()
	return Verdict{}
}
