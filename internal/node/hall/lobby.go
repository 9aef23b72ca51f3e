package hall

import (
	"context"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// Lobby is a lobby alive on this node. Its exported methods may be called from
// any goroutine; everything else belongs to its loop.
type Lobby struct {
	ID   string
	Code string

	hall     *Hall
	book     *rulebook.Book
	log      *slog.Logger
	title    string
	capacity int

	jobs chan func()
	done chan struct{}
	ctx  context.Context
	quit context.CancelFunc

	m       *lobby.Lobby
	began   time.Time
	clients []*Client
	keys    map[string]*heldSeats // what a resume key brings back
	pub     publisher
	saver   chan saveJob
	dir     directoryEntry
	latest  atomic.Pointer[wire.LobbyInfo]
	writes  sync.WaitGroup // of the directory
	journal *journalFile   // nil unless the node keeps journals
	checkAt sheet.Tick     // when the copies are checked next
	recheck bool           // something was told since they were checked last
	asking  []func()       // checks that wait for the next publishing
}

func newLobby(h *Hall, id string, book *rulebook.Book, s lobby.Setup) *Lobby {
	l := &Lobby{ID: id, Code: s.Code, hall: h, book: book, log: h.cfg.Log.With("lobby", s.Code, "rulebook", book.Name),
		jobs: make(chan func(), 64), done: make(chan struct{}), keys: map[string]*heldSeats{}, saver: make(chan saveJob, 16)}
	l.ctx, l.quit = context.WithCancel(context.Background())
	l.m, l.began = lobby.New(book, s), time.Now()
	if h.cfg.Journals != "" {
		l.journal = openJournal(l, s)
	}
	row := l.m.Store().Of(sheet.Lobby)[0]
	l.title, l.capacity = row.Text(book.F.Lobby.Title), int(row.Int(book.F.Lobby.Capacity))
	l.pub.init(h.faceOf(book))
	return l
}

// run is the lobby's loop: inputs as they come, ticks as they fall due. A lobby
// in which nothing would happen sleeps.
func (l *Lobby) run() {
	defer close(l.done)
	defer l.quit()
	saved := make(chan struct{})
	go func() { l.saveLoop(); close(saved) }()
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for !l.m.Closed() {
		timer.Reset(l.sleep())
		select {
		case job := <-l.jobs:
			l.guard(job)
		case <-timer.C:
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
		l.guard(l.publish)
	}
	for _, c := range l.clients {
		c.End(wire.Bye{Code: string(code.LobbyGone), Reason: "the lobby has closed"})
	}
	l.journal.close(l)
	close(l.saver)
	<-saved
	l.updateDirectory()
}

// guard keeps a fault in one lobby from ending the node: it is logged and the
// lobby closes.
func (l *Lobby) guard(do func()) {
	defer func() {
		if r := recover(); r != nil {
			l.log.Error("the lobby failed and is closed", "panic", fmt.Sprint(r), "stack", string(debug.Stack()))
			for _, c := range l.clients {
				c.End(wire.Bye{Code: string(code.Internal), Reason: "the lobby failed; it was logged"})
			}
			l.step(&step.Input{Kind: step.Close})
		}
	}()
	do()
}

// now is the wall tick that the clock stands at.
func (l *Lobby) now() sheet.Tick {
	return max(l.m.Tick(), l.clock())
}

func (l *Lobby) clock() sheet.Tick {
	return sheet.Tick(time.Since(l.began) * time.Duration(l.book.Rate) / time.Second)
}

// sleep is how long nothing happens by itself.
func (l *Lobby) sleep() time.Duration {
	next := l.m.Next()
	if at := l.pub.last + 1; l.pub.waits && (next == 0 || at < next) {
		next = at
	}
	if at := l.pub.due; at != 0 && (next == 0 || at < next) {
		next = at
	}
	if next == 0 {
		return time.Hour
	}
	at := l.began.Add(time.Duration(next)*time.Second/time.Duration(l.book.Rate) + time.Microsecond)
	return max(time.Until(at), 0)
}

// step hands one input to the authority and carries out what follows.
func (l *Lobby) step(in *step.Input) *step.Output {
	in.At = l.now()
	l.journal.input(l, in)
	out := l.m.Step(in)
	l.pub.notices(l, out.Notices)
	l.carryOut(out)
	return out
}

// do runs a job in the lobby's loop and waits for it.
func (l *Lobby) do(ctx context.Context, job func()) error {
	finished := make(chan struct{})
	select {
	case l.jobs <- func() { defer close(finished); job() }:
	case <-l.done:
		return fault.New(code.LobbyGone, "the lobby has closed")
	case <-ctx.Done():
		return ctx.Err()
	}
	select {
	case <-finished:
		return nil
	case <-l.done:
		return fault.New(code.LobbyGone, "the lobby has closed")
	}
}

// post runs a job in the lobby's loop without waiting, unless it has closed.
func (l *Lobby) post(job func()) {
	select {
	case l.jobs <- job:
	case <-l.done:
	}
}

// stop ends the lobby because the node stops.
func (l *Lobby) stop() {
	l.post(func() {
		for _, c := range l.clients {
			c.End(wire.Bye{Code: string(code.Stopping), Reason: "the service is stopping", Again: true})
		}
		l.step(&step.Input{Kind: step.Close})
	})
}

// Close closes the lobby, for a reason that is told to those who are in it.
func (l *Lobby) Close(reason string) {
	l.post(func() {
		for _, c := range l.clients {
			c.End(wire.Bye{Code: string(code.LobbyGone), Reason: reason})
		}
		l.step(&step.Input{Kind: step.Close, Text: reason})
	})
}

// maxBecause is the longest reason, in bytes.
const maxBecause = 64

// EndMatch ends the match that is running, for a reason that is told with the
// result. Without a match it does nothing.
func (l *Lobby) EndMatch(ctx context.Context, because string) error {
	if len(because) > maxBecause {
		return fault.New(code.TooLarge, "a reason has at most %d bytes", maxBecause)
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
