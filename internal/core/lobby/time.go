package lobby

import "turnvex.example/turnvex/internal/core/sheet"

// emptyFor is how long a lobby without a seat stays open, in seconds.
const emptyFor = 60

// advance takes the lobby to wall tick to, one tick at a time where something happens and in one stride where nothing
// does.
func (l *Lobby) advance(to sheet.Tick) {
	for l.tick() < to && !l.closed {
		if to == l.tick()+1 { // a busy match: no need to ask whether anything happens
			l.pass()
			return
		}
		next := l.Next()
		if next == 0 || next > to {
			l.match.Clock.Skip(to - l.tick())
			return
		}
		if next > l.tick()+1 {
			l.match.Clock.Skip(next - 1 - l.tick())
		}
		l.pass()
	}
}

// Next returns the next wall tick at which something happens by itself, or 0 for never. A driver may sleep until then.
func (l *Lobby) Next() sheet.Tick {
	if l.closed {
		return 0
	}
	next := sheet.Sooner(sheet.Sooner(l.start.startAt, l.emptyAt), sheet.Sooner(l.seating.nextHold, l.votes.voteUntil))
	for i := range l.held {
		if l.row.Flag(l.book.F.Lobby.Open) {
			next = sheet.Sooner(next, l.held[i].until)
		}
	}
	if next = sheet.Sooner(next, l.match.Clock.Next()); next == 0 {
		return 0
	}
	return max(next, l.tick()+1)
}

// pass lets one wall tick pass, in the order in which it is written.
func (l *Lobby) pass() {
	l.match.Clock.BeginTick()
	l.seating.holdsOver()
	if l.start.startAt > 0 && l.start.startAt <= l.tick() {
		l.start.begin()
	}
	if at := l.match.Ends.ShownUntil(); at > 0 && at <= l.tick() && !l.start.waits() {
		l.start.afterResult()
	}
	l.match.Clock.PassTick()
	if l.book.StandIns != nil {
		l.wishes.settle()
		l.match.StandIns.Whimsical(l.wishes.settle)
	}
	if l.votes.voteUntil > 0 && l.votes.voteUntil <= l.tick() {
		l.votes.countVote()
	}
	if l.match.Kept.SavesDue() {
		for _, s := range l.seats {
			l.match.Kept.SaveRecord(s.Player)
		}
	}
	l.doors.reservationsOver()
	if l.emptyAt > 0 && l.emptyAt <= l.tick() {
		l.seating.close()
		return
	}
	l.wishes.settle()
}
