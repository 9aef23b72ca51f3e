package hall

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// Lobby is a lobby alive on this node: its parts, and the loop that runs them. Its exported methods may be called from
// any goroutine; everything else belongs to its loop.
//
// The parts stand one upon the other: each may use those above it, and none reaches the whole. What the authority asks
// for comes to them from carryOut.
type Lobby struct {
	*room
	kept   *keeping // what is kept of players: records, results, costs
	sign   *sign    // what the directory says
	shows  *showing // what is told, and to whom
	judged *judging // referees
	seats  *seating // who is here
	play   *playing // what players ask for

	verdicts map[code.Code]int // of this turn, to be counted
	due      time.Time         // when the loop wants to wake up by itself
	midnight time.Time         // when the date changes, where the rulebook has a calendar
	handing  *handing          // of lifeMoving: the node to which it is handed
	closing  bool              // it closes when a result has been shown
}

// newLobby makes a lobby around its authority: a new one, if it is nil.
func newLobby(h *Hall, id, name string, book *rulebook.Book, s lobby.Setup, m *lobby.Lobby) *Lobby {
	if m == nil {
		m = lobby.New(book, s)
	}
	r := newRoom(h, id, name, book, s, m)
	l := &Lobby{room: r, verdicts: map[code.Code]int{}}
	r.step = l.take
	l.kept = &keeping{room: r, charging: map[sheet.ID][]request{}, known: map[string]*known{}}
	l.kept.tasks.failed = func() {
		l.becomes(lifeBroken)
		l.post(func() {}) // so that the loop sees it
	}
	l.sign = &sign{room: r, kept: l.kept}
	l.shows = newShowing(r, l.sign, l.changed)
	l.judged = &judging{room: r, shows: l.shows}
	l.seats = newSeating(r, l.shows, l.judged, func(account string, there bool) { h.places.set(account, l, there) })
	l.play = &playing{room: r, kept: l.kept, shows: l.shows}
	l.seats.sits.failed = l.kept.tasks.failed
	l.seats.to = ways{l.play, l.seats, l.judged}
	if h.cfg.Journals != nil {
		r.journal = openJournal(r, s, l.seats.whose)
	}
	return l
}

// changed is called when what the lobby is has changed, and is about to be told.
func (l *Lobby) changed() {
	now := l.sign.present()
	note := func() {
		l.sign.noteEntry(now)
		l.seats.counted.free(l.seats.placed)
		l.noteHeld(l.m.Promised())
	}
	if !l.tellsKept() {
		note()
		return
	}
	l.shows.whenTold(func(kept bool) {
		if kept {
			l.postSoon(note)
		}
	})
}

// run is the lobby's loop: inputs as they come, ticks as they fall due. A lobby in which nothing would happen sleeps.
func (l *Lobby) run(first func()) {
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	l.sign.announce()
	l.busy.begin(l.hall.cfg.Now())
	if first != nil {
		l.guard(first)
	}
	l.guard(l.fill)
	l.guard(l.today)
	if len(l.hall.judgesOf(l.book.Name)) > 0 {
		l.guard(l.judged.refereesChanged)
	}
	for !l.over() {
		timer.Reset(l.sleep())
		l.busy.end()
		late, began := time.Duration(-1), time.Time{}
		select {
		case job := <-l.jobs:
			began = l.hall.cfg.Now()
			l.busy.begin(began)
			l.guard(job)
		case <-timer.C:
			began = l.hall.cfg.Now()
			l.busy.begin(began)
			late = began.Sub(l.due)
			l.hall.overload.note(began, late)
			l.guard(func() { l.step(&step.Input{Kind: step.Tick}) })
		}
		for range 32 { // what has come meanwhile belongs to the same tick
			select {
			case job := <-l.jobs:
				l.guard(job)
				continue
			default:
			}
			break
		}
		l.guard(l.play.due)
		l.guard(l.today)
		l.guard(l.closeWhenShown)
		l.guard(l.shows.publish)
		if l.kept.idle() {
			l.guard(func() { l.memory.checkpoint(l.room, began) })
		}
		l.hall.cfg.Meter.Turn(late, l.hall.cfg.Now().Sub(began), l.verdicts)
	}
	l.busy.end()
	l.finish()
}

// guard does a job of the loop, and what it has set itself meanwhile. A fault in one lobby does not end the node: it is
// logged, the lobby ends, and what may be half done in it is never asked again.
func (l *Lobby) guard(do func()) {
	if l.state() >= lifeBroken {
		return
	}
	defer func() {
		if r := recover(); r != nil {
			l.becomes(lifeBroken)
			safe.Caught(l.log(), "run a lobby, which ends", r)
		}
	}()
	do()
	for len(l.soon) > 0 {
		next := l.soon[0]
		l.soon = l.soon[1:]
		next()
	}
	l.soon = nil
}

// sleep is how long nothing happens by itself.
func (l *Lobby) sleep() time.Duration {
	next := sheet.Sooner(l.m.Next(), l.shows.pub.due)
	if l.shows.pub.waits {
		next = sheet.Sooner(next, l.shows.pub.last+1)
	}
	next = sheet.Sooner(next, l.play.next())
	now := l.hall.cfg.Now()
	l.due = now.Add(time.Hour)
	if next != 0 && !l.pace.still() {
		l.due = l.moment(next).Add(time.Microsecond)
	}
	if l.book.Calendar != nil && l.midnight.Before(l.due) {
		l.due = l.midnight
	}
	return max(l.due.Sub(now), 0)
}

// today tells the lobby what day it is, at first and at each midnight.
func (l *Lobby) today() {
	c := l.book.Calendar
	if c == nil {
		return
	}
	if now := l.hall.cfg.Now(); !now.Before(l.midnight) {
		in := &step.Input{Kind: step.Calendar}
		in.N, in.X = c.Today(now)
		l.midnight = c.Midnight(now)
		l.step(in)
	}
}

// stop ends the lobby because the node stops.
func (l *Lobby) stop() {
	l.post(func() {
		l.shows.endAll(wire.Bye{Code: string(code.Stopping), Reason: "the service is stopping", Again: true})
		if l.memory != nil {
			if h := l.handing; h != nil {
				l.handing = nil
				h.done <- fault.New(code.Stopping, "the node stops; the lobby goes on at its next start")
			}
			l.becomes(lifeLeaving)
			safe.After(leaveWithin, "hurry a lobby", func() {
				l.becomes(lifeHurried)
				l.post(func() {})
			})
			return
		}
		l.step(&step.Input{Kind: step.Close})
	})
}

// leaveWithin is how long a lobby that ends because the node stops waits for what is under way.
const leaveWithin = 5 * time.Second

// Close closes the lobby, for a reason that is told to those who are in it; one whose loop is stuck is given up.
func (l *Lobby) Close(reason string) {
	if l.busy.lasts(l.hall.cfg.Now()) > stuckByHand {
		l.abandon(reason)
		return
	}
	l.post(func() {
		l.shows.endAll(wire.Bye{Code: string(code.LobbyGone), Reason: reason})
		l.step(&step.Input{Kind: step.Close, Text: reason})
	})
}

// maxBecause is the longest reason, in characters.
const maxBecause = 64

// EndMatch ends the match that is running, for a reason that is told with the result. Without a match it does nothing.
func (l *Lobby) EndMatch(ctx context.Context, because string) error {
	because, err := fault.Line("the reason", because, maxBecause)
	if err != nil {
		return err
	}
	return l.do(ctx, func() { l.step(&step.Input{Kind: step.Finish, Text: because}) })
}

// HoldMillis is how long a seat is held for a lost connection.
func (l *Lobby) HoldMillis() int64 { return sheet.Millis(int64(l.book.Players.Hold), l.book.Rate) }

// Loading tells whether a player's record is still on its way.
func (l *Lobby) Loading(ctx context.Context) (loading bool) {
	l.do(ctx, func() {
		for _, row := range l.m.Store().Of(sheet.Player) {
			loading = loading || !row.Flag(l.book.F.Player.Loaded)
		}
	})
	return loading
}
