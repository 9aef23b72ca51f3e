package lobby

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// start leads from gathering to a match, and from its result to what comes then.
type start struct {
	*room
	seating *seating

	startAt   sheet.Tick // wall tick of the start; 0 when none is under way
	hostStart bool       // the countdown under way was asked for by the host
	replay    bool       // the next match follows the result, whatever was to come
}

// missing says what a match still lacks, or nothing.
func (l *start) missing() (code.Code, string) {
	if l.match.Kept.Full() {
		return code.Stopping, "results of earlier matches are waiting for the database; the next match begins " +
			"when they are saved"
	}
	if n, least := len(l.seats), l.book.Players.Least; n < least {
		return code.TooFew, fmt.Sprintf("%d players are here, %d are needed", n, least)
	}
	for i, t := range l.teams {
		if n, least := l.teamSize(t), l.book.Teams.List[i].Least; n < least {
			return code.TooFew, fmt.Sprintf("team %s has %d players, %d are needed", l.book.Teams.List[i].Title, n,
				least)
		}
	}
	for _, s := range l.seats {
		if !s.Row.Flag(l.book.F.Player.Loaded) {
			return code.Loading, "the record of " + s.Row.Text(l.book.F.Player.Name) + " is still being loaded"
		}
	}
	return code.OK, ""
}

// startCheck begins the start countdown when all is there, and calls it off when it no longer is.
func (l *start) startCheck() {
	c, _ := l.missing()
	switch l.State() {
	case rulebook.Gathering:
		if c == code.OK && (l.book.Start.Ready || l.hostless) && l.allReady() {
			l.beginCountdown(false)
		}
	case rulebook.Starting:
		if c != code.OK || !l.hostStart && !l.allReady() {
			l.callOff()
		}
	}
}

func (l *start) allReady() bool {
	for _, s := range l.seats {
		if !s.filler && !s.Row.Flag(l.book.F.Player.Ready) || s.heldUntil > 0 {
			return false
		}
	}
	return l.people() > 0
}

func (l *start) beginCountdown(byHost bool) {
	f := &l.book.F.Lobby
	l.hostStart = byHost
	if l.book.Start.Countdown == 0 {
		l.begin()
		return
	}
	l.startAt = l.tick() + l.book.Start.Countdown
	l.st.SetInt(l.row, f.State, rulebook.Starting)
	l.st.SetClock(l.row, f.Countdown, int64(l.book.Start.Countdown), -1, l.tick())
}

// callOff ends the countdown under way.
func (l *start) callOff() {
	l.startAt, l.hostStart = 0, false
	l.st.SetInt(l.row, l.book.F.Lobby.State, rulebook.Gathering)
	l.st.SetClock(l.row, l.book.F.Lobby.Countdown, 0, 0, l.tick())
}

// setReady answers ready and unready.
func (l *start) setReady(s *seat, on bool) step.Verdict {
	switch state := l.State(); {
	case state == rulebook.Playing:
		return step.Verdict{Code: code.NotNow, Reason: "a match is running"}
	case state == rulebook.Results && l.book.End.Then != rulebook.ThenVote:
		return step.Verdict{Code: code.NotNow, Reason: "the result is being shown; the lobby will be back in a moment"}
	}
	l.st.SetFlag(s.Row, l.book.F.Player.Ready, on)
	if l.State() == rulebook.Results && l.allReady() { // the vote is over
		l.match.Ends.ShowNoLonger()
	}
	l.startCheck()
	return step.Verdict{}
}

// hostStarts answers start.
func (l *start) hostStarts(s *seat) step.Verdict {
	if v := may(l.room, s, rulebook.PowerStart); !v.OK() {
		return v
	}
	if l.State() != rulebook.Gathering {
		return step.Verdict{Code: code.NotNow, Reason: "the lobby is not gathering players now"}
	}
	if c, why := l.missing(); c != code.OK {
		return step.Verdict{Code: c, Reason: why}
	}
	l.beginCountdown(true)
	return step.Verdict{}
}

// begin starts a match with everyone who has a seat.
func (l *start) begin() {
	l.callOff()
	l.st.SetInt(l.row, l.book.F.Lobby.State, rulebook.Playing)
	players := make([]*match.Player, len(l.seats))
	for i, s := range l.seats {
		players[i] = s.Player
	}
	l.match.Roster.Start(players)
}

// waits tells whether the result is shown for longer, because a match follows it that cannot begin yet.
func (l *start) waits() bool {
	return l.match.Kept.Full() && (l.replay || l.book.End.Then == rulebook.ThenAgain) && len(l.seats) > 0
}

// afterResult is what comes when the result has been shown.
func (l *start) afterResult() {
	then := l.book.End.Then
	if then == rulebook.ThenVote {
		then = l.voted()
	}
	if l.replay {
		l.replay, then = false, rulebook.ThenAgain
	}
	l.st.SetInt(l.row, l.book.F.Lobby.State, rulebook.Gathering)
	l.match.Roster.Clear()
	for _, s := range append([]*seat(nil), l.seats...) {
		if l.book.End.Then == rulebook.ThenLobby || l.book.End.Then == rulebook.ThenVote {
			l.st.SetFlag(s.Row, l.book.F.Player.Ready, false)
		}
		if s.gone && !s.filler {
			l.seating.remove(s)
		}
		if s.filler {
			l.st.SetFlag(s.Row, l.book.F.Player.Ready, true)
		}
	}
	l.seating.fill()
	l.st.TouchAll(sheet.Player)
	switch c, _ := l.missing(); {
	case then == rulebook.ThenClose:
		l.seating.close()
	case then == rulebook.ThenAgain && len(l.seats) > 0 && c == code.OK:
		l.begin()
	default:
		l.startCheck()
	}
}

// voted is what more than half of the players want.
func (l *start) voted() rulebook.Then {
	yes := 0
	for _, s := range l.seats {
		yes += int(sheet.Bit(!s.filler && s.Row.Flag(l.book.F.Player.Ready)))
	}
	if 2*yes > l.people() {
		return rulebook.ThenAgain
	}
	return rulebook.ThenLobby
}

// startNext begins the next match as soon as that may be: from a result at once, from the gathering with its countdown.
func (l *start) startNext() {
	c, _ := l.missing()
	switch {
	case c != code.OK:
	case l.State() == rulebook.Results:
		l.replay = true
		l.match.Ends.ShowNoLonger()
	case l.State() == rulebook.Gathering:
		l.beginCountdown(true)
	}
}
