package cluster

import (
	"errors"
	"fmt"
	"log/slog"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

var quiet = slog.New(slog.DiscardHandler)

func idle() Load { return Load{Lobbies: 3, Tallies: []byte("[]")} }

// clocked is a node that knows of some others, with a clock of its own that begins at an hour.
func clocked(others ...string) (*Cluster, *time.Duration) {
	now := time.Hour
	c := newCluster(nil, Identity{Name: "a", Region: "here"}, idle, quiet)
	c.Lease.clock = func() time.Duration { return now }
	c.Lease.renew(now, LeaseFor-margin)
	c.steady = now
	for _, name := range others {
		c.members[name] = Member{Node: store.Node{Name: name, Region: "here"}, Alive: true}
	}
	return c, &now
}

// TestWhileTheDatabaseIsAway: a node goes on beyond its lease as long as nobody can be taking over: alone; or while
// each other node says that the database is away for it too; never once its lease has run out, as for a process that
// was stopped, and not when one of them is silent.
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
		a.Speak(Voice{Tell: func(string, string) { said++ }, Late: never, Taken: never, Look: func() {}})
		for _, step := range c.steps {
			*now += step * time.Second
			for _, other := range c.say {
				a.awayFor(other)
			}
			a.failed(away)
		}
		if a.Lease.Holds() != c.holds || said != len(c.steps) {
			t.Errorf("%s: it holds its lease: %v; it has said %d times that the database is away", name,
				a.Lease.Holds(), said)
		}
	}
}

// TestNobodyIsTakenOverAtOnce: who has not held its own lease for long enough takes nobody for dead: others come back
// with the database.
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

// TestWhoHasTheDatabase: who renews its lease tells others, for whom the database is away, that it is well; whoever
// hears that is silent when its lease would have ended anyway, and goes on by itself again only when the other one says
// that the database is away for it too, or nothing for as long as a lease lasts.
func TestWhoHasTheDatabase(t *testing.T) {
	away := errors.New("away")
	a, now := clocked()
	if !a.awayFor("b") {
		t.Error("who renews its lease does not say that the database is well")
	}
	a.failed(away)
	if a.awayFor("b") {
		t.Error("for whom the database is away it is said to be well")
	}
	passes := func(what string, d time.Duration, holds bool) {
		t.Helper()
		*now += d
		if a.failed(away); a.Lease.Holds() != holds {
			t.Errorf("%s: it holds its lease: %v", what, a.Lease.Holds())
		}
	}
	passes("alone", 2*time.Second, true)
	passes("alone, beyond its lease", 2*time.Second, true)
	a.wellFor("b")
	passes("when somebody has the database", 0, false)

	a.Lease.renew(*now, LeaseFor-margin)
	a.wellFor("b")
	passes("while its own lease lasts", 2*time.Second, true)
	passes("at its end", time.Second, false)

	a.Lease.renew(*now, LeaseFor-margin)
	a.wellFor("b")
	a.awayFor("b")
	passes("where it is away for the other too", 2*time.Second, true)
	passes("and beyond its lease", 2*time.Second, true)

	a.wellFor("b")
	*now += awayFor
	a.Lease.renew(*now, LeaseFor-margin)
	passes("when the other has been silent for long", 2*time.Second, true)
	passes("and beyond its lease", 2*time.Second, true)

	a.members["b"] = Member{Node: store.Node{Name: "b", Region: "here"}, Alive: true}
	a.awayFor("b")
	passes("a node that is known says that it is away", 2*time.Second, true)
	a.wellFor("b")
	a.Lease.renew(*now, LeaseFor-margin)
	*now += awayFor - 1
	a.away["b"] = 0
	passes("what it said before does not count", 0, true)
	passes("and so it ends", 1, false)
}

// TestWhenOthersAreLookedAt: up to twenty nodes look at the table each time that they renew their leases, more of them
// less often, and a hint has each look at once.
func TestWhenOthersAreLookedAt(t *testing.T) {
	c, now := clocked()
	looks := func(times int) (n int) {
		for range times {
			if *now += renewEvery; c.lookDue(*now) {
				n++
			}
		}
		return n
	}
	if n := looks(20); n != 20 {
		t.Errorf("alone it looks %d times of 20", n)
	}
	for i := range 5 * fewNodes {
		c.members[fmt.Sprint(i)] = Member{}
	}
	if n := looks(20); n != 4 {
		t.Errorf("among a hundred it looks %d times of 20", n)
	}
	if c.hinted = true; looks(1) != 1 || looks(4) != 0 || looks(1) != 1 {
		t.Error("a hint does not have it look, or has it look twice")
	}
}
