package lobby

import (
	"slices"

	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// seating gives seats to people and stand-ins, holds and takes them, and knows who is the host.
type seating struct {
	*room
	sides *sides

	nextHold sheet.Tick // no hold runs out before this wall tick; 0 when none is under way
	hostLeft bool       // the host is gone, and the lobby ends with them
	filling  bool       // stand-ins are being seated, or taken away
}

// takeSeat makes a new seat.
func (l *seating) takeSeat(in *step.Input) *seat {
	f := &l.book.F.Player
	s := &seat{Player: match.NewPlayer(l.st, in.Name), conn: in.Conn, party: l.held.party(in.Acct)}
	s.who, s.local = l.whose(in)
	s.from = from(in, l.seats)
	meets(l.room, s.who, in.Conn)
	l.st.SetInt(s.Row, f.Slot, l.freeSlot())
	l.seats = append(l.seats, s)
	l.emptyAt = 0
	l.st.SetText(s.Row, f.Account, in.Acct)
	l.st.SetInt(s.Row, f.Record, int64(s.Record.ID))
	l.st.SetText(s.Row, f.Name, l.distinctName(s, in.Name))
	if a := l.match.Roster.Absent(s.who, s.local); a != nil && l.st.Get(a.Team) != nil &&
		l.book.Players.Back(l.row.Flag(l.book.F.Lobby.Practice)) == rulebook.ReturningSame {
		l.sides.joinTeam(s, l.st.Get(a.Team))
	} else {
		l.sides.placeInTeam(s, in.Team)
	}
	l.counts()
	showMutes(l.room)
	if l.host() == nil && !l.hostless {
		l.st.SetInt(l.row, l.book.F.Lobby.Host, int64(s.Row.ID))
	}
	l.out.Do(step.Effect{Kind: step.LoadRecord, Seat: s.Row.ID, Account: in.Acct})
	l.fill()
	return s
}

// freeSlot returns the smallest number that no seat has.
func (l *seating) freeSlot() int64 {
	for n := int64(0); ; n++ {
		if !slices.ContainsFunc(l.seats, func(s *seat) bool { return s.Row.Int(l.book.F.Player.Slot) == n }) {
			return n
		}
	}
}

// vacant returns a seat that stands in for somebody gone, if the rulebook gives such seats to newcomers, or that a
// stand-in plays.
func (l *seating) vacant() *seat {
	if l.book.Players.Gone == rulebook.GoneStandIn {
		for _, s := range l.seats {
			if s.gone && !s.filler {
				return s
			}
		}
	}
	return l.standIn()
}

// takeOver gives a gone player's seat, as it is, to a newcomer.
func (l *seating) takeOver(s *seat, in *step.Input) {
	f := &l.book.F.Player
	l.match.Kept.SaveRecord(s.Player)
	s.gone, s.heldUntil, s.lastSeq, s.answers, s.oldest, s.Name, s.conn = false, 0, 0, nil, 0, in.Name, in.Conn
	s.filler, s.party = false, l.held.party(in.Acct)
	s.who, s.local = l.whose(in)
	meets(l.room, s.who, in.Conn)
	l.counts()
	showMutes(l.room)
	l.match.StandIns.StandIn(s.Player, false)
	l.st.SetText(s.Row, f.Account, in.Acct)
	l.st.SetText(s.Row, f.Name, l.distinctName(s, in.Name))
	l.st.SetFlag(s.Row, f.Away, false)
	l.st.SetFlag(s.Row, f.Loaded, false)
	for _, rf := range l.book.Schema.Fields(sheet.Record) {
		l.st.Set(s.Record, rf, rf.Start)
	}
	l.out.Do(step.Effect{Kind: step.LoadRecord, Seat: s.Row.ID, Account: in.Acct})
	l.out.Seat = s.Row.ID
	l.answer(step.Verdict{Seat: s.Row.ID})
	if l.host() == nil {
		l.passHost(nil)
	}
	l.fill()
	l.match.Roster.EnoughAgain()
}
