package lobby

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// doors is who may come in, at once, later, or in line.
type doors struct {
	*room
	seating *seating
	sides   *sides
	coming  *coming
}

// The bounds of what a lobby remembers of people without a seat.
const (
	maxLine   = 100
	maxBanned = 200
)

// admits tells whether a newcomer may have a seat now, and says which of all reasons it is that they may not.
func (l *doors) admits(in *step.Input) (code.Code, string) {
	if c, why := l.lets(in); c != code.OK {
		return c, why
	}
	same := 0
	for _, s := range l.seats {
		same += int(sheet.Bit(s.on(in.Conn)))
	}
	switch {
	case l.coming.own(in.Acct) != nil:
		return code.OK, ""
	case same >= l.book.Players.Local:
		return code.TooManyLocals, fmt.Sprintf("at most %d players may share a connection here", l.book.Players.Local)
	case l.coming.back(in) == nil && l.seating.vacant() != nil:
		return code.OK, ""
	case l.freeFor(in.Acct) <= 0:
		return l.full()
	case l.coming.back(in) != nil:
		return l.coming.backTo(l.coming.back(in))
	case len(
		l.teams) > 0 && !l.sides.anyTeamFree() && (l.fillers() == 0 || l.match.Under() && l.seating.standIn() == nil):
		return code.LobbyFull, "every team is full"
	}
	return code.OK, ""
}

// full says how full the lobby is.
func (l *doors) full() (code.Code, string) {
	most, held := l.row.Int(l.book.F.Lobby.Capacity), l.heldFor(anybody)
	if held > 0 {
		return code.LobbyFull, fmt.Sprintf("of %d seats %d are taken and %d are held for others", most, len(l.seats),
			held)
	}
	return code.LobbyFull, fmt.Sprintf("all %d seats are taken", most)
}

// lets tells whether somebody may come in at all, be there room or not.
func (l *doors) lets(in *step.Input) (code.Code, string) {
	for _, s := range l.seats {
		if in.Acct != "" && s.Row.Text(l.book.F.Player.Account) == in.Acct && !s.gone {
			return code.AlreadyIn, "you already have a seat in this lobby"
		}
	}
	held := slices.ContainsFunc(l.held, func(r reservation) bool { return r.account == in.Acct })
	switch {
	case in.Acct != "" && slices.Contains(l.banned, in.Acct):
		return code.Banned, "you are banned from this lobby"
	case !l.row.Flag(l.book.F.Lobby.Open) && !held:
		return code.LobbyClosed, "the lobby is closed to newcomers"
	case l.password != "" && in.Pass != l.password && !held && in.Acct != "" && !l.sharing(in):
		return code.WrongPassword, "the lobby has a password, and this one is wrong"
	}
	return l.letsDuring(in)
}

// sharing tells whether somebody enters on a connection on which others are already.
func (l *doors) sharing(in *step.Input) bool {
	return slices.ContainsFunc(l.seats, func(s *seat) bool { return s.on(in.Conn) })
}

// letsDuring tells whether somebody may come in while a match is running.
func (l *doors) letsDuring(in *step.Input) (code.Code, string) {
	was := l.match.Roster.Absent(l.whose(in)) != nil || l.coming.own(in.Acct) != nil
	switch late, back := l.book.Players.Late, l.coming.how(); {
	case was && back == rulebook.ReturningRefused:
		return code.Late, "you have left the match that is running; you may join when it is over"
	case was || l.State() != rulebook.Playing:
	case late == rulebook.LateRefuse:
		return code.Late, "a match is running, and nobody may join during it"
	case late == rulebook.LateSeat && l.match.Roster.Crowded(from(in, l.seats)):
		return code.Late, "so many have left the match that is running that nobody new may join during it from where " +
			"you are"
	}
	return code.OK, ""
}

// enter gives a newcomer a seat, or says why not.
func (l *doors) enter(in *step.Input) {
	if c, why := l.admits(in); c != code.OK {
		l.answer(step.Verdict{Code: c, Reason: why})
		return
	}
	if s := l.coming.own(in.Acct); s != nil && l.coming.how() == rulebook.ReturningSame {
		l.coming.resume(s, in)
		return
	} else if s != nil {
		l.seating.leaveSeat(s)
	}
	free := l.seating.vacant()
	if a := l.coming.back(in); a != nil {
		free = l.coming.standInFor(a.Team)
	}
	if free != nil {
		l.seating.takeOver(free, in)
		return
	}
	l.seating.makeRoom()
	s := l.seating.takeSeat(in)
	l.out.Seat = s.Row.ID
	l.answer(step.Verdict{Seat: s.Row.ID})
	l.startCheck()
}
