package lobby

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// lost marks a seat as away and holds it for the grace period, or for so many ticks at least.
func (l *seating) lost(id sheet.ID, least int64) {
	s := l.seat(id)
	if s == nil || s.heldUntil > 0 || s.gone {
		return
	}
	l.st.SetFlag(s.Row, l.book.F.Player.Away, true)
	l.match.Motion.StopSteering(s.Player)
	l.match.Pieces.Away(s.Player)
	s.heldUntil = l.tick() + max(l.book.Players.Hold, sheet.Tick(least), 1)
	l.nextHold = sheet.Sooner(l.nextHold, s.heldUntil)
	l.countVote()
	l.startCheck()
}

// back ends the hold: the connection is there again.
func (l *seating) back(id sheet.ID, conn string) {
	if s := l.seat(id); s != nil {
		if conn != "" {
			s.conn = conn
		}
		s.heldUntil, s.gone = 0, false
		l.match.StandIns.StandIn(s.Player, false)
		l.st.SetFlag(s.Row, l.book.F.Player.Away, false)
		if l.host() == nil { // everybody was gone
			l.passHost(nil)
		}
		l.match.Roster.EnoughAgain()
		l.countVote()
		l.startCheck()
	}
}

// holdsOver deals with the seats whose grace period has run out.
func (l *seating) holdsOver() {
	if l.nextHold == 0 || l.nextHold > l.tick() {
		return
	}
	l.nextHold = 0
	for i := 0; i < len(l.seats); i++ {
		s := l.seats[i]
		if s.heldUntil == 0 || s.heldUntil > l.tick() {
			l.nextHold = sheet.Sooner(l.nextHold, s.heldUntil)
			continue
		}
		s.heldUntil = 0
		playing := l.match.Has(s.Player)
		switch gone := l.book.Players.Gone; {
		case playing && (gone == rulebook.GoneKeep || gone == rulebook.GoneStandIn):
			s.gone = true
			l.abandoned(s)
			if l.hostIs(s) {
				l.passHost(s)
			}
			continue
		case playing && gone == rulebook.GoneForfeit:
			l.match.Ends.Forfeit(s.Player)
		}
		l.leaveSeat(s)
		i--
	}
}

func (l *seating) close() {
	if l.match.InPlay() { // what was played counts, however it ends
		l.match.Ends.Finish(step.BecauseClosed)
	}
	l.closed = true // nobody gets a seat that becomes free now
	l.filling = true
	for len(l.seats) > 0 {
		l.remove(l.seats[len(l.seats)-1])
	}
	l.st.SetInt(l.row, l.book.F.Lobby.State, rulebook.Closed)
	l.out.Do(step.Effect{Kind: step.CloseLobby})
}
