package memdb_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/trial"
)

// base is a database that nodes share.
type base struct {
	*testing.T
	ledger.Database
	table cluster.Table
	dir   hall.Directory
}

// onBoth tries something on PostgreSQL and on its stand-in, both empty.
func onBoth(t *testing.T, try func(b *base)) {
	t.Helper()
	t.Run("in PostgreSQL", func(t *testing.T) { try(inPostgreSQL(t)) })
	t.Run("in memory", func(t *testing.T) { try(inMemory(t)) })
}

func inPostgreSQL(t *testing.T) *base {
	t.Helper()
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	return &base{t, ledger.In(db), cluster.In(db), directory.New(db)}
}

func inMemory(t *testing.T) *base {
	l := memdb.NewDatabase().Link()
	return &base{t, l, l, l}
}

func (b *base) must(err error) {
	b.Helper()
	if err != nil {
		b.Fatal(err)
	}
}

// enters announces a node, whose lease lasts for an hour, or ended an hour ago.
func (b *base) enters(name string, alive bool) (epoch int64) {
	b.Helper()
	lease := -time.Hour
	if alive {
		lease = time.Hour
	}
	self := &cluster.Identity{Name: name, Region: "here", Address: "http://" + name}
	epoch, err := b.table.Enter(b.Context(), self, lease)
	b.must(err)
	return epoch
}

var discard = slog.New(slog.DiscardHandler)

// ledger returns a node's ledger, under an epoch of the node.
func (b *base) ledger(name string, epoch int64) *ledger.Ledger {
	return b.ledgerOn(b.Database, name, epoch)
}

func (b *base) ledgerOn(d ledger.Database, name string, epoch int64) *ledger.Ledger {
	g := ledger.New(d, name, func() store.Fence { return store.Fence{Node: name, Epoch: epoch} }, discard, 0)
	b.Cleanup(g.Abort)
	return g
}

// opens opens a lobby of a node, and its journal.
func (b *base) opens(g *ledger.Ledger, name string, epoch int64) (id string) {
	b.Helper()
	id = uuid.NewString()
	b.row(id, name, epoch)
	b.must(g.Open(b.Context(), ledger.Head{Lobby: id, Code: id[:8], Rulebook: "duel", Version: "v",
		Setup: lobby.Setup{Code: id[:8], Seed: 7}, Opened: time.Now()}, []byte("state 0")))
	return id
}

func (b *base) row(id, name string, epoch int64) {
	b.Helper()
	e := directory.Entry{ID: id, Node: name, Epoch: epoch}
	e.Code, e.Rulebook, e.State, e.Opened = id[:8], "duel", "gathering", time.Now()
	b.must(b.dir.Open(b.Context(), e))
}

func (b *base) kept(g *ledger.Ledger, m ledger.Mark) {
	b.Helper()
	b.must(g.Kept(trial.Within(b.T, time.Minute), m))
}

// fells ends the lease of a node.
func (b *base) fells(name string) (fell bool) {
	b.Helper()
	b.must(b.Together(b.Context(), func(tx ledger.Rows) (err error) {
		fell, err = tx.EndLease(name)
		return err
	}))
	return fell
}

// TestEpochs: a second process of a name is refused; who lets a lease run out is felled by another, and not while it
// holds it; it learns that when it renews its lease, and begins anew; others see all of it.
func TestEpochs(t *testing.T) {
	onBoth(t, func(b *base) {
		claim, err := b.table.Claim(b.Context(), "a")
		if err != nil || claim == nil || !claim.Alive(b.Context()) {
			b.Fatal(claim, err)
		}
		short, over := context.WithTimeout(b.Context(), 200*time.Millisecond)
		defer over()
		if second, _ := b.table.Claim(short, "a"); second != nil {
			b.Error("a second process takes the name")
		}
		claim.Release()
		if claim, err = b.table.Claim(b.Context(), "a"); err != nil || claim == nil {
			b.Fatal("a name that was given up is not free:", err)
		}
		defer claim.Release()
		old, other := b.enters("a", true), b.enters("b", true)
		renew := func(name string, epoch int64, lease time.Duration) bool {
			b.Helper()
			kept, _, err := b.table.Renew(b.Context(), name, epoch, lease,
				&cluster.Load{Lobbies: 2, Tallies: []byte("[]")})
			b.must(err)
			return kept
		}
		if b.fells("a") || b.fells("nobody") {
			b.Error("it is felled while it holds its lease, or somebody who is not there")
		}
		b.row(uuid.NewString(), "a", old)
		if !renew("a", old, -time.Minute) || !renew("b", other, time.Hour) {
			b.Error("a lease cannot be renewed")
		}
		for region, want := range map[string]string{"here": "[a]", "there": "[]"} {
			if dead, err := b.table.Dead(b.Context(), region, "b"); fmt.Sprint(dead) != want {
				b.Errorf("dead in the region %s are %v, %v", region, dead, err)
			}
		}
		if dead, err := b.table.Dead(b.Context(), "here", "a"); len(dead) != 0 {
			b.Errorf("who asks is dead itself: %v, %v", dead, err)
		}
		if !b.fells("a") || renew("a", old, time.Hour) {
			b.Error("its lease has run out, and it is not felled, or goes on")
		}
		if fresh := b.enters("a", true); fresh != old+2 || !renew("a", fresh, time.Hour) {
			b.Errorf("it begins anew with epoch %d after %d", fresh, old)
		}
		b.must(b.table.Drain(b.Context(), "a", old)) // which is over
		b.must(b.table.Drain(b.Context(), "b", other))
		b.must(b.table.Leave(b.Context(), "a", old))
		b.enters("gone", false)
		all, err := b.table.Members(b.Context())
		b.must(err)
		got := ""
		slices.SortFunc(all, func(x, y cluster.Member) int { return strings.Compare(x.Name, y.Name) })
		for _, m := range all {
			got += fmt.Sprint(m.Name, " ", m.Address, " ", m.Alive, m.Holds, m.Draining, m.Lobbies, "; ")
		}
		if want := "a http://a true true false 2; b http://b true false true 2; "; got != want {
			b.Errorf("there are %s wanted %s", got, want)
		}
	})
}

// TestTaking: another node takes a lobby with everything that is committed, and whatever the first one still writes is
// refused and said to be so; what it took is there for a third, also before there is a checkpoint; a lobby that is
// given goes on from its checkpoint; one of which nothing is kept is closed.
func TestTaking(t *testing.T) {
	onBoth(t, func(b *base) {
		epoch := b.enters("n1", false)
		one := b.ledger("n1", epoch)
		two, three := b.ledger("n2", b.enters("n2", true)), b.ledger("n3", b.enters("n3", true))
		id, lost := b.opens(one, "n1", epoch), uuid.NewString()
		b.row(lost, "n1", epoch)
		one.Write(one.Stay(id), 1, []byte("entry 1."), nil)
		b.kept(one, one.Write(one.Stay(id), 2, []byte("entry 2."), nil))
		take := func(g *ledger.Ledger, q *ledger.Taking) *ledger.Left {
			b.Helper()
			list, err := g.Take(b.Context(), q)
			if err != nil || len(list) != 1 || q.Alive {
				b.Fatalf("%d are taken: %v", len(list), err)
			}
			return list[0]
		}
		alive := &ledger.Taking{From: "n3", Dead: true}
		if list, err := two.Take(b.Context(), alive); err != nil || len(list) > 0 || !alive.Alive {
			b.Errorf("of a node that is alive %d are taken, %v", len(list), err)
		}
		x := take(two, &ledger.Taking{From: "n1", Dead: true})
		if x.Seq != 2 || string(x.After) != "entry 1.entry 2." || x.Setup.Seed != 7 || x.Gap {
			b.Errorf("%d %q %+v", x.Seq, x.After, x)
		}
		if err := one.Kept(b.Context(), one.Write(one.Stay(id), 3, []byte("entry 3."), nil)); err == nil {
			b.Error("what is written under a lease that is lost is kept")
		}
		b.must(b.Rows(b.Context()).Shorten("n1", 1<<40)) // as it would when it goes on
		b.kept(two, two.Write(two.Stay(id), 3, []byte("other 3."), nil))
		other := b.opens(two, "n2", 1) // whose checkpoint makes the log shorter
		b.kept(two, two.Write(two.Stay(other), 1, []byte("entry"), nil))
		state := ledger.State{Seq: 1, Data: []byte("state 1")}
		b.kept(two, two.Checkpoint(two.Stay(other), state, []byte("entry")))
		b.kept(two, two.Write(two.Stay(other), 2, []byte("entry"), nil))
		if x = take(three, &ledger.Taking{From: "n2", Only: []string{id}}); x.Seq != 3 ||
			string(x.After) != "entry 1.entry 2.other 3." {
			b.Errorf("a third one finds %d %q", x.Seq, x.After)
		}
		b.kept(three, three.Checkpoint(three.Stay(id), ledger.State{Seq: 3, Data: []byte("state 3")}, x.After))
		fence := store.Fence{Node: "n3", Epoch: 1}
		b.must(b.dir.Give(b.Context(), id, fence, "n2"))
		if given, older, err := two.Given(b.Context()); !given || older || err != nil {
			b.Errorf("given: %v, older: %v, %v", given, older, err)
		}
		if x = take(two, &ledger.Taking{From: "n2", Given: true}); string(x.State) != "state 3" || len(x.After) != 0 {
			b.Errorf("given: %q %q", x.State, x.After)
		}
		given := func(from, to string, g *ledger.Ledger) {
			b.Helper()
			b.must(b.dir.Give(b.Context(), id, store.Fence{Node: from, Epoch: 1}, to))
			take(g, &ledger.Taking{From: to, Given: true})
		}
		given("n2", "n3", three)
		three.Write(three.Stay(id), 4, []byte("lost 4."), nil) // of play that nobody goes on with
		b.kept(three, three.Write(three.Stay(id), 5, []byte("lost 5."), nil))
		given("n3", "n2", two)
		given("n2", "n3", three)
		b.kept(three, three.Write(three.Stay(id), 4, []byte("entry 4."), nil))
		if x = take(two, &ledger.Taking{From: "n3", Only: []string{id}}); x.Seq != 4 || string(x.After) != "entry 4." {
			b.Errorf("after an earlier stay of which entries are left: %d %q", x.Seq, x.After)
		}
		over := ledger.Stay{Lobby: id, Fence: store.Fence{Node: "n2", Epoch: 0}}
		for what, m := range map[string]ledger.Mark{"an entry": two.Write(over, 5, []byte("late"), nil),
			"a checkpoint": two.Checkpoint(over, ledger.State{Seq: 9, Data: []byte("late")}, []byte("late")),
			"its end":      two.End(over, 9, 9, []byte("late"), false)} {
			if err := two.Kept(b.Context(), m); !errors.Is(err, store.ErrFenced) {
				b.Errorf("%s of a stay that is over: %v", what, err)
			}
		}
		for lobby, want := range map[string]bool{id: true, lost: false} {
			if open, err := two.IsOpen(b.Context(), lobby); open != want || err != nil {
				b.Errorf("it is open: %v, wanted %v (%v)", open, want, err)
			}
		}
	})
}

// TestWritesMeetTakeovers: what is being written when a node is felled is refused, or is there for whoever takes its
// lobbies.
func TestWritesMeetTakeovers(t *testing.T) {
	onBoth(t, func(b *base) {
		for round := range 20 {
			name := fmt.Sprint("n", round)
			fence := store.Fence{Node: name, Epoch: b.enters(name, false)}
			var both sync.WaitGroup
			var written error
			both.Go(func() {
				written = b.Together(b.Context(), func(tx ledger.Rows) error {
					_, err := tx.Append(name, fence, time.Now(), []byte("entry"))
					return err
				})
			})
			seen := 0
			both.Go(func() {
				b.Together(b.Context(), func(tx ledger.Rows) error {
					if fell, err := tx.EndLease(name); err != nil || !fell {
						b.Errorf("%v, %v", fell, err)
					}
					rows, err := tx.Log(name, 0, 9)
					seen = len(rows)
					return err
				})
			})
			both.Wait()
			if refused := errors.Is(written, store.ErrFenced); refused && seen != 0 ||
				!refused && (written != nil || seen != 1) {
				b.Errorf("%d entries are seen of a write that ended with %v", seen, written)
			}
		}
	})
}

// TestManyTakeOver: of nodes that take over at the same moment each takes other lobbies, and together they take all of
// them.
func TestManyTakeOver(t *testing.T) {
	onBoth(t, func(b *base) {
		epoch, want := b.enters("dead", false), map[string]int{}
		g := b.ledger("dead", epoch)
		var last ledger.Mark
		for range 30 {
			id := b.opens(g, "dead", epoch)
			want[id] = 1
			last = g.Write(g.Stay(id), 1, []byte("entry of "+id), nil)
		}
		b.kept(g, last)
		g.Abort()
		var mu sync.Mutex
		var all sync.WaitGroup
		got := map[string]int{}
		for n := range 4 {
			name := fmt.Sprint("n", n)
			g := b.ledger(name, b.enters(name, true))
			all.Go(func() {
				for none := 0; none < 3; {
					q := &ledger.Taking{From: "dead", Dead: true, Most: 4}
					list, err := g.Take(b.Context(), q)
					if err != nil {
						b.Error(err)
						return
					}
					if len(list) == 0 {
						none++
					}
					mu.Lock()
					for _, x := range list {
						if got[x.Lobby]++; string(x.After) != "entry of "+x.Lobby {
							b.Errorf("%s: %q", x.Lobby, x.After)
						}
					}
					mu.Unlock()
				}
			})
		}
		all.Wait()
		if fmt.Sprint(got) != fmt.Sprint(want) {
			b.Errorf("%d lobbies are taken, some of them often", len(got))
		}
	})
}

// lossy loses answers: what was done is told to have failed.
type lossy struct {
	ledger.Database
	mu     sync.Mutex
	random *rand.Rand // guarded by mu
}

var errLost = errors.New("the answer is lost")

func (l *lossy) answer(err error) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if err == nil && l.random.IntN(3) == 0 {
		return errLost
	}
	return err
}

func (l *lossy) Together(ctx context.Context, do func(ledger.Rows) error) error {
	return l.answer(l.Database.Together(ctx, do))
}

func (l *lossy) Rows(ctx context.Context) ledger.Rows { return lossyRows{l.Database.Rows(ctx), l} }

type lossyRows struct {
	ledger.Rows
	l *lossy
}

func (r lossyRows) Append(node string, f store.Fence, at time.Time, entries []byte) (int64, error) {
	row, err := r.Rows.Append(node, f, at, entries)
	return row, r.l.answer(err)
}

// TestLostAnswers: where every third answer of the database is lost, a ledger keeps everything just once.
func TestLostAnswers(t *testing.T) {
	onBoth(t, func(b *base) {
		epoch := b.enters("n1", false)
		g := b.ledgerOn(&lossy{Database: b.Database, random: rand.New(rand.NewPCG(1, 2))}, "n1", epoch)
		id, want, first := "", "", 0
		for id == "" {
			try := uuid.NewString()
			b.row(try, "n1", epoch)
			head := ledger.Head{Lobby: try, Code: try[:8], Opened: time.Now()}
			if g.Open(b.Context(), head, []byte("state 0")) == nil {
				id = try
			}
		}
		for n := 1; n <= 24; n++ {
			entry := fmt.Sprintf("entry %d.", n)
			want += entry
			m := g.Write(g.Stay(id), int64(n), []byte(entry), nil)
			if n%10 == 0 {
				m = g.Checkpoint(g.Stay(id), ledger.State{Seq: int64(n), Data: []byte("state")}, []byte(want))
				first, want = n, ""
			}
			b.kept(g, m)
		}
		list, err := b.ledger("n2", b.enters("n2", true)).Take(b.Context(), &ledger.Taking{From: "n1", Dead: true})
		b.must(err)
		for _, x := range list {
			if x.Lobby == id && (x.Seq != 24 || string(x.After) != want || x.Gap) {
				b.Errorf("after entry %d there are %q up to %d; wanted %q", first, x.After, x.Seq, want)
			}
		}
		if len(list) == 0 {
			b.Error("nothing is taken")
		}
	})
}

// TestNoTimePassesUntilItIsAlive: a lobby that was taken, and then taken again because nobody knew, is as old as when
// it was taken first; once its node has written a state of its own that holds everything.
func TestNoTimePassesUntilItIsAlive(t *testing.T) {
	onBoth(t, func(b *base) {
		epoch := b.enters("n1", false)
		one, two := b.ledger("n1", epoch), b.ledger("n2", b.enters("n2", true))
		id := b.opens(one, "n1", epoch)
		b.kept(one, one.Write(one.Stay(id), 1, []byte("entry 1."), nil))
		take := func(q *ledger.Taking) *ledger.Left {
			b.Helper()
			list, err := two.Take(b.Context(), q)
			if err != nil || len(list) != 1 {
				b.Fatalf("%d are taken: %v", len(list), err)
			}
			return list[0]
		}
		before := time.Now()
		first := take(&ledger.Taking{From: "n1", Dead: true})
		taken := time.Now()
		b.must(two.Flush(b.Context())) // its node is alive later than that
		again := take(&ledger.Taking{From: "n2", Only: []string{id}})
		if again.Until.Before(before.Truncate(time.Microsecond)) || again.Until.After(taken) {
			b.Errorf("it is known up to %v, and was taken from %v to %v", again.Until, before, taken)
		}
		age := again.Until.Sub(again.Began) - first.Until.Sub(first.Began)
		if age.Abs() > time.Millisecond {
			b.Errorf("meanwhile it has become older by %v", age)
		}
		b.kept(two, two.Checkpoint(two.Stay(id), ledger.State{Seq: 1, Data: []byte("state 1")}, again.After))
		if last := take(&ledger.Taking{From: "n2", Only: []string{id}}); !last.Until.IsZero() || last.Seq != 1 {
			b.Errorf("behind its own state it is known up to %v, entry %d", last.Until, last.Seq)
		}
	})
}
