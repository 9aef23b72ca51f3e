package lobby

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// lost marks a seat as away and holds it for the grace period, or for so many ticks at least.
func (l *Lobby) lost(id sheet.ID, least int64) {
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
func (l *Lobby) back(id sheet.ID, conn string) {
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
func (l *Lobby) holdsOver() {
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
