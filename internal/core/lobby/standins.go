package lobby

import (
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
)

// fill gives free seats to stand-ins, up to what the rulebook says, while there is a player; and takes all of them away
// when there is none.
func (l *seating) fill() {
	s := l.book.StandIns
	if s == nil || l.filling {
		return
	}
	l.filling = true
	defer func() { l.filling = false }()
	if l.people() == 0 {
		for i := len(l.seats) - 1; i >= 0; i = min(i-1, len(l.seats)-1) {
			if l.seats[i].filler {
				l.leaveSeat(l.seats[i])
			}
		}
	}
	for i := len(l.seats) - 1; i >= 0 && !l.match.Under() && len(l.seats) > max(s.Fill, l.people()); i-- {
		if l.seats[i].filler {
			l.remove(l.seats[i])
		}
	}
	late := l.match.Under() && l.book.Players.Late != rulebook.LateSeat
	for !late && l.people() > 0 && len(l.seats) < s.Fill && l.freeFor("") > l.fillers() &&
		(len(l.teams) == 0 || l.sides.anyTeamFree()) {
		l.addFiller(s)
	}
	l.countFillers()
}

func (l *seating) countFillers() {
	l.st.SetInt(l.row, l.book.StandIns.Count, int64(l.fillers()))
}

// addFiller gives a seat to a stand-in.
func (l *seating) addFiller(conduct *rulebook.StandIns) {
	f := &l.book.F.Player
	name := conduct.Names[draw(l.room, lots.Filler).IntN(len(conduct.Names))]
	s := &seat{Player: match.NewPlayer(l.st, name), filler: true, gone: true}
	l.st.SetInt(s.Row, f.Slot, l.freeSlot())
	l.seats = append(l.seats, s)
	l.st.SetInt(s.Row, f.Record, int64(s.Record.ID))
	l.st.SetText(s.Row, f.Name, l.distinctName(s, name))
	l.st.SetFlag(s.Row, f.Loaded, true)
	l.st.SetFlag(s.Row, f.Ready, !l.match.Under())
	l.sides.placeInTeam(s, "")
	l.match.StandIns.StandIn(s.Player, true)
	l.counts()
	if l.match.InPlay() {
		l.match.Roster.Join(s.Player)
	}
	l.startCheck()
}

// standIn returns the seat of a stand-in that a newcomer takes over in a match; nil for none.
func (l *seating) standIn() *seat {
	if l.book.StandIns == nil || !l.match.InPlay() || l.book.Players.Late != rulebook.LateSeat {
		return nil
	}
	for _, s := range l.seats {
		if s.filler {
			return s
		}
	}
	return nil
}

// makeRoom takes a stand-in away for a newcomer, where the match does not need it.
func (l *seating) makeRoom() {
	if l.book.StandIns == nil || l.match.Under() || len(l.seats) < l.book.StandIns.Fill && l.freeFor("") > l.fillers() {
		return
	}
	l.filling = true // not another one in its place
	defer func() { l.filling = false }()
	for i := len(l.seats) - 1; i >= 0; i-- {
		if l.seats[i].filler {
			l.remove(l.seats[i])
			return
		}
	}
}

// abandoned lets the service play a seat whose player is gone, if the rulebook wants that.
func (l *seating) abandoned(s *seat) {
	if c := l.book.StandIns; c != nil && c.Gone {
		l.match.StandIns.StandIn(s.Player, true)
	}
}
