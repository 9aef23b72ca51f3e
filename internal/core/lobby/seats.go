package lobby

import (
	"slices"

	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// seat is a player's place in the lobby, beside what the match knows of them.
type seat struct {
	*match.Player
	conn      string     // players with the same one share a connection
	who       string     // the account whose connection it is; "" for a stand-in's
	from      int64      // a number for the address that they came from; 0 if it is not known
	local     int        // which of its players, 0 for the first
	heldUntil sheet.Tick // wall tick until which a lost connection keeps it; 0 when it is there
	filler    bool       // nobody's: a stand-in has it
	gone      bool       // the hold has run out, and the rulebook keeps the seat until the match ends
	lastSeq   uint64     // the number of the last intent that was answered
	answers   []answered // the latest, at most as many as are remembered
	oldest    int        // which of them is the next to be forgotten, once there are so many
	party     string     // people who came together; "" for alone
	voteAt    sheet.Tick // wall tick from which on the player may open a vote again
	swap      sheet.ID   // with whom the player wants to exchange sides
}

// on tells whether a seat is on a connection.
func (s *seat) on(conn string) bool { return s.conn == conn && conn != "" }

// leave gives a seat up. A seat that is not there is left alone.
func (l *seating) leave(id sheet.ID) {
	if s := l.seat(id); s != nil {
		l.leaveSeat(s)
	}
}

func (l *seating) leaveSeat(s *seat) {
	if l.State() == rulebook.Starting {
		l.callOff() // whoever leaves calls the start off; it begins anew if all is there
	}
	if l.match.Has(s.Player) {
		l.match.Roster.Leave(s.Player, match.Absent{Who: s.who, From: s.from, Local: s.local, VoteAt: s.voteAt,
			Ballot: l.then.ballot(s)})
	}
	l.remove(s)
	l.countVote()
	l.startCheck()
}

// remove takes the seat and its sheets away and hands the host on.
func (l *seating) remove(s *seat) {
	l.match.Roster.Drop(s.Player)
	if l.hostIs(s) {
		l.passHost(s)
	}
	l.seats = slices.DeleteFunc(l.seats, func(x *seat) bool { return x == s })
	l.st.ClearRefs(s.Row)
	l.st.Remove(s.Record)
	l.st.Remove(s.Row)
	parts(l.room)
	l.counts()
	l.seatWaiting()
	l.fill()
	if len(l.seats) == 0 {
		l.emptyAt = l.tick() + sheet.Tick(emptyFor*l.book.Rate)
	}
}
