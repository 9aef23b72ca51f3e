// Package ledger keeps the journals and the checkpoints of a node's lobbies in the database, so that a node that starts
// again has them as they were. What all lobbies take in is written together, every few hundredths of a second, by one
// statement.
package ledger

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"sync"
	"sync/atomic"
	"time"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/store"
)

// every is how often what has come is written, at most. A node that is killed loses what came since the last commit
// that succeeded began: so much, or as long as a commit takes if that is longer, and the commit that was under way.
const every = 40 * time.Millisecond

// MaxWaiting is how many bytes may wait for the database if nothing else is set: of what the lobbies have taken in,
// which gives way to a checkpoint of each beyond it, and of the pieces of journals.
const MaxWaiting = 64 << 20

// Ledger may be used by several goroutines.
type Ledger struct {
	db    Database
	node  string
	fence func() store.Fence
	log   *slog.Logger
	most  int
	held  atomic.Int64 // bytes of pieces of journals that are not committed

	mu      sync.Mutex
	now     batch            // guarded by mu; what is written next
	size    int              // guarded by mu; bytes that wait
	written uint64           // guarded by mu; the number of the last batch that is committed
	first   map[string]int64 // guarded by mu; by lobby: the log's row with its first entry behind its checkpoint
	last    int64            // guarded by mu; the log's last row
	taking  int              // guarded by mu; lobbies are being taken
	gapped  map[string]bool  // guarded by mu; lobbies of which entries gave way, and no checkpoint has come since
	dropped map[uint64]error // guarded by mu; why the last batches whose entries are not written are not, by number
	landed  chan struct{}    // guarded by mu; closed when a batch is committed
	refresh func()           // asks every lobby for a checkpoint

	delay delay // how late its commits are
	wake  chan struct{}
	hurry chan struct{}
	stop  chan struct{}
	once  sync.Once // closes stop
	done  sync.WaitGroup
}

// batch is what is committed together.
type batch struct {
	no          uint64
	fence       store.Fence // under which its entries were taken in
	at          time.Time   // everything up to then is in it, or before it
	data        []byte      // the entries, as the log holds them
	log         []place     // and whose they are
	people      []store.LedgerPerson
	checkpoints map[string]*store.LedgerCheckpoint
	segments    []store.LedgerSegment
	ends        []string
	held        int // bytes of its segments
}

// bare tells whether the batch holds nothing beside entries.
func (b *batch) bare() bool {
	return len(b.people)+len(b.checkpoints)+len(b.segments)+len(b.ends) == 0
}

// place says whose an entry in the log is.
type place struct {
	lobby string
	seq   int64
}

// logged is an entry of a lobby in the log, as it is read.
type logged struct {
	_     struct{} `cbor:",toarray"`
	Lobby string
	Seq   int64
	Entry []byte
}

// appendLogged appends an entry of a lobby as logged is written in CBOR (RFC 8949): tens of thousands are written a
// second.
func appendLogged(dst []byte, lobby string, seq int64, entry []byte) []byte {
	dst = append(dst, 0x83)
	dst = append(replica.AppendHead(dst, replica.Chars, uint64(len(lobby))), lobby...)
	dst = replica.AppendHead(dst, replica.Unsigned, uint64(seq))
	return append(replica.AppendHead(dst, replica.Bytes, uint64(len(entry))), entry...)
}

// Mark is a place in what is written, to be waited for.
type Mark uint64

// The marks of what gave way, which is not kept before the lobby's next checkpoint is, and of what is not this node's
// to write any more.
const (
	never  = Mark(math.MaxUint64)
	fenced = never - 1
)

// Stay is the time of a lobby at this node, under one lease. What a lobby still hands on when its stay is over is not
// written, even if it has come back since.
type Stay struct {
	Lobby string
	Fence store.Fence
}

// Stay is that of a lobby under the node's present lease.
func (g *Ledger) Stay(lobby string) Stay { return Stay{lobby, g.fence()} }

// New returns the ledger of a node. What it writes under a lease that is lost is refused; a nil fence is none. So many
// bytes may wait: MaxWaiting, if most is 0.
func New(db Database, node string, fence func() store.Fence, log *slog.Logger, most int) *Ledger {
	if most == 0 {
		most = MaxWaiting
	}
	if fence == nil {
		fence = func() store.Fence { return store.Fence{} }
	}
	g := &Ledger{db: db, node: node, fence: fence, log: log, most: most,
		first: map[string]int64{}, gapped: map[string]bool{},
		dropped: map[uint64]error{}, wake: make(chan struct{}, 1), hurry: make(chan struct{}, 1),
		stop: make(chan struct{}), landed: make(chan struct{}), refresh: func() {}}
	g.now = g.empty(1)
	g.delay.begin()
	safe.Vital(&g.done, "write the ledger", g.run)
	return g
}

// OnFull sets what is called when entries had to give way: every lobby is to be asked for a checkpoint.
func (g *Ledger) OnFull(refresh func()) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.refresh = refresh
}

// Open writes how a lobby is opened, with its first state. It is committed when it returns.
func (g *Ledger) Open(ctx context.Context, h Head, state []byte) error {
	setup, err := cbor.Marshal(h.Setup)
	if err != nil {
		return err
	}
	return g.db.Together(ctx, func(tx Rows) error {
		return tx.Begin(&store.LedgerLobby{LobbyID: h.Lobby, Node: g.node, Code: h.Code, Name: h.Name,
			Rulebook: h.Rulebook, Version: h.Version, Setup: setup, OpenedAt: h.Opened.UTC()},
			&store.LedgerCheckpoint{LobbyID: h.Lobby, Data: state, BeganAt: h.Opened.UTC()})
	})
}

// Drop forgets a lobby that was not opened after all.
func (g *Ledger) Drop(ctx context.Context, lobby string) error {
	return g.db.Together(ctx, func(tx Rows) error { return tx.Drop(lobby) })
}

// Write takes an entry of a lobby's journal, numbered from 1, and what is new of its people. It never waits.
func (g *Ledger) Write(s Stay, seq int64, entry []byte, told []journal.Person) Mark {
	g.mu.Lock()
	defer g.mu.Unlock()
	lobby := s.Lobby
	if g.beginLocked(); s.Fence != g.now.fence {
		return fenced
	}
	for _, p := range told {
		g.now.people = append(g.now.people, store.LedgerPerson{LobbyID: lobby, Token: p.Token, OfToken: p.Of,
			Text: p.Text})
	}
	g.wakeLocked()
	if g.gapped[lobby] {
		return never
	}
	before := len(g.now.data)
	g.now.data = appendLogged(g.now.data, lobby, seq, entry)
	g.now.log = append(g.now.log, place{lobby, seq})
	if g.size += len(g.now.data) - before; g.size <= g.most {
		return Mark(g.now.no)
	}
	for _, e := range g.now.log {
		g.gapped[e.lobby] = true
	}
	g.size -= len(g.now.data)
	g.now.log, g.now.data, g.dropped[g.now.no] = nil, nil, ErrGaveWay
	g.now.no++
	g.tellLocked()
	g.log.Warn("the database takes nothing: what the lobbies take in gives way to checkpoints")
	safe.Go("ask lobbies for checkpoints", g.refresh)
	return never
}

func (g *Ledger) wakeLocked() {
	select {
	case g.wake <- struct{}{}:
	default:
	}
}

// Present returns the mark of everything that has happened to a lobby up to now, the ticks since its last entry
// included. Where somebody waits for it atOnce is true, and it is written without waiting for more.
func (g *Ledger) Present(last Mark, atOnce bool) Mark {
	g.mu.Lock()
	defer g.mu.Unlock()
	if last >= fenced {
		return last
	}
	wake := g.wake
	if atOnce {
		wake = g.hurry
	}
	select {
	case wake <- struct{}{}:
	default:
	}
	return Mark(g.now.no)
}

// errStopped says that what is waited for is written by nobody here any more.
var errStopped = errors.New("the ledger has stopped")

// ErrGaveWay says that what is waited for is not written: a checkpoint follows instead.
var ErrGaveWay = errors.New("it gave way to a checkpoint that is not made yet")

// Kept returns when what was written up to a mark is committed, or says that it gave way, or, with store.ErrFenced,
// that it is not this node's to write any more.
func (g *Ledger) Kept(ctx context.Context, m Mark) error {
	for {
		g.mu.Lock()
		why := g.dropped[uint64(m)]
		switch m {
		case never:
			why = ErrGaveWay
		case fenced:
			why = store.ErrFenced
		}
		there, landed := g.written >= uint64(m), g.landed
		g.mu.Unlock()
		switch {
		case why != nil:
			return why
		case there:
			return nil
		}
		select {
		case <-landed:
		case <-ctx.Done():
			return ctx.Err()
		case <-g.stop:
			return errStopped
		}
	}
}

// Waiting says how many bytes wait for the database, and since when nothing could be written.
func (g *Ledger) Waiting() (bytes int, since time.Time) {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.size, g.delay.hangs()
}

// Flush returns when everything that was handed on until now is committed, or is known not to be.
func (g *Ledger) Flush(ctx context.Context) error {
	g.mu.Lock()
	m := Mark(g.now.no)
	g.wakeLocked()
	g.mu.Unlock()
	if err := g.Kept(ctx, m); !errors.Is(err, ErrGaveWay) && !errors.Is(err, store.ErrFenced) {
		return err
	}
	return nil
}

// Close writes what waits, as long as the context lasts, and ends. It does nothing where it has ended.
func (g *Ledger) Close(ctx context.Context) error {
	select {
	case <-g.stop:
		return nil
	default:
	}
	g.mu.Lock()
	m := Mark(g.now.no)
	g.wakeLocked()
	g.mu.Unlock()
	err := g.Kept(ctx, m)
	g.Abort()
	if err != nil {
		return fmt.Errorf("what the lobbies took in last could not be written: %w", err)
	}
	return nil
}

// aliveEvery is how often the moment up to which all is here is written when nothing comes.
const aliveEvery = 100 * time.Millisecond

// Abort ends without writing what waits. It may be called again, also after Close.
func (g *Ledger) Abort() {
	g.once.Do(func() { close(g.stop); g.delay.end() })
	g.done.Wait()
}

// run writes what has come, again and again, and that nothing has come.
func (g *Ledger) run() {
	pause, alive, last := time.NewTimer(every), time.NewTicker(aliveEvery), time.Time{}
	defer alive.Stop()
	for {
		select {
		case <-g.wake:
			pause.Reset(max(every-time.Since(last), 0))
			select {
			case <-pause.C:
			case <-g.hurry:
			case <-g.stop:
				return
			}
		case <-g.hurry:
		case <-alive.C:
		case <-g.stop:
			return
		}
		b := g.take()
		last = b.at
		for wait := every; ; wait = min(2*wait, time.Second) {
			err := g.commit(b)
			if err == nil {
				break
			}
			if errors.Is(err, store.ErrFenced) {
				g.refused(b)
				break
			}
			if g.delay.failed() {
				g.log.Warn("what the lobbies take in cannot be written; it waits", "error", err)
			}
			select {
			case <-time.After(wait):
			case <-g.stop:
				return
			}
		}
		g.committed(b)
	}
}

// take begins the next batch, and returns this one.
func (g *Ledger) take() *batch {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.beginLocked()
	b := g.now
	b.at = time.Now().UTC()
	g.delay.began(b.at)
	g.now = g.empty(b.no + 1)
	return &b
}

func (g *Ledger) empty(no uint64) batch {
	return batch{no: no, checkpoints: map[string]*store.LedgerCheckpoint{}}
}

// beginLocked notes under which lease a batch begins.
func (g *Ledger) beginLocked() {
	b := &g.now
	if b.bare() && len(b.log) == 0 {
		b.fence = g.fence()
	}
}

// Forget drops all that waits: it belongs to lobbies that another node has taken over.
func (g *Ledger) Forget() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.dropped[g.now.no] = store.ErrFenced
	g.size -= len(g.now.data)
	g.held.Add(-int64(g.now.held))
	g.now = g.empty(g.now.no + 1)
	g.first, g.gapped = map[string]int64{}, map[string]bool{}
	g.tellLocked()
}

// refused notes that what a batch holds is not for this node to write any more.
func (g *Ledger) refused(b *batch) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.log.Warn("what some lobbies took in is not written: another node has taken them over", "entries", len(b.log))
	g.dropped[b.no] = store.ErrFenced
	g.tellLocked()
}

func (g *Ledger) committed(b *batch) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if after := g.delay.committed(b.at); after > 0 {
		g.log.Info("what the lobbies take in is written again", "after", after.Round(time.Millisecond))
	}
	g.written = b.no
	for no := range g.dropped {
		if no+rememberDropped < b.no {
			delete(g.dropped, no)
		}
	}
	g.size = max(g.size-len(b.data), 0)
	g.held.Add(-int64(b.held))
	g.tellLocked()
}

// rememberDropped is for how many batches it is known of one that its entries gave way. Nobody waits so long for a
// mark: that many take at least seven minutes.
const rememberDropped = 10_000

// tellLocked lets everybody who waits look again.
func (g *Ledger) tellLocked() {
	close(g.landed)
	g.landed = make(chan struct{})
}
