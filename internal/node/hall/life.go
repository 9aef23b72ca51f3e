package hall

import (
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// life is how a lobby stands on this node. It changes along lives alone; from lifeBroken on its authority is asked
// nothing any more.
type life uint32

const (
	lifeHere    life = iota // it takes everything
	lifeLeaving             // the node stops: it ends when nothing is under way, to go on at the next start
	lifeMoving              // it ends when nothing is under way, to go on at another node
	lifeHurried             // the node stops now: it goes on from an earlier checkpoint, which asks again
	lifeClosed              // the lobby has closed
	lifeBroken              // a fault was logged: nothing is asked of its authority any more
	lifeStuck               // the loop does not come back from a job: the lobby was given up from outside
	lifeLost                // another node has taken it over: nothing more is said or written
)

// lives is what each state leads to, and what it does at the loop's end to connections, ledger, directory and saves.
var lives = [...]struct {
	name  string
	next  []life
	waits bool     // the loop ends when nothing is under way; otherwise at once, but for lifeHere, where it goes on
	bye   wire.Bye // what connections are told; those of a lobby that moves are told where, when it is there
	saves bool     // what is under way is awaited
	last  func(*Lobby)
}{
	lifeHere: {name: "here", next: []life{lifeLeaving, lifeMoving, lifeClosed, lifeBroken, lifeStuck, lifeLost}},
	lifeLeaving: {name: "leaving", next: []life{lifeHurried, lifeClosed, lifeBroken, lifeStuck, lifeLost}, waits: true,
		bye: byeLeaving, saves: true, last: func(l *Lobby) {
			l.memory.now(l.room, l.hall.cfg.Now())
			l.memory.drop()
		}},
	lifeMoving: {name: "moving", next: []life{lifeHere, lifeLeaving, lifeClosed, lifeBroken, lifeStuck, lifeLost},
		waits: true, saves: true, last: func(l *Lobby) {
			l.memory.now(l.room, l.hall.cfg.Now())
			l.handOver()
			l.memory.drop()
		}},
	lifeHurried: {name: "hurried", next: []life{lifeClosed, lifeBroken, lifeStuck, lifeLost}, bye: byeLeaving,
		saves: true, last: func(l *Lobby) { l.memory.drop() }},
	lifeClosed: {name: "closed", next: []life{lifeBroken, lifeLost}, saves: true, last: (*Lobby).closedHere,
		bye: wire.Bye{Code: string(code.LobbyGone), Reason: "the lobby has closed"}},
	lifeBroken: {name: "broken", next: []life{lifeLost}, saves: true, last: (*Lobby).closedHere,
		bye: wire.Bye{Code: string(code.Internal), Reason: "the lobby failed; it was logged"}},
	lifeStuck: {name: "stuck", next: []life{lifeLost}, last: func(l *Lobby) {
		l.memory.drop()
		l.memory.abandon(l.room) // for what it has written meanwhile
	}},
	lifeLost: {name: "lost", last: func(l *Lobby) { l.memory.drop() }},
}

var byeLeaving = wire.Bye{Code: string(code.Stopping), Reason: "the lobby is on its way to another node", Again: true}

func (x life) String() string { return lives[x].name }

// going tells whether the lobby ends here to go on elsewhere, or later.
func (x life) going() bool { return x == lifeLeaving || x == lifeMoving || x == lifeHurried }

// state returns how the lobby stands. Any goroutine may ask.
func (l *room) state() life { return life(l.life.Load()) }

// becomes changes how the lobby stands, and tells whether it did: what lives does not lead to stays as it is. Any
// goroutine may call it; the loop notices at its next job.
func (l *room) becomes(to life) bool {
	for {
		from := l.state()
		if !slices.Contains(lives[from].next, to) {
			return false
		}
		if l.life.CompareAndSwap(uint32(from), uint32(to)) {
			return true
		}
	}
}

// over tells whether the loop is to end.
func (l *Lobby) over() bool {
	if l.state() != lifeBroken && l.m.Closed() {
		l.becomes(lifeClosed)
	}
	switch now := l.state(); {
	case now == lifeHere:
		return false
	case lives[now].waits:
		return l.kept.idle()
	}
	return true
}

// idle tells whether nothing is under way.
func (l *keeping) idle() bool { return l.memory == nil || l.memory.under == 0 }

// finish is what a loop does at its end.
func (l *Lobby) finish() {
	l.seats.counted.free(func(string) bool { return false })
	l.noteHeld(nil)
	safe.After(keptWithin, "tell no more", l.shows.endTold) // what the database does not take by then
	l.shows.telling.wait()
	l.shows.endTold()
	now := &lives[l.state()]
	switch l.state() {
	case lifeMoving, lifeStuck: // its clients are told where it is, or were told
	case lifeLost:
		for _, c := range l.shows.clients {
			c.Cut()
		}
	default:
		l.shows.endAll(now.bye)
	}
	l.closedAt.CompareAndSwap(0, l.hall.cfg.Now().UnixNano())
	l.jobsOver()
	l.journal.close(l.room)
	if now.saves {
		l.kept.tasks.wait()
		l.kept.release(true)
	}
	lives[l.state()].last(l) // it may have been taken over meanwhile
}

// closedHere is the last of a lobby that does not go on.
func (l *Lobby) closedHere() {
	l.memory.end(l.room)
	l.sign.closeEntry()
	if l.hall.cfg.Follows != nil {
		safe.Go("tell of an end", func() { l.hall.cfg.Follows.Closed(l.ID) })
	}
}

// gone is why nothing can be asked of the lobby any more.
func (l *room) gone() error {
	if l.state().going() {
		f := fault.New(code.Stopping, "the lobby is moving to another node; try again in a moment")
		f.Left = 1
		return f
	}
	return fault.New(code.LobbyGone, "the lobby has closed")
}
