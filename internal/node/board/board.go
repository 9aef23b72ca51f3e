// Package board keeps the leaderboards: PostgreSQL holds every season, entry, bar and post, and those that are read
// here are ranked in memory, from which places, pages and neighbours are answered.
//
// What is posted here is seen here at once, and by other nodes within a second: package feed tells which entries have
// changed. Because entries carry versions, what is seen twice, or late, does no harm.
package board

import (
	"log/slog"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Boards are the leaderboards of a node. They may be used by several goroutines.
type Boards struct {
	db     *store.DB
	now    func() time.Time
	log    *slog.Logger
	budget int
	as     func(Ref) Ref

	queue queue

	mu      sync.Mutex
	seasons map[seasonKey]int64 // guarded by mu; the numbers of seasons that are there
	found   map[seasonKey]found // guarded by mu; seasons as they were found
	held    map[int64]*held     // guarded by mu; by the season's number
	people  people              // guarded by mu
	loading int                 // guarded by mu; seasons that are being read
	renamed map[[16]byte]string // guarded by mu; names that were given while some were
	clock   int64               // guarded by mu; counts readings

	ends chan struct{}
	done sync.WaitGroup
}

// Options say how to keep boards. The zero value will do.
type Options struct {
	Budget int              // the most bytes that boards in memory take, about; 256 MiB if 0
	Now    func() time.Time // time.Now if nil
	Log    *slog.Logger     // nothing is logged if nil
	As     func(Ref) Ref    // a board as it is declared now; as it was given if nil
}

const defaultBudget = 256 << 20

// New returns the boards of a database. They know what others post if a feed has them look.
func New(db *store.DB, o Options) *Boards {
	if o.Budget == 0 {
		o.Budget = defaultBudget
	}
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.As == nil {
		o.As = func(r Ref) Ref { return r }
	}
	b := &Boards{db: db, now: o.Now, log: o.Log, budget: o.Budget, as: o.As, seasons: map[seasonKey]int64{},
		found: map[seasonKey]found{}, held: map[int64]*held{}, ends: make(chan struct{})}
	b.renamed = map[[16]byte]string{}
	b.people.index = map[[16]byte]uint32{}
	return b
}

// Follow closes seasons and removes what has run out, until Close. node is this node's name; holds tells the moment of
// the oldest thing here that is not kept yet, the zero time for none.
func (b *Boards) Follow(node string, holds func() time.Time) {
	safe.In(&b.done, "follow boards", func() { b.follow(node, holds) })
}

// Close ends following. What is in the queue is posted first.
func (b *Boards) Close() {
	close(b.ends)
	b.done.Wait()
	b.queue.work.Wait()
}

// Now is the moment by the boards' clock.
func (b *Boards) Now() time.Time { return b.now().UTC() }

// Ref names a board: a rulebook's, with its declaration.
type Ref struct {
	Rulebook string
	*rulebook.Board
}

// Of names the board of a rulebook with a name; fault code.NoBoard if there is none.
func Of(book *rulebook.Book, name string) (Ref, error) {
	b := book.Board(name)
	if b == nil {
		return Ref{}, fault.New(code.NoBoard, "the rulebook %s has no board %q", book.Name, name)
	}
	r := Ref{Rulebook: book.Name, Board: b}
	if b.Game {
		r.Rulebook = rulebook.GamePrefix + book.Game
	}
	return r, nil
}

// Sides are the titles of a rulebook's teams, by name.
func Sides(book *rulebook.Book) map[string]string {
	out := map[string]string{}
	for _, t := range book.Teams.List {
		out[t.Name] = t.Title
	}
	return out
}
