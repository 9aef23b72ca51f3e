package lobby

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// coming is how people come into a match that is running: for the first time, or back to it.
type coming struct {
	*room
	seating *seating
	sides   *sides
}

// how says what somebody finds who comes back.
func (l *coming) how() rulebook.Returning {
	return l.book.Players.Back(l.row.Flag(l.book.F.Lobby.Practice))
}

// loaded puts a player's record in place; only now the player has control.
func (l *coming) loaded(in *step.Input) {
	s := l.seat(in.Seat)
	if s == nil || s.Row.Flag(l.book.F.Player.Loaded) {
		return
	}
	l.match.Kept.Kept(s.Player, in.Record)
	l.st.SetFlag(s.Record, l.book.F.Record.First, in.Yes)
	for _, v := range in.Record {
		if f := l.book.StandsIn(v.Name); f != nil && f.Type == v.Value.Type {
			l.st.Set(s.Record, f, v.Value)
		}
	}
	if l.book.Calendar != nil {
		l.match.Kept.Visit(s.Player)
	}
	l.st.SetFlag(s.Row, l.book.F.Player.Loaded, true)
	if l.match.InPlay() {
		l.comeIn(s)
	}
	l.startCheck()
}

// today notes what day it is, and how long since its midnight, and renews what starts over with it.
func (l *coming) today(day, millis int64) {
	c := l.book.Calendar
	if c == nil {
		return
	}
	week, weekday := rulebook.WeekOf(day)
	l.st.SetInt(l.row, c.Day, day)
	l.st.SetInt(l.row, c.Week, week)
	l.st.SetInt(l.row, c.Weekday, weekday)
	l.st.SetClock(l.row, c.Time, sheet.Ticks(millis, l.book.Rate), 1, l.tick())
	for _, s := range l.seats {
		if s.Row.Flag(l.book.F.Player.Loaded) {
			l.match.Kept.Renew(s.Player)
		}
	}
}

// comeIn lets somebody who has a seat now into the match that is running, if the rulebook does.
func (l *coming) comeIn(s *seat) {
	a, how := l.match.Roster.Absent(s.who, s.local), l.how()
	switch {
	case a != nil && how == rulebook.ReturningSame:
		s.voteAt = a.VoteAt
		back := a.Ballot
		l.match.Roster.Return(s.Player, a)
		l.then.votesAgain(s, &back)
	case l.match.Has(s.Player), a != nil && how == rulebook.ReturningRefused:
	case a != nil, l.book.Players.Late == rulebook.LateSeat:
		if a != nil {
			l.match.Roster.Forget(a)
		}
		l.match.Roster.Join(s.Player)
	}
}

// own returns the seat that a player still has whose hold ran out in the match that is running, or nil.
func (l *coming) own(account string) *seat {
	for _, s := range l.seats {
		if s.gone && !s.filler && account != "" && s.who == account && s.local == 0 && l.match.Has(s.Player) {
			return s
		}
	}
	return nil
}

// resume gives such a seat back.
func (l *coming) resume(s *seat, in *step.Input) {
	s.lastSeq, s.answers, s.oldest = 0, nil, 0
	l.out.Seat = s.Row.ID
	l.answer(step.Verdict{Seat: s.Row.ID})
	l.seating.back(s.Row.ID, in.Conn)
}

// back is what somebody has left in the match under way who comes back, if they find it again; nil for a newcomer.
func (l *coming) back(in *step.Input) *match.Absent {
	if l.how() != rulebook.ReturningSame {
		return nil
	}
	return l.match.Roster.Absent(l.whose(in))
}

// backTo tells whether there is room for somebody in the team in which they were.
func (l *coming) backTo(a *match.Absent) (code.Code, string) {
	for i, t := range l.teams {
		if t.ID != a.Team {
			continue
		}
		people := 0
		for _, s := range l.seats {
			people += int(sheet.Bit(s.Row.Team == t.ID && !s.filler))
		}
		if people >= l.book.Teams.List[i].Most {
			return code.TeamFull, "your team in this match, " + t.Text(l.book.F.Team.Title) + ", is full"
		}
	}
	return code.OK, ""
}

// standInFor returns the seat of a stand-in that somebody takes over who comes back to a match, in their team; nil
// where there is room without.
func (l *coming) standInFor(team sheet.ID) (in *seat) {
	if c := l.book.StandIns; c == nil || len(l.seats) < c.Fill && l.freeFor("") > l.fillers() {
		return nil
	}
	for _, s := range l.seats {
		if s.filler && (in == nil || s.Row.Team == team) {
			in = s
		}
	}
	if in != nil && in.Row.Team != team {
		l.sides.joinTeam(in, l.st.Get(team))
	}
	return in
}
