package lobby

import (
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// swap exchanges the sides of two players once both have asked for it.
func (l *sides) swap(s *seat, id sheet.ID) step.Verdict {
	t := l.seat(id)
	switch {
	case t == nil || t == s:
		return step.Verdict{Code: code.NoSeat, Reason: "there is no other seat with this number in this lobby"}
	case len(l.teams) == 0 || t.Row.Team == s.Row.Team:
		return step.Verdict{Code: code.WrongTarget, Reason: "you are on the same side"}
	case l.teamsLocked():
		return step.Verdict{Code: code.NotNow, Reason: "the teams are locked now"}
	}
	s.swap = id
	if t.swap != s.Row.ID {
		l.out.Tell(step.Notice{Notice: rulebook.SwapNotice, To: sheet.OwnerOnly, Of: id,
			Values: []sheet.Value{sheet.IntValue(sheet.Ref, int64(s.Row.ID))}})
		return step.Verdict{}
	}
	s.swap, t.swap = 0, 0
	a, b := l.st.Get(s.Row.Team), l.st.Get(t.Row.Team)
	l.joinTeam(s, b)
	l.joinTeam(t, a) // the sizes are what they were
	return step.Verdict{}
}

func (l *sides) teamsLocked() bool {
	locked := l.book.Teams.Locked
	return locked != rulebook.LockedNever && l.match.InPlay() ||
		locked == rulebook.LockedStart && l.State() == rulebook.Starting
}

// shuffle deals the players out to the teams anew: parties together where they fit, the sizes as equal as can be.
func (l *sides) shuffle(s *seat) step.Verdict {
	if v := may(l.room, s, rulebook.PowerShuffle); !v.OK() {
		return v
	}
	switch {
	case len(l.teams) == 0:
		return step.Verdict{Code: code.NoTeam, Reason: "there are no teams"}
	case l.teamsLocked():
		return step.Verdict{Code: code.NotNow, Reason: "the teams are locked now"}
	}
	l.deal()
	return step.Verdict{}
}

// deal gives everybody a side by lot.
func (l *sides) deal() {
	order := slices.Clone(l.seats)
	draw(l.room, lots.Deal).Shuffle(len(order), func(i, j int) { order[i], order[j] = order[j], order[i] })
	slices.SortStableFunc(order,
		func(a, b *seat) int { return l.partySize(b.party) - l.partySize(a.party) }) // large parties first
	for _, s := range order {
		l.st.SetInt(s.Row, l.book.F.Player.Team, 0)
		l.st.SetTeam(s.Row, 0)
		l.st.SetTeam(s.Record, 0)
	}
	for _, s := range order {
		l.placeInTeam(s, "")
	}
	l.counts()
	l.startCheck()
}

func (l *sides) partySize(party string) int {
	n := 0
	for _, s := range l.seats {
		n += int(sheet.Bit(party != "" && s.party == party))
	}
	return n
}
