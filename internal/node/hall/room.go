package hall

import (
	"context"
	"crypto/rand"
	"log/slog"
	"math"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/ledger"
)

// room is what every part of a lobby stands on: which lobby it is, its authority, its clock, and the loop to which
// everything in it belongs.
type room struct {
	ID   string // unique for ever
	Code string // the join code

	hall *Hall
	name string // by which open-or-join finds it
	book *rulebook.Book

	jobs     chan func()
	soon     []func() // jobs that the loop has set itself
	done     chan struct{}
	ended    chan struct{} // closed when the loop takes no more jobs, and keeps what is to be kept
	loopOver func()        // closes done, once
	jobsOver func()        // closes ended, once
	busy     busy
	closedAt atomic.Int64  // when the loop ended, in nanoseconds since the epoch; 0 while it has not
	life     atomic.Uint32 // see life

	m       *lobby.Lobby
	step    func(in *step.Input) *step.Output // hands an input to the authority, and carries out what follows
	row     *sheet.Row                        // the lobby's sheet
	setup   lobby.Setup
	pace    pace
	opened  time.Time
	branch  string       // of its history: another one each time that it goes on from what is kept
	stay    ledger.Stay  // at this node
	memory  *memory      // nil without a ledger
	journal *journalFile // nil unless the node keeps journals
}

func newRoom(h *Hall, id, name string, book *rulebook.Book, s lobby.Setup, m *lobby.Lobby) *room {
	r := &room{
		ID:     id,
		branch: rand.Text()[:12],
		Code:   s.Code,
		hall:   h,
		name:   name,
		book:   book,
		jobs:   make(chan func(), 32),
		done:   make(chan struct{}),
		ended:  make(chan struct{}),
		m:      m,
		row:    m.Row(),
		setup:  s,
		stay:   ledger.Stay{Lobby: id, Fence: h.cfg.Fence()},
	}
	r.loopOver = sync.OnceFunc(func() { close(r.done); h.running.Done() })
	r.jobsOver = sync.OnceFunc(func() { close(r.ended) })
	r.opened = h.beginning()
	r.pace.begin(h.spread(r.opened, book.Rate))
	return r
}

// beginning is now, as exactly as the database keeps it.
func (h *Hall) beginning() time.Time { return h.cfg.Now().Truncate(time.Microsecond) }

// spread is a beginning less than a tick before another one, so that the lobbies of a node tick evenly over the time of
// a tick, also those that were opened, or came back, together. Each is put where the ones before left most room, by
// the golden section.
func (h *Hall) spread(began time.Time, rate int) time.Time {
	const golden = 0.6180339887498949
	tick := time.Second / time.Duration(rate)
	_, part := math.Modf(float64(h.begun.Add(1)-1) * golden)
	back := (time.Duration(began.UnixNano()) - time.Duration(part*float64(tick))) % tick
	return began.Add(-(back + tick) % tick).Truncate(time.Microsecond)
}

// nothingMore lets nobody wait for the loop any more.
func (l *room) nothingMore() {
	l.closedAt.Store(l.hall.cfg.Now().UnixNano())
	l.jobsOver()
	l.loopOver()
}

// log is the logger for what concerns this lobby.
func (l *room) log() *slog.Logger {
	return l.hall.cfg.Log.With("lobby", l.Code, "rulebook", l.book.Name)
}

// clock is the wall tick that the clock stands at.
func (l *room) clock() sheet.Tick {
	return sheet.Tick(l.pace.played(l.hall.cfg.Now()) * time.Duration(l.book.Rate) / time.Second)
}

// moment is when a wall tick was, or will be.
func (l *room) moment(at sheet.Tick) time.Time {
	return l.pace.began().Add(time.Duration(at) * time.Second / time.Duration(l.book.Rate))
}

// do runs a job in the lobby's loop and waits for it. Where the node tells only what is kept, it waits until what the
// job may have seen is kept too: an error of the code not-kept says that it is not, or that the lobby stands still.
func (l *room) do(ctx context.Context, job func()) error {
	if l.pace.still() {
		return l.errStill()
	}
	if !l.tellsKept() {
		return l.run(ctx, job)
	}
	var mark ledger.Mark
	if err := l.run(ctx, func() { job(); mark = l.memory.ledger.Present(l.memory.mark, false) }); err != nil {
		return err
	}
	ctx, over := context.WithTimeout(ctx, keptWithin)
	defer over()
	if err := l.hall.cfg.Ledger.Kept(ctx, mark); err != nil {
		return l.errStill()
	}
	return nil
}

// run runs a job in the lobby's loop and waits for it.
func (l *room) run(ctx context.Context, job func()) error {
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

// postSoon is post for the loop itself, too: the job comes behind what is going on.
func (l *room) postSoon(job func()) {
	safe.Go("hand a job to a lobby", func() { l.post(job) })
}

// post runs a job in the lobby's loop without waiting for it, unless the lobby has closed. It must not be called from
// the loop itself.
func (l *room) post(job func()) {
	select {
	case l.jobs <- job:
	case <-l.done:
	}
}
