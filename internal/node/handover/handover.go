// Package handover brings lobbies to where they are to be alive: those of an earlier run, of nodes that are dead, and
// that were given to this node, go on here; those of a node that drains or stops are given to others.
package handover

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/store"
)

// Config is what is needed of the parts of a node.
type Config struct {
	Hall      *hall.Hall
	Ledger    *ledger.Ledger
	Cluster   *cluster.Cluster
	Directory hall.Directory
	Books     Books
	Series    Series
	// Start starts what needs a hall before lobbies go on; nil for nothing.
	Start    func(ctx context.Context, goesOn func(lobbyID string) bool) error
	Tell     func(node string) // hints that something was given to a node
	TookOver func(lobbies int) // counts lobbies of nodes that are dead
	Log      *slog.Logger
}

// Books is what is needed of library.Library.
type Books interface {
	Version(ctx context.Context, name, version string) (*rulebook.Book, error)
}

// Series is what is needed of series.Manager.
type Series interface {
	Given(tx *store.Tx) ([]store.Series, error)
	TakeFrom(tx *store.Tx, node string) ([]store.Series, error)
	Lobbies(rows []store.Series) []string
	Mine(ctx context.Context, rows []store.Series) ([]store.Series, error)
	Adopt(ctx context.Context, rows []store.Series, goesOn func(lobbyID string) bool) error
	Give(ctx context.Context, to string) error
	Plays(lobbyID string) bool
	Closed(lobbyID string)
}

// Handover may be used by several goroutines.
type Handover struct {
	c    Config        // is set when up is
	up   atomic.Bool   // what was here before goes on
	wake chan struct{} // some are to be taken up

	mu     sync.Mutex
	again  []string       // guarded by mu; lobbies that may be this node's and are alive nowhere
	series []store.Series // guarded by mu; series of which that may be so
}

// New returns what brings lobbies to a node and away from it. It does nothing before Begin.
func New() *Handover { return &Handover{wake: make(chan struct{}, 1)} }

// Begin lets go on what an earlier run of this node held.
func (h *Handover) Begin(ctx context.Context, c Config) error {
	h.c = c
	self := h.c.Cluster.Self.Name
	given, err := h.c.Ledger.Take(ctx, &ledger.Taking{From: self, Given: true})
	if err != nil {
		return err
	}
	left, err := h.c.Ledger.Take(ctx, &ledger.Taking{From: self})
	if err != nil {
		return err
	}
	if h.c.Start != nil {
		if err := h.c.Start(ctx, h.open(ctx)); err != nil {
			return err
		}
	}
	h.restore(ctx, append(given, left...))
	h.up.Store(true)
	return nil
}

// Up tells whether what was here before goes on.
func (h *Handover) Up() bool { return h.up.Load() }

// Lost drops everything that is alive here: another node has taken it over.
func (h *Handover) Lost() {
	if !h.Up() {
		return
	}
	h.c.Hall.Drop()
	h.c.Series.Give(context.Background(), "")
	h.c.Ledger.Forget()
}

// Turn is called after each renewal of the lease.
func (h *Handover) Turn() {
	if h.Up() {
		h.c.Hall.Resume()
		h.TakeUp()
	}
}

// takeAtOnce is how many lobbies of a node that is dead are taken in one transaction: several nodes share them.
const takeAtOnce = 250

// TakeUp has the lobbies taken up that are to be alive here.
func (h *Handover) TakeUp() {
	select {
	case h.wake <- struct{}{}:
	default:
	}
}

// Run takes lobbies up, and gives them away, until the context ends.
func (h *Handover) Run(ctx context.Context) {
	for {
		select {
		case <-h.wake:
		case <-ctx.Done():
			return
		}
		if !h.up.Load() || !h.c.Cluster.Lease.Holds() {
			continue
		}
		h.takeAgain(ctx)
		if err := h.TakeGiven(ctx); err != nil && ctx.Err() == nil {
			h.c.Log.Warn("lobbies that were given to this node could not be taken yet", "error", err)
		}
		dead := h.c.Cluster.Dead()
		if h.c.Cluster.Draining() && len(h.c.Cluster.Others(h.c.Cluster.Self.Region)) > 0 {
			dead = nil // others take them
		}
		for _, name := range dead {
			if err := h.takeOver(ctx, name); err != nil && ctx.Err() == nil {
				h.c.Log.Warn("the lobbies of a node that is dead could not be taken over yet", "node", name, "error",
					err)
			}
		}
		if h.c.Cluster.Draining() {
			h.giveAway(ctx)
		}
	}
}

// takeAgain takes lobbies up that could not be handed over, or of which it is not known whether they were taken: those
// that are this node's.
func (h *Handover) takeAgain(ctx context.Context) {
	h.mu.Lock()
	ids, rows := h.again, h.series
	h.again, h.series = nil, nil
	h.mu.Unlock()
	if len(rows) > 0 {
		mine, err := h.c.Series.Mine(ctx, rows)
		if err == nil {
			err = h.c.Series.Adopt(ctx, mine, h.open(ctx))
		}
		if err != nil {
			h.c.Log.Warn("series wait to be taken up", "series", len(rows), "error", err)
			h.mu.Lock()
			h.series = append(h.series, rows...)
			h.mu.Unlock()
		}
	}
	if len(ids) == 0 {
		return
	}
	err := h.c.Ledger.Flush(ctx) // what they took in last
	var left []*ledger.Left
	if err == nil {
		left, err = h.c.Ledger.Take(ctx, &ledger.Taking{From: h.c.Cluster.Self.Name, Only: ids})
	}
	if err != nil {
		h.c.Log.Warn("lobbies wait to be taken up again", "lobbies", len(ids), "error", err)
		h.Again(ids...)
		return
	}
	h.restore(ctx, left)
}

// Again notes lobbies that are to be taken up again.
func (h *Handover) Again(ids ...string) {
	h.mu.Lock()
	h.again = append(h.again, ids...)
	h.mu.Unlock() // the next renewal has them taken up
}

// TakeGiven takes what other nodes have given to this one, and what was begun here under an earlier lease.
func (h *Handover) TakeGiven(ctx context.Context) error {
	self := h.c.Cluster.Self.Name
	given, older, err := h.c.Ledger.Given(ctx)
	if err == nil && given {
		err = h.take(ctx, &ledger.Taking{From: self, Given: true}, h.c.Series.Given)
	}
	if err == nil && older {
		err = h.take(ctx, &ledger.Taking{From: self}, h.c.Series.Given)
	}
	return err
}

// take takes lobbies and series, and lets them go on.
func (h *Handover) take(ctx context.Context, t *ledger.Taking, taken func(*store.Tx) ([]store.Series, error)) error {
	var rows []store.Series
	t.Also = func(tx *store.Tx) (err error) {
		rows, err = taken(tx)
		return err
	}
	left, err := h.c.Ledger.Take(ctx, t)
	if err != nil { // they may have been taken
		h.Again(t.Picked...)
		h.mu.Lock()
		h.series = append(h.series, rows...)
		h.mu.Unlock()
		return err
	}
	if err := h.c.Series.Adopt(ctx, rows, h.open(ctx)); err != nil {
		h.c.Log.Error("series could not be taken over", "error", err)
	}
	h.restore(ctx, left)
	return nil
}

// open returns a function that tells whether a lobby is open, on whichever node.
func (h *Handover) open(ctx context.Context) func(lobbyID string) bool {
	return func(id string) bool {
		open, err := h.c.Ledger.IsOpen(ctx, id)
		return err != nil || open
	}
}

// takeOver takes the lobbies of a node that is dead, as long as there are some.
func (h *Handover) takeOver(ctx context.Context, name string) error {
	began, n := time.Now(), 0
	for first := true; ; first = false {
		t := &ledger.Taking{From: name, Most: takeAtOnce, Dead: true}
		taken := func(*store.Tx) ([]store.Series, error) { return nil, nil }
		if first { // series, with the lobbies in which they are played
			taken = func(tx *store.Tx) (rows []store.Series, err error) {
				if rows, err = h.c.Series.TakeFrom(tx, name); len(rows) > 0 {
					t.First = h.c.Series.Lobbies(rows)
				}
				return rows, err
			}
		}
		before := h.c.Hall.Lobbies()
		if err := h.take(ctx, t, taken); err != nil {
			return err
		}
		n += max(h.c.Hall.Lobbies()-before, 0)
		if t.Alive || t.Taken < takeAtOnce {
			break
		}
	}
	if n > 0 {
		h.c.TookOver(n)
		h.c.Log.Info("the lobbies of a node that is dead go on here", "node", name, "lobbies", n, "took",
			time.Since(began))
	}
	return nil
}

// restore lets the lobbies go on that this node held when it ended. One that cannot ends in order, with what was kept
// of it.
func (h *Handover) restore(ctx context.Context, left []*ledger.Left) {
	began, well := time.Now(), 0
	for _, x := range left {
		book, err := h.c.Books.Version(ctx, x.Rulebook, x.Version)
		if err == nil {
			err = h.c.Hall.Restore(book, x)
		}
		if err == nil {
			well++
			continue
		}
		if fault.CodeOf(err) == code.Stopping || store.Busy(err) || errors.Is(err, context.DeadlineExceeded) ||
			errors.Is(err, context.Canceled) { // that passes
			h.c.Log.Warn("a lobby cannot go on yet", "lobby", x.Code, "error", err)
			h.Again(x.Lobby)
			continue
		}
		h.c.Log.Error("a lobby of before cannot go on", "lobby", x.Code, "rulebook", x.Rulebook, "error", err)
		room := h.c.Ledger.Hold(len(x.After))
		if !room {
			x.After = nil
		}
		h.c.Ledger.End(h.c.Ledger.Stay(x.Lobby), x.Seq, 0, x.After, !room)
		e := directory.Entry{ID: x.Lobby, Node: h.c.Cluster.Self.Name, Epoch: h.c.Cluster.Lease.Epoch()}
		e.State = directory.Closed
		if err := h.c.Directory.Close(ctx, e, time.Now().UTC()); err != nil {
			h.c.Log.Warn("could not close the row of a lobby", "lobby", x.Code, "error", err)
		}
		h.c.Series.Closed(x.Lobby)
	}
	if len(left) > 0 {
		h.c.Log.Info("lobbies go on", "lobbies", well, "of", len(left), "took", time.Since(began))
	}
}
