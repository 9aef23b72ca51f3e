package hall

import (
	"context"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/wire"
)

// Lobby is a lobby alive on this node. Its exported methods may be called from
// any goroutine; everything else belongs to its loop.
type Lobby struct {
	ID   string // unique for ever
	Code string // the join code

	hall *Hall
	name string // by which open-or-join finds it
	book *rulebook.Book

	jobs     chan func()
	done     chan struct{}
	ended    chan struct{} // closed when the loop takes no more jobs, and keeps what is to be kept
	closedAt atomic.Int64  // when the loop ended, in nanoseconds since the epoch; 0 while it has not

	m        *lobby.Lobby
	row      *sheet.Row // its sheet
	began    time.Time  // when its tick 0 was, or would have been
	opened   time.Time
	verdicts map[code.Code]int // of this turn, to be counted
	due      time.Time         // when the loop wants to wake up by itself
	setup    lobby.Setup
	memory   *memory       // nil without a ledger
	stay     ledger.Stay   // at this node
	life     atomic.Uint32 // see life
	handing  *handing      // of lifeMoving: the node to which it is handed
	soon     []func()      // jobs that the loop has set itself
	clients  []*Client
	keys     map[string]*heldSeats // what a resume key brings back
	pub      publisher
	tasks    tasks
	telling  tasks                  // what is told when it is kept
	charging map[sheet.ID][]request // what waits behind a charge, by seat
	known    map[string]*known      // of the records that it holds, by account
	entry    directory.Entry        // what the directory says, or is about to
	written  directory.Entry        // what was handed to be written last
	writing  bool
	latest   atomic.Pointer[directory.Entry]
	journal  *journalFile    // nil unless the node keeps journals
	checks   time.Duration   // how often the copies are checked; 0 for never
	checkAt  sheet.Tick      // when the copies are checked next
	recheck  bool            // something was told since they were checked last
	asking   []func()        // checks that wait for the next publishing
	checked  []Checked       // the newest answers to checks, the oldest first
	closing  bool            // it closes when a result has been shown
	secret   bool            // spectators see what players must not
	sat      map[string]bool // then who has had a seat in the match that runs, or has one
	stood    int             // the state in which sat began
	counted  counted         // who is here
}

// newLobby makes a lobby around its authority: a new one, if it is nil.
func newLobby(h *Hall, id, name string, book *rulebook.Book, s lobby.Setup, m *lobby.Lobby) *Lobby {
	if m == nil {
		m = lobby.New(book, s)
	}
	l := &Lobby{
		secret: keepsSecrets(book), sat: map[string]bool{},
		ID:       id,
		Code:     s.Code,
		hall:     h,
		name:     name,
		book:     book,
		jobs:     make(chan func(), 32),
		done:     make(chan struct{}),
		ended:    make(chan struct{}),
		charging: map[sheet.ID][]request{},
		verdicts: map[code.Code]int{},
		keys:     map[string]*heldSeats{},
		known:    map[string]*known{},
		m:        m,
		setup:    s,
		began:    h.beginning(),
		checks:   h.cfg.Check,
		stay:     ledger.Stay{Lobby: id, Fence: h.cfg.Fence()},
	}
	l.opened = l.began
	l.counted = counted{l, map[string]func(){}}
	l.row = l.m.Row()
	if l.checks == 0 && s.Practice {
		l.checks = checkEvery
	}
	if h.cfg.Journals != nil {
		l.journal = openJournal(l, s)
	}
	l.pub.init(h.faceOf(book))
	return l
}

// beginning is now, as exactly as the database keeps it.
func (h *Hall) beginning() time.Time { return h.cfg.Now().Truncate(time.Microsecond) }

// log is the logger for what concerns this lobby.
func (l *Lobby) log() *slog.Logger {
	return l.hall.cfg.Log.With("lobby", l.Code, "rulebook", l.book.Name)
}

// run is the lobby's loop: inputs as they come, ticks as they fall due. A lobby
// in which nothing would happen sleeps.
func (l *Lobby) run(first func()) {
	defer close(l.done)
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	l.announce()
	if first != nil {
		l.guard(first)
	}
	l.guard(l.fill)
	if len(l.hall.judgesOf(l.book.Name)) > 0 {
		l.guard(l.refereesChanged)
	}
	for !l.over() {
		timer.Reset(l.sleep())
		late, began := time.Duration(-1), time.Time{}
		select {
		case job := <-l.jobs:
			began = l.hall.cfg.Now()
			l.guard(job)
		case <-timer.C:
			began = l.hall.cfg.Now()
			late = began.Sub(l.due)
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
		l.guard(l.closeWhenShown)
		l.guard(l.publish)
		l.guard(func() { l.memory.checkpoint(l, began) })
		l.hall.cfg.Meter.Turn(late, l.hall.cfg.Now().Sub(began), l.verdicts)
	}
	l.finish()
}

// guard does a job of the loop, and what it has set itself meanwhile. A fault in one
// lobby does not end the node: it is logged, the lobby ends, and what may be half
// done in it is never asked again.
func (l *Lobby) guard(do func()) {
	if l.state() == lifeBroken {
		return
	}
	defer func() {
		if r := recover(); r != nil {
			l.becomes(lifeBroken)
			l.log().Error("the lobby failed and ends", "panic", fmt.Sprint(r), "stack", string(debug.Stack()))
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

// clock is the wall tick that the clock stands at.
func (l *Lobby) clock() sheet.Tick {
	return sheet.Tick(l.hall.cfg.Now().Sub(l.began) * time.Duration(l.book.Rate) / time.Second)
}

// moment is when a wall tick was, or will be.
func (l *Lobby) moment(at sheet.Tick) time.Time {
	return l.began.Add(time.Duration(at) * time.Second / time.Duration(l.book.Rate))
}

// sleep is how long nothing happens by itself.
func (l *Lobby) sleep() time.Duration {
	next := sheet.Sooner(l.m.Next(), l.pub.due)
	if l.pub.waits {
		next = sheet.Sooner(next, l.pub.last+1)
	}
	now := l.hall.cfg.Now()
	if next == 0 {
		l.due = now.Add(time.Hour)
		return time.Hour
	}
	at := l.moment(next).Add(time.Microsecond)
	l.due = at
	return max(at.Sub(now), 0)
}

// do runs a job in the lobby's loop and waits for it.
func (l *Lobby) do(ctx context.Context, job func()) error {
	finished := make(chan struct{})
	select {
	case l.jobs <- func() { defer close(finished); job() }:
	case <-l.done:
		return l.gone()
	case <-ctx.Done():
		return ctx.Err()
	}
	select {
	case <-finished:
		return nil
	case <-l.done:
		return l.gone()
	}
}

// post runs a job in the lobby's loop without waiting for it, unless the lobby has
// closed. It must not be called from the loop itself.
func (l *Lobby) post(job func()) {
	select {
	case l.jobs <- job:
	case <-l.done:
	}
}

// endAll ends every connection.
func (l *Lobby) endAll(bye wire.Bye) {
	for _, c := range l.clients {
		c.End(bye)
	}
}

// stop ends the lobby because the node stops.
func (l *Lobby) stop() {
	l.post(func() {
		l.endAll(wire.Bye{Code: string(code.Stopping), Reason: "the service is stopping", Again: true})
		if l.memory != nil {
			if h := l.handing; h != nil {
				l.handing = nil
				h.done <- fault.New(code.Stopping, "the node stops; the lobby goes on at its next start")
			}
			l.becomes(lifeLeaving)
			time.AfterFunc(leaveWithin, func() {
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

// Close closes the lobby, for a reason that is told to those who are in it.
func (l *Lobby) Close(reason string) {
	l.post(func() {
		l.endAll(wire.Bye{Code: string(code.LobbyGone), Reason: reason})
		l.step(&step.Input{Kind: step.Close, Text: reason})
	})
}

// maxBecause is the longest reason, in characters.
const maxBecause = 64

// EndMatch ends the match that is running, for a reason that is told with the
// result. Without a match it does nothing.
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
