package cluster

import (
	"context"
	"errors"
	"log/slog"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

var quiet = slog.New(slog.DiscardHandler)

func idle() Load { return Load{Lobbies: 3, Tallies: []byte("[]")} }

// clocked is a node that knows of some others, with a clock of its own that begins at an hour.
func clocked(others ...string) (*Cluster, *time.Duration) {
	now := time.Hour
	c := fresh(nil, Self{Name: "a", Region: "here"}, idle, quiet)
	c.Lease.clock = func() time.Duration { return now }
	c.Lease.renew(now, LeaseFor-margin)
	c.steady = now
	for _, name := range others {
		c.members[name] = Member{Node: store.Node{Name: name, Region: "here"}, Alive: true}
	}
	return c, &now
}

// TestWhileTheDatabaseIsAway: a node goes on beyond its lease as long as nobody can be taking over:
// alone; or while each other node says that the database is away for it too; never once its lease
// has run out, as for a process that was stopped, and not when one of them is silent.
func TestWhileTheDatabaseIsAway(t *testing.T) {
	away := errors.New("away")
	for name, c := range map[string]struct {
		others, say []string
		steps       []time.Duration // between two looks
		holds       bool
	}{
		"alone":              {steps: []time.Duration{1, 1, 1, 1, 1, 1, 1, 1}, holds: true},
		"alone, and stopped": {steps: []time.Duration{1, 1, 4, 1}},
		"all say so": {others: []string{"b", "c"}, say: []string{"b", "c"}, steps: []time.Duration{1,
			1, 1, 1, 1}, holds: true},
		"one is silent":          {others: []string{"b", "c"}, say: []string{"b"}, steps: []time.Duration{1, 1, 1}},
		"nobody says so":         {others: []string{"b"}, steps: []time.Duration{1, 1, 1}},
		"all say so, but late":   {others: []string{"b"}, say: []string{"b"}, steps: []time.Duration{3, 1}},
		"who is dead is not one": {others: []string{"dead"}, steps: []time.Duration{1, 1, 1, 1}, holds: true},
	} {
		a, now := clocked(c.others...)
		if m, is := a.members["dead"]; is {
			m.Alive = false
			a.members["dead"] = m
		}
		said := 0
		a.OnAway(func() { said++ })
		for _, step := range c.steps {
			*now += step * time.Second
			for _, other := range c.say {
				a.Away(other)
			}
			a.failed(away)
		}
		if a.Lease.Holds() != c.holds || said != len(c.steps) {
			t.Errorf("%s: it holds its lease: %v; it has said %d times that the database is away", name,
				a.Lease.Holds(), said)
		}
	}
}

// TestNobodyIsTakenOverAtOnce: who has not held its own lease for long enough takes nobody for dead:
// others come back with the database.
func TestNobodyIsTakenOverAtOnce(t *testing.T) {
	a, now := clocked()
	a.dead = []string{"b"}
	if got := a.Dead(); got != nil {
		t.Errorf("at once %v are dead", got)
	}
	*now += LeaseFor
	a.Lease.renew(*now, LeaseFor)
	if got := a.Dead(); len(got) != 1 {
		t.Errorf("after a lease %v are dead", got)
	}
	a.failed(errors.New("away"))
	if got := a.Dead(); got != nil {
		t.Errorf("while the database is away %v are dead", got)
	}
}

// TestEpochs: a second process of a name is refused; who lets a lease run out is felled by another,
// once, and not while it holds it; whatever is written under the old epoch is refused, and a write
// that is under way is waited for; who was felled learns it, begins anew, and others see all of it.
func TestEpochs(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	join := func(name string) *Cluster {
		t.Helper()
		c, err := Join(t.Context(), db, Self{Name: name, Region: "here", Address: "http://" + name + ".example"},
			idle, quiet)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Leave(context.Background()) })
		return c
	}
	a, b := join("a"), join("b")
	short, over := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer over()
	if _, err := Join(short, db, Self{Name: "a"}, idle, quiet); err == nil {
		t.Error("a second process takes the name")
	}
	old := a.Fence()
	fell := func() (ok bool) {
		t.Helper()
		if err := db.WithContext(t.Context()).Transaction(func(tx *store.Tx) (err error) {
			ok, err = b.Fell(tx, "a")
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return ok
	}
	if fell() {
		t.Error("it is felled while it holds its lease")
	}
	lobby := store.Lobby{ID: "01234567-89ab-7def-8123-456789abcdef", Code: "ABCDEF", Node: "a", Epoch: old.Epoch}
	if err := db.Create(&lobby).Error; err != nil {
		t.Fatal(err)
	}
	if err := old.Holds(db.WithContext(t.Context()), lobby.ID); err != nil {
		t.Errorf("under its lease a node may not write: %v", err)
	}
	db.Exec("update nodes set lease_until = now() - interval '1 second' where name = 'a'")
	if err := b.findDead(t.Context()); err != nil || strings.Join(b.dead, " ") != "a" {
		t.Errorf("dead are %v, %v", b.dead, err)
	}
	if !fell() {
		t.Error("it is not felled when its lease has run out")
	}
	db.Exec("update lobbies set node = 'b', epoch = ? where id = ?", b.Lease.Epoch(), lobby.ID)
	if err := old.Holds(db.WithContext(t.Context()), lobby.ID); !errors.Is(err, store.ErrFenced) {
		t.Errorf("under a lease that is lost: %v", err)
	}
	if kept, err := a.renew(t.Context()); kept || err != nil {
		t.Errorf("it renews a lease that it has lost: %v, %v", kept, err)
	}
	if err := a.enter(t.Context()); err != nil || a.Lease.Epoch() != old.Epoch+2 || !a.Lease.Holds() {
		t.Errorf("it begins anew with epoch %d after %d: %v", a.Lease.Epoch(), old.Epoch, err)
	}
	if kept, err := b.renew(t.Context()); !kept || err != nil {
		t.Error(kept, err)
	}
	if err := b.look(t.Context()); err != nil {
		t.Fatal(err)
	}
	if m, known := b.Member("a"); !known || !m.Alive || m.Holds || m.Address != "http://a.example" {
		t.Errorf("%+v", m)
	}
	if others := a.Others("here"); len(others) != 1 || others[0].Name != "b" || len(a.Others("elsewhere")) != 0 {
		t.Errorf("%+v", others)
	}
}

// TestWhoHoldsSomething: of the nodes whose lease has run out, one that holds a lobby or runs a series
// is found dead, by who is in its region; one that holds neither any more is not.
func TestWhoHoldsSomething(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	closed := time.Now()
	const id = "01234567-89ab-7def-8123-456789abcde"
	for i, x := range []struct {
		node, region string
		alive        bool
		row          any
	}{
		{node: "empty", region: "here"},
		{node: "lobby", region: "here", row: &store.Lobby{}},
		{node: "closed", region: "here", row: &store.Lobby{ClosedAt: &closed}},
		{node: "series", region: "here", row: &store.Series{}},
		{node: "over", region: "here", row: &store.Series{Over: true}},
		{node: "far", region: "there", row: &store.Series{}},
		{node: "alive", region: "here", alive: true, row: &store.Series{}},
	} {
		until := time.Now().Add(-time.Second)
		if x.alive {
			until = time.Now().Add(time.Minute)
		}
		switch row := x.row.(type) {
		case *store.Lobby:
			row.ID, row.Code, row.Node = id+string(rune('0'+i)), "CODE2"+string(rune('A'+i)), x.node
		case *store.Series:
			row.ID, row.Node, row.Plan, row.State = id+string(rune('0'+i)), x.node, []byte("{}"), []byte("{}")
			row.Name = x.node
		}
		err := db.Exec("insert into nodes (name, epoch, region, lease_until, seen_at, holds_from) values "+
			"(?, 1, ?, ?, now(), now())",
			x.node, x.region, until).Error
		if err == nil && x.row != nil {
			err = db.Create(x.row).Error
		}
		if err != nil {
			t.Fatal(x.node, err)
		}
	}
	c := fresh(db, Self{Name: "a", Region: "here"}, idle, quiet)
	if err := c.findDead(t.Context()); err != nil {
		t.Fatal(err)
	}
	slices.Sort(c.dead)
	if want := []string{"lobby", "series"}; !slices.Equal(c.dead, want) {
		t.Errorf("found dead: %v instead of %v", c.dead, want)
	}
}
