package lobby

import (
	"cmp"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// sides is who is in which team.
type sides struct{ *room }

func (l *sides) teamNamed(name string) (int, *sheet.Row) {
	for i, t := range l.book.Teams.List {
		if t.Name == name {
			return i, l.teams[i]
		}
	}
	return -1, nil
}

func (l *sides) anyTeamFree() bool {
	for i, t := range l.teams {
		if l.teamSize(t) < l.book.Teams.List[i].Most {
			return true
		}
	}
	return false
}

// placeInTeam puts a newcomer in the team of their wish, where the rulebook leaves the choice, and otherwise in the one
// with the fewest players.
func (l *sides) placeInTeam(s *seat, wish string) {
	if len(l.teams) == 0 {
		return
	}
	if t := l.partysTeam(s.party); t != nil {
		l.joinTeam(s, t)
		return
	}
	if i, t := l.teamNamed(wish); t != nil && l.book.Teams.Newcomers == rulebook.NewcomersChoice &&
		l.teamSize(t) < l.book.Teams.List[i].Most {
		l.joinTeam(s, t)
		return
	}
	var best []*sheet.Row
	for i, t := range l.teams {
		if l.teamSize(t) >= l.book.Teams.List[i].Most {
			continue
		}
		if len(best) > 0 {
			switch c := cmp.Compare(l.teamSize(t), l.teamSize(best[0])); {
			case c > 0:
				continue
			case c < 0:
				best = best[:0]
			}
		}
		best = append(best, t)
	}
	if len(best) > 0 {
		l.joinTeam(s, l.breakTie(best))
	}
}

// breakTie picks among teams with equally few players, as the rulebook says.
func (l *sides) breakTie(ts []*sheet.Row) *sheet.Row {
	switch l.book.Teams.Tie {
	case rulebook.TieRandom:
		return ts[draw(l.room, lots.Tie).IntN(len(ts))]
	case rulebook.TieWeakest:
		weakest := ts[0]
		for _, t := range ts[1:] {
			if l.match.Ends.Compare(weakest, t) < 0 {
				weakest = t
			}
		}
		return weakest
	}
	return ts[0]
}

func (l *sides) joinTeam(s *seat, t *sheet.Row) {
	l.st.SetInt(s.Row, l.book.F.Player.Team, int64(t.ID))
	l.st.SetTeam(s.Row, t.ID)
	l.st.SetTeam(s.Record, t.ID)
}

// changeTeam answers the intent to join a team.
func (l *sides) changeTeam(s *seat, in *step.Input) step.Verdict {
	i, t := l.teamNamed(in.Name)
	if t == nil {
		return step.Verdict{Code: code.NoTeam, Reason: "there is no team " + in.Name}
	}
	who, may := s, may(l.room, s, rulebook.PowerTeams)
	if in.Target != 0 && in.Target != s.Row.ID {
		if who = l.seat(in.Target); who == nil {
			return step.Verdict{Code: code.NoSeat, Reason: "there is no such seat"}
		}
		if !may.OK() {
			return may
		}
	}
	switch {
	case l.teamsLocked():
		return step.Verdict{Code: code.NotNow, Reason: "the teams are locked now"}
	case l.book.Teams.Newcomers == rulebook.NewcomersFewest && !may.OK():
		return step.Verdict{Code: code.TeamChoice, Reason: "the rulebook does not leave this choice to you"}
	case who.Row.Team == t.ID:
		return step.Verdict{}
	case l.teamSize(t) >= l.book.Teams.List[i].Most:
		return step.Verdict{Code: code.TeamFull, Reason: "the team is full"}
	}
	l.joinTeam(who, t)
	l.counts()
	l.startCheck()
	return step.Verdict{}
}

// partysTeam is the team in which a party is, or the one with the most room for all of it; nil when they did not come
// together or it does not fit.
func (l *sides) partysTeam(party string) *sheet.Row {
	if party == "" {
		return nil
	}
	size := 1
	size += l.heldFor(func(r *reservation) bool { return r.party == party })
	var best *sheet.Row
	room := 0
	for i, t := range l.teams {
		free := l.book.Teams.List[i].Most - l.teamSize(t)
		if slices.ContainsFunc(l.seats, func(s *seat) bool { return s.party == party && s.Row.Team == t.ID }) &&
			free > 0 {
			return t
		}
		if free >= size && (best == nil || free > room) {
			best, room = t, free
		}
	}
	return best
}
