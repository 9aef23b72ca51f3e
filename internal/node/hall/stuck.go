package hall

import (
	"bytes"
	"runtime"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/wire"
)

// Whatever a rulebook asks for ends within its budgets, far below these. Only a fault can hold a loop for longer.
const (
	stuckAfter  = 30 * time.Second // at one job, and the lobby is given up
	stuckByHand = 3 * time.Second  // likewise, where an operator closes it
	lookEvery   = 5 * time.Second
)

// busy is since when a loop has been at one job. Any goroutine may ask; the loop changes it.
type busy struct{ since atomic.Int64 } // in nanoseconds since the epoch; 0 while it waits for the next job

func (b *busy) begin(now time.Time) { b.since.Store(now.UnixNano()) }
func (b *busy) end()                { b.since.Store(0) }

// lasts is for how long it has been at it.
func (b *busy) lasts(now time.Time) time.Duration {
	if since := b.since.Load(); since != 0 {
		return now.Sub(time.Unix(0, since))
	}
	return 0
}

// lookForStuck gives up the lobbies whose loops are stuck, now and every few seconds, while there are lobbies.
func (h *Hall) lookForStuck() {
	all := h.All()
	for _, l := range all {
		if l.busy.lasts(h.cfg.Now()) > stuckAfter {
			l.abandon("the lobby does not answer because of a fault, and was given up; it was logged")
		}
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.looks = len(h.lobbies) > 0; h.looks {
		safe.After(lookEvery, "look for stuck lobbies", h.lookForStuck)
	}
}

// abandon ends a lobby whose loop is stuck, from outside of it: its people are told, its place is free, and nothing
// that the loop may still do is written. What it took in since its last checkpoint is missing in its journal.
func (l *Lobby) abandon(why string) {
	if !l.becomes(lifeStuck) {
		return
	}
	safe.Caught(l.log(), "run a lobby, whose loop is stuck; it is given up",
		"busy for "+l.busy.lasts(l.hall.cfg.Now()).Round(time.Second).String(), "stacks", stuckStacks())
	l.shows.endAll(wire.Bye{Code: string(code.Internal), Reason: why})
	l.seats.counted.free(func(string) bool { return false })
	l.hall.held.forget(l)
	l.hall.forget(l)
	l.memory.abandon(l.room)
	if e := l.sign.latest.Load(); e != nil {
		safe.Go("close the row of a lobby that was given up", func() { l.sign.closeAs(*e) })
	}
	if l.hall.cfg.Follows != nil {
		safe.Go("tell of an end", func() { l.hall.cfg.Follows.Closed(l.ID) })
	}
	l.nothingMore()
}

// stuckStacks are the stacks of the loops that are at a job: where they are stuck.
func stuckStacks() string {
	all := make([]byte, 1<<20)
	all = all[:runtime.Stack(all, true)]
	var out []byte
	for _, one := range bytes.Split(all, []byte("\n\n")) {
		if bytes.Contains(one, []byte("hall.(*Lobby).guard(")) && len(out)+len(one) < 32<<10 {
			out = append(append(out, one...), "\n\n"...)
		}
	}
	return string(out)
}
