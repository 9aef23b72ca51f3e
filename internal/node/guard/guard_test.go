package guard

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// TestTake: whoever is counted has what the table says at once and one more after a while, whoever else asks; what is
// given back can be taken again, once; who is not seen for long is forgotten, and has no more than before.
func TestTake(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		g := New()
		l := &Limit{Name: "tries", By: "address", Most: 30, Every: 5 * time.Second}
		count := func(who string) (n int) {
			for {
				if _, err := g.Take(l, who); err != nil {
					return n
				}
				n++
			}
		}
		back, _ := g.Take(l, "a")
		if n := count("a"); n != 29 {
			t.Errorf("at once %d", n+1)
		}
		if n := count("b"); n != 30 {
			t.Errorf("another %d", n)
		}
		back()
		back()
		if n := count("a"); n != 1 {
			t.Errorf("given back once, taken %d", n)
		}
		var f *fault.Fault
		if _, err := g.Take(l, "a"); !errors.As(err, &f) || f.Code != code.TooMany || f.Left != 5 {
			t.Errorf("refused with %v", err)
		}
		time.Sleep(11 * time.Second)
		if n := count("a"); n != 2 {
			t.Errorf("after 11 s %d", n)
		}
		time.Sleep(70 * time.Second)
		count("b")
		if n := count("a"); n != 14 {
			t.Errorf("after 70 s %d", n)
		}
		time.Sleep(time.Hour)
		count("c")
		if len(g.uses) != 1 {
			t.Errorf("%d are remembered", len(g.uses))
		}
	})
}

// TestHeld: what is held is there again when it is given back, and never by waiting; a hundred who ask at once are a
// hundred.
func TestHeld(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		g := New()
		l := &Limit{Name: "places", By: "node", Most: 7}
		var got atomic.Int64
		var all sync.WaitGroup
		release := make(chan struct{})
		for range 100 {
			all.Go(func() {
				if back, err := g.Take(l, ""); err == nil {
					got.Add(1)
					<-release
					back()
				}
			})
		}
		synctest.Wait()
		time.Sleep(time.Hour)
		if _, err := g.Take(l, ""); err == nil || got.Load() != 7 {
			t.Errorf("%d hold a place, and one more: %v", got.Load(), err)
		}
		close(release)
		all.Wait()
		if _, err := g.Take(l, ""); err != nil {
			t.Errorf("none holds a place: %v", err)
		}
	})
}

// TestTable holds docs/operations.md to the limits.
func TestTable(t *testing.T) {
	page, err := os.ReadFile("../../../docs/operations.md")
	if err != nil {
		t.Fatal(err)
	}
	if table := Table(); !strings.Contains(string(page), "\n"+table) {
		t.Errorf("docs/operations.md does not have this table:\n%s", table)
	}
	names := map[string]bool{}
	for _, l := range All {
		if names[fmt.Sprint(l.Name, l.By)] || l.Most < 1 {
			t.Errorf("%s", l.Name)
		}
		names[fmt.Sprint(l.Name, l.By)] = true
	}
}

// TestNetworks: addresses of one /64 count as one, whoever stands before them; IPv4 addresses each count by themselves,
// in either form.
func TestNetworks(t *testing.T) {
	for _, c := range []struct {
		one, other string
		same       bool
	}{
		{"2001:db8:1:2::1", "2001:db8:1:2:ffff:ffff:ffff:ffff", true},
		{"2001:db8:1:2::1", "2001:db8:1:3::1", false},
		{"ada 2001:db8:1:2::1", "ada 2001:db8:1:2::2", true},
		{"ada 2001:db8:1:2::1", "bo 2001:db8:1:2::1", false},
		{"address 2001:db8:1:2::1", "2001:db8:1:2::1", false},
		{"fe80::1%eth0", "fe80::2%eth1", true},
		{"192.0.2.1", "192.0.2.2", false},
		{"192.0.2.1", "::ffff:192.0.2.1", true},
		{"mara", "mara", true},
		{"mara 7", "mara 8", false},
	} {
		g, l := New(), &Limit{Name: "test", Most: 1, Every: time.Hour}
		if _, err := g.Take(l, c.one); err != nil {
			t.Fatal(err)
		}
		if back, err := g.Take(l, c.other); (err != nil) != c.same {
			t.Errorf("%s and %s: %v", c.one, c.other, err)
		} else if err == nil {
			back()
		}
	}
}
