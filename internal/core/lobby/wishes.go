package lobby

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// wishes carries out what the rules of a match ask of the lobby.
type wishes struct {
	*room
	seating *seating
	sides   *sides
	start   *start
}

// maxRounds is how often what the lobby does for rules may set off rules that want more.
const maxRounds = 4

// settle lets everything follow, with what rules want of the lobby.
func (l *wishes) settle() {
	for range maxRounds {
		l.match.Rules.Settle()
		wishes := l.match.Sides.TakeWishes()
		if len(wishes) == 0 || l.closed {
			break
		}
		for _, w := range wishes {
			l.grantWish(w)
		}
	}
	l.match.Sides.TakeWishes()
	if l.seating.hostLeft && !l.closed {
		l.seating.close()
	}
}

func (l *wishes) grantWish(w match.Wish) {
	s := l.seat(w.Of)
	switch {
	case w.Kind == match.WishSides:
		l.newSides(w.No)
	case w.Kind == match.WishStart:
		l.start.startNext()
	case s == nil:
	case w.Kind == match.WishKick:
		l.seating.drop(s)
	case w.Kind == match.WishJoin:
		for i, t := range l.teams {
			if t.ID == w.To && s.Row.Team != w.To && l.teamSize(t) < l.book.Teams.List[i].Most {
				l.sides.joinTeam(s, t)
				l.counts()
				l.start.startCheck()
			}
		}
	}
}

// drop puts a player out of the lobby.
func (l *seating) drop(s *seat) {
	l.out.Do(step.Effect{Kind: step.Drop, Seat: s.Row.ID, Account: s.Row.Text(l.book.F.Player.Account),
		Reason: code.Kicked})
	l.leaveSeat(s)
}

// newSides gives all players new sides.
func (l *wishes) newSides(how int) {
	switch how {
	case rulebook.SidesShuffle:
		l.sides.deal()
		return
	case rulebook.SidesBalance:
		for l.moveOne() {
		}
	default:
		l.rotate()
	}
	l.counts()
	l.start.startCheck()
}

// rotate moves everybody to the next team in the list, and from the last to the first, unless one would become too
// large.
func (l *wishes) rotate() {
	var open []int
	for i := range l.teams {
		if !l.book.Teams.List[i].Creatures {
			open = append(open, i)
		}
	}
	next := map[sheet.ID]*sheet.Row{}
	for i, from := range open {
		t, to := l.teams[from], open[(i+1)%len(open)]
		if l.teamSize(t) > l.book.Teams.List[to].Most {
			return
		}
		next[t.ID] = l.teams[to]
	}
	for _, s := range l.seats {
		if to := next[s.Row.Team]; to != nil {
			l.sides.joinTeam(s, to)
		}
	}
}

// moveOne moves the newest of the largest team to the smallest, where that makes them more equal.
func (l *wishes) moveOne() bool {
	var large, small *sheet.Row
	for i, t := range l.teams {
		if large == nil || l.teamSize(t) > l.teamSize(large) {
			large = t
		}
		if l.teamSize(t) < l.book.Teams.List[i].Most && (small == nil || l.teamSize(t) < l.teamSize(small)) {
			small = t
		}
	}
	if large == nil || small == nil || l.teamSize(large)-l.teamSize(small) < 2 {
		return false
	}
	for i := len(l.seats) - 1; i >= 0; i-- {
		if l.seats[i].Row.Team == large.ID {
			l.sides.joinTeam(l.seats[i], small)
			return true
		}
	}
	return false
}
