package cluster_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/memdb"
)

// node is one that renews its lease, in virtual time.
type node struct {
	*cluster.Cluster
	link  *memdb.Link
	told  told
	load  cluster.Load
	away  bool
	lost  int
	turns int
	leave func()
}

// told is a table that remembers which renewals told what a node's lobbies are.
type told struct {
	*memdb.Link
	tallies []string
}

func (l *told) Renew(ctx context.Context, node string, epoch int64, long time.Duration, load *cluster.Load) (
	kept, draining bool, err error) {
	l.tallies = append(l.tallies, string(load.Tallies))
	return l.Link.Renew(ctx, node, epoch, long, load)
}

// starts starts a node, or says why not.
func starts(t *testing.T, db *memdb.Database, name string, lobbies int) (*node, error) {
	t.Helper()
	n := &node{link: db.Link(), load: cluster.Load{Lobbies: lobbies, Tallies: []byte("[]")}}
	n.link.Gate = func(ctx context.Context, _ string) error {
		if n.away {
			return errors.New("away")
		}
		return ctx.Err()
	}
	var err error
	n.told.Link = n.link
	n.Cluster, err = cluster.JoinAt(t.Context(), &n.told, func() time.Duration { return time.Since(time.Unix(0, 0)) },
		cluster.Identity{Name: name, Region: "here", Address: "http://" + name}, func() cluster.Load { return n.load },
		slog.New(slog.DiscardHandler))
	if err != nil {
		return nil, err
	}
	ctx, end := context.WithCancel(t.Context())
	var done sync.WaitGroup
	done.Go(func() { n.Run(ctx, func() { n.lost++ }, func() { n.turns++ }) })
	n.leave = sync.OnceFunc(func() {
		end()
		done.Wait()
		n.Leave(context.Background())
	})
	return n, nil
}

func start(t *testing.T, db *memdb.Database, name string, lobbies int) *node {
	t.Helper()
	n, err := starts(t, db, name, lobbies)
	if err != nil {
		t.Fatal(err)
	}
	return n
}

// speaks gives the node a voice. What it writes is never late.
func (n *node) speaks(tell func(word, what string)) {
	never := func() time.Duration { return 0 }
	n.Speak(cluster.Voice{Tell: tell, Taken: never, Late: never, Look: func() {}})
}

// pass lets time go by.
func pass(d time.Duration) {
	time.Sleep(d)
	synctest.Wait()
}

// TestNodesOfACluster: nodes renew their leases, and see each other, those with the fewest lobbies first; a hint has
// them look at once; who drains is not given lobbies; who leaves is gone, and its name is free.
func TestNodesOfACluster(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		db := memdb.NewDatabase()
		a, b, c := start(t, db, "a", 1), start(t, db, "b", 9), start(t, db, "c", 4)
		defer a.leave()
		defer c.leave()
		if _, err := starts(t, db, "b", 0); err == nil {
			t.Error("a second node called b starts")
		}
		names := func(all []cluster.Member) (out string) {
			for _, m := range all {
				out += m.Name + " "
			}
			return out
		}
		said := ""
		a.speaks(func(word, what string) { said = word + " " + what })
		if a.Hear("away", "nobody", ""); said != "well nobody" {
			t.Errorf("who has just come says %q, not that the database is well", said)
		}
		pass(1200 * time.Millisecond)
		a.load.Tallies = []byte(`[{"n":1}]`)
		pass(8800 * time.Millisecond)
		if got := strings.Join(a.told.tallies, ""); got != `[][{"n":1}]` || len(a.told.tallies) != 20 {
			t.Errorf("what its lobbies are is told %d times, not twice: %s", len(a.told.tallies), got)
		}
		if !a.Lease.Holds() || a.turns != 20 || a.lost != 0 ||
			names(a.Members()) != "a b c " || names(a.Others()) != "c b " ||
			names(a.Others("there")) != "" || names(a.Others("there", "here")) != "c b " {
			t.Errorf("%d renewals; there are %s, others %s", a.turns, names(a.Members()), names(a.Others()))
		}
		if m, known := a.Member("b"); !known || m.Address != "http://b" || m.Lobbies != 9 || !m.Alive || m.Holds {
			t.Errorf("%+v", m)
		}
		if _, known := a.Member("z"); known {
			t.Error("somebody is known who was never there")
		}
		looked, before := a.Looked(), a.turns
		a.Look()
		synctest.Wait()
		select {
		case <-looked:
		default:
			t.Error("a hint has nobody look")
		}
		if a.turns != before+1 {
			t.Errorf("after a hint there are %d renewals more", a.turns-before)
		}
		c.load.Overloaded = true
		pass(2 * time.Second)
		if got := names(a.Others()); got != "b c " {
			t.Errorf("with too much to do for c, others are %s", got)
		}
		if err := c.Drain(t.Context()); err != nil || c.Draining() {
			t.Error(err)
		}
		pass(time.Second)
		if !c.Draining() || a.Draining() || names(a.Others()) != "b " {
			t.Errorf("it drains: %v; others are %s", c.Draining(), names(a.Others()))
		}
		b.leave()
		pass(time.Second)
		if m, _ := a.Member("b"); m.Alive || names(a.Others()) != "" {
			t.Errorf("who has left is %+v; others are %s", m, names(a.Others()))
		}
		start(t, db, "b", 0).leave()
	})
}

// TestLeaseIsLost: a node whose lease has run out, and was ended by another, drops what it holds, once, and begins
// anew; until it has held its lease for long enough nobody is dead for it.
func TestLeaseIsLost(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		db := memdb.NewDatabase()
		a, b := start(t, db, "a", 0), start(t, db, "b", 0)
		defer a.leave()
		defer b.leave()
		e := directory.Entry{ID: "lobby", Node: "a", Epoch: a.Fence().Epoch}
		e.Code, e.State = "CODE", "gathering"
		if err := b.link.Open(t.Context(), e); err != nil {
			t.Fatal(err)
		}
		if dead := fmt.Sprint(b.Dead()); dead != "[]" {
			t.Errorf("dead are %s at the beginning", dead)
		}
		pass(5 * time.Second)
		first, tells := a.Fence().Epoch, 0
		a.speaks(func(word, _ string) {
			if word == "away" {
				tells++
			}
		})
		a.away = true
		pass(3 * time.Second)
		if a.Lease.Holds() || fmt.Sprint(b.Dead()) != "[]" || tells < 4 {
			t.Errorf("it holds its lease: %v; it has said %d times that the database is away; dead are %v",
				a.Lease.Holds(), tells, b.Dead())
		}
		pass(time.Second)
		if dead := fmt.Sprint(b.Dead()); dead != "[a]" || a.Dead() != nil {
			t.Errorf("dead are %s, and for who is away itself %v", dead, a.Dead())
		}
		err := b.link.Together(t.Context(), func(tx ledger.Rows) error {
			_, err := tx.EndLease("a")
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
		turns := a.turns
		a.away = false
		pass(time.Second)
		if a.turns != turns+2 {
			t.Errorf("anew it has had %d turns in a second", a.turns-turns)
		}
		if a.lost != 1 || !a.Lease.Holds() || a.Fence().Epoch != first+2 {
			t.Errorf("it has lost its lease %d times, and holds one of epoch %d: %v", a.lost, a.Fence().Epoch,
				a.Lease.Holds())
		}
	})
}

// TestLeaseLastsFromBefore: a lease is counted from before it was asked for: however late the answer comes, it is over
// for the node before it is for the database.
func TestLeaseLastsFromBefore(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		a := start(t, memdb.NewDatabase(), "a", 0)
		defer a.leave()
		a.link.Late = func(_ context.Context, call string) error {
			if call == "renew" {
				time.Sleep(900 * time.Millisecond)
			}
			return nil
		}
		pass(1450 * time.Millisecond) // one is asked for at 0.5 s, and the next one when it has been answered, at 1.4 s
		a.away = true
		pass(900 * time.Millisecond)
		a.Hear("well", "b", "a") // so it does not go on by itself
		pass(2100 * time.Millisecond)
		if a.Lease.Holds() {
			t.Error("after 4.45 s a node holds a lease that was over at 4.4 s")
		}
	})
}

// TestNameIsTaken: a node whose connection broke claims its name anew; where another process has it meanwhile its lease
// runs out.
func TestNameIsTaken(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		db := memdb.NewDatabase()
		a := start(t, db, "a", 0)
		defer a.leave()
		db.Break("a")
		pass(5 * time.Second)
		if !a.Lease.Holds() {
			t.Error("a connection that broke once costs it the lease")
		}
		if claim, err := a.link.Claim(t.Context(), "a"); claim != nil || err != nil {
			t.Errorf("its name is free: %v, %v", claim, err)
		}
		db.Break("a")
		other, err := a.link.Claim(t.Context(), "a")
		if err != nil || other == nil {
			t.Fatal(err)
		}
		pass(5 * time.Second)
		if a.Lease.Holds() {
			t.Error("it goes on while another process has its name")
		}
		other.Release()
		pass(2 * time.Second)
		if !a.Lease.Holds() {
			t.Error("it does not go on when the name is free again")
		}
	})
}
