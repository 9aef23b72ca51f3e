package handover_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/handover"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/store"
)

// tally is a match in which everybody counts, for longer than a test lasts.
const tally = `turnvex: 1
name: tally
players: {least: 1, most: 8, hold: 10m, late: seat}
start: {countdown: 0s}
sheets: {player: {points: {type: integer}}}
actions: {add: {do: [{add: me.points, by: 1}]}}
phases: {play: {lasts: 3h}}
`

// relay is a match that is over soon, and begins again; what was counted in it is kept, and a hat costs a coin.
const relay = `turnvex: 1
name: relay
players: {least: 1, most: 8, hold: 10m, late: seat}
start: {countdown: 0s}
sheets: {player: {points: {type: integer}}}
actions:
  add: {do: [{add: me.points, by: 1}]}
  buy: {certain: true, cost: {coins: 1}, do: [{add: record.hats, by: 1}]}
phases: {play: {lasts: 3s}}
win: {order: [{highest: me.points}]}
end: {lasts: 200ms, next: again}
record: {total: {keep: total, value: me.points}, coins: {min: 0, start: 99}, hats: {}}
`

// world is some nodes over one database, in virtual time. A seed draws what happens; the order of goroutines at one
// moment is Go's own.
type world struct {
	t     *testing.T
	db    *memdb.Database
	keep  *memdb.Keeper
	book  *rulebook.Book
	r     *rand.Rand
	began time.Time
	nodes []*node
	sets  func(*hall.Config, *cluster.Voice) // how nodes are set; nil for as they are

	mu  sync.Mutex
	log []string // guarded by mu; what was done
}

func inWorld(t *testing.T, seed uint64, nodes int, story func(w *world)) {
	t.Helper()
	inWorldOf(t, tally, seed, nodes, story)
}

func inWorldOf(t *testing.T, src string, seed uint64, nodes int, story func(w *world)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		book, problems := rulebook.Compile([]byte(src))
		if book == nil {
			t.Fatal(problems)
		}
		w := &world{t: t, db: memdb.NewDatabase(), keep: memdb.NewKeeper(), book: book,
			r: rand.New(rand.NewPCG(seed, seed)), began: time.Now()}
		for i := range nodes {
			w.nodes = append(w.nodes, &node{w: w, name: fmt.Sprint("n", i+1)})
		}
		defer func() {
			for _, n := range w.nodes {
				n.kill()
			}
			time.Sleep(time.Minute) // what waits for them gives up
			if t.Failed() {
				for _, line := range w.log {
					t.Log(line)
				}
			}
		}()
		story(w)
	})
}

func (w *world) notef(format string, args ...any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.log = append(w.log, fmt.Sprintf("%9.3f s  ", time.Since(w.began).Seconds())+fmt.Sprintf(format, args...))
}

// lines is a node's log, among what happens.
type lines struct{ n *node }

func (l lines) Write(p []byte) (int, error) {
	l.n.w.notef("  %s %s", l.n.name, bytes.TrimSpace(p))
	return len(p), nil
}

// node is one node: the hall, the ledger and the cluster as they are, over the database's stand-in.
type node struct {
	w    *world
	name string
	mute atomic.Bool // it hears nothing of the others, nor they of it
	*run
}

// run is a node from a start to its death.
type run struct {
	link    *memdb.Link
	cluster *cluster.Cluster
	ledger  *ledger.Ledger
	hall    *hall.Hall
	hands   *handover.Handover
	end     context.CancelFunc
	done    sync.WaitGroup

	mu    sync.Mutex
	wrong wrong         // guarded by mu
	cured chan struct{} // guarded by mu; closed when the fault is over
}

// wrong is what is wrong with a node's way to the database.
type wrong int

const (
	nothing wrong = iota
	dead          // there is no node any more
	away          // every call fails
	hangs         // no call is answered
	slow          // calls take long
	lossy         // some answers are lost
)

func (x wrong) String() string {
	return [...]string{"nothing", "dead", "away", "hangs", "slow", "lossy"}[x]
}

var errAway = errors.New("the database is away")

// set says what is wrong from now on.
func (x *run) set(what wrong) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.wrong == dead {
		return
	}
	close(x.cured)
	x.wrong, x.cured = what, make(chan struct{})
}

func (x *run) now() (wrong, <-chan struct{}) {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.wrong, x.cured
}

// firm tells whether what is told to be done is kept: a second after it has gone away the database is no longer waited
// for.
func (x *run) firm() bool {
	_, since := x.ledger.Waiting()
	what, _ := x.now()
	return what == nothing && since.IsZero()
}

func (x *run) before(ctx context.Context, _ string) error {
	for {
		switch what, cured := x.now(); what {
		case dead, away:
			return errAway
		case hangs:
			select {
			case <-cured:
				continue
			case <-ctx.Done():
				return ctx.Err()
			}
		case slow:
			time.Sleep(200 * time.Millisecond)
		}
		return ctx.Err()
	}
}

func (x *run) after(_ context.Context, call string) error {
	what, _ := x.now()
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.wrong == dead || what == lossy && len(call)%2 == int(time.Now().UnixMilli()/100)%2 {
		return errAway
	}
	return nil
}

// none is what runs no series.
type none struct{}

func (none) Given(*store.Tx) ([]store.Series, error)                                { return nil, nil }
func (none) TakeFrom(*store.Tx, string) ([]store.Series, error)                     { return nil, nil }
func (none) Lobbies([]store.Series) []string                                        { return nil }
func (none) Adopt(context.Context, []store.Series, func(lobbyID string) bool) error { return nil }
func (none) Mine(context.Context, []store.Series) ([]store.Series, error)           { return nil, nil }
func (none) Give(context.Context, string) error                                     { return nil }
func (none) Plays(string) bool                                                      { return false }
func (none) Closed(string)                                                          {}

// Version is part of handover.Books.
func (w *world) Version(context.Context, string, string) (*rulebook.Book, error) { return w.book, nil }

// start starts the node, if it does not run, and tells whether it runs.
func (n *node) start() bool {
	if n.run != nil {
		return true
	}
	w := n.w
	x := &run{link: w.db.Link(), cured: make(chan struct{}), hands: handover.New()}
	x.link.Gate, x.link.Late = x.before, x.after
	log := slog.New(slog.NewTextHandler(lines{n}, &slog.HandlerOptions{Level: slog.LevelInfo,
		ReplaceAttr: func(_ []string, a slog.Attr) slog.Attr {
			if a.Key == slog.TimeKey || a.Key == slog.LevelKey || a.Key == "rulebook" {
				return slog.Attr{}
			}
			return a
		}}))
	ctx, end := context.WithCancel(context.Background())
	var err error
	x.cluster, err = cluster.JoinAt(ctx, x.link, func() time.Duration { return time.Since(w.began) + time.Hour },
		cluster.Identity{Name: n.name, Region: "here", Address: "http://" + n.name}, x.load, log)
	if err != nil {
		end()
		return false
	}
	x.end = end
	x.ledger = ledger.New(x.link, n.name, x.cluster.Fence, log, 0)
	cfg := hall.Config{Directory: x.link, Keeper: records{w.keep, x}, Names: memdb.NewNames(), Log: log,
		Node: n.name, Region: "here", Ledger: x.ledger, PublishKept: true, Fence: x.cluster.Fence,
		Silent: x.cluster.Silent, Secret: []byte("secret"), Again: func(id string) { x.hands.Again(id) }}
	voice := cluster.Voice{Tell: n.teller(x), Taken: x.ledger.Taken, Late: x.ledger.Late,
		Look: func() { x.hall.Outage() }}
	if w.sets != nil {
		w.sets(&cfg, &voice)
	}
	x.hall = hall.New(cfg)
	x.cluster.Speak(voice)
	x.ledger.OnLate(x.cluster.Late)
	x.ledger.OnFull(x.hall.Refresh)
	x.ledger.OnAway(x.hall.Outage)
	x.done.Go(func() { x.cluster.Run(ctx, x.hands.Lost, x.hands.Turn) })
	x.done.Go(func() { x.hands.Run(ctx) })
	n.run = x
	if err := x.hands.Begin(ctx, handover.Config{Hall: x.hall, Ledger: x.ledger, Cluster: x.cluster, Directory: x.link,
		Books: w, Series: none{}, Log: log, Tell: w.hint, TookOver: func(int) {}}); err != nil {
		n.kill()
		return false
	}
	return true
}

// teller is what has the other nodes hear a word, where messages go.
func (n *node) teller(x *run) func(word, what string) {
	return func(word, what string) {
		if now, _ := x.now(); now == dead || n.mute.Load() {
			return
		}
		for _, other := range n.w.nodes {
			if to := other.run; to != nil && other.name != n.name && !other.mute.Load() {
				time.AfterFunc(time.Millisecond, func() { to.cluster.Hear(word, n.name, what) })
			}
		}
	}
}

// stop ends the node in order.
func (n *node) stop() {
	x := n.run
	x.hall.Stop()
	ctx, over := context.WithTimeout(context.Background(), time.Second)
	defer over()
	x.ledger.Close(ctx)
	x.end()
	x.done.Wait()
	x.cluster.Leave(ctx)
	x.ledger.Abort()
	n.run = nil
}

func (x *run) load() cluster.Load { return cluster.Load{} }

// hint tells a node that something was given to it.
func (w *world) hint(to string) {
	for _, n := range w.nodes {
		if n.name == to && n.run != nil {
			n.hands.TakeUp()
		}
	}
}

// kill ends the node at once: nothing that it has not written is.
func (n *node) kill() {
	x := n.run
	if x == nil {
		return
	}
	x.set(dead)
	n.run = nil
	x.end()
	x.hall.Drop()
	x.ledger.Abort()
	x.done.Wait()
	x.cluster.Leave(context.Background()) // which fails: its lease lasts until it runs out, and its name is free
}

// alive tells whether the node may say something.
func (n *node) alive() bool { return n.run != nil && n.cluster.Lease.Holds() }
