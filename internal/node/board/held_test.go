package board_test

import (
	"fmt"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/store"
)

// TestEmptyIsHeld: a season from which everything was removed is held as well, and what is posted then is ranked.
func TestEmptyIsHeld(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "b"})
	ada := r.person("Ada")
	r.must(r.put(0, b, ada, 5))
	r.must(r.nodes[0].Remove(db.DB, b, "", ada, "op", "a slip"))
	r.shows(1, b, board.Query{}, "")
	r.must(r.put(1, b, ada, 3))
	r.shows(1, b, board.Query{}, "1 Ada 3")
}

// TestNothingIsTakenForKnown: a glance reads nothing; of a season in memory, and of one that nobody has posted to, it
// tells what there is; when all is forgotten, because the database may be another one, seasons are looked for anew.
func TestNothingIsTakenForKnown(t *testing.T) {
	r := newRig(t, 0)
	b, empty := ref(rulebook.Board{Name: "b", Least: true}), ref(rulebook.Board{Name: "empty"})
	ada := r.person("Ada")
	r.must(r.put(1, b, ada, 5))
	q := board.Query{Limit: 1}
	if v, err := r.nodes[0].Glance(b, &q); v != nil || err != nil {
		t.Errorf("a glance at what is not in memory: %v, %v", v, err)
	}
	r.shows(0, b, q, "1 Ada 5")
	r.shows(0, empty, q, "")
	for _, x := range []struct {
		of   board.Ref
		want string
	}{{b, "1 1 least [Ada]"}, {empty, "0 0 most []"}} {
		v, err := r.nodes[0].Glance(x.of, &q)
		if err != nil || v == nil {
			t.Fatalf("%s: %v, %v", x.of.Name, v, err)
		}
		p := v.Page()
		names := []string{}
		for _, e := range p.Rows {
			names = append(names, e.Name)
		}
		if got := fmt.Sprint(p.Count, " ", p.First, " ", p.Order, " ", names); got != x.want {
			t.Errorf("a glance at %s: %s, wanted %s", x.of.Name, got, x.want)
		}
	}
	if _, err := r.nodes[0].Glance(b, &board.Query{}); err == nil {
		t.Error("a glance at no rows")
	}
	r.must(db.Exec("delete from board_entries").Error)
	r.must(db.Exec("delete from board_seasons").Error)
	r.must(r.nodes[0].Look(t.Context(), nil))
	r.shows(0, b, q, "")
	r.must(r.put(1, empty, ada, 2))
	r.must(r.nodes[0].Look(t.Context(), nil))
	r.shows(0, empty, q, "1 Ada 2")
}

// TestBudget: boards that are not read for longest are given up, and read again they are as they were, with what was
// posted meanwhile.
func TestBudget(t *testing.T) {
	r := newRig(t, 20000)
	var all []board.Ref
	var people []string
	for i := range 40 {
		people = append(people, r.person(fmt.Sprint("P", i)))
	}
	for i := range 10 {
		b := ref(rulebook.Board{Name: fmt.Sprint("b", i), Keep: rulebook.KeepBest})
		all = append(all, b)
		for n, p := range people {
			r.must(r.put(0, b, p, int64(n+i)))
		}
		r.shows(0, b, board.Query{Limit: 1}, fmt.Sprintf("1 P39 %d", 39+i))
	}
	if seasons, entries, bytes := r.nodes[0].Memory(); bytes > 20000 || seasons == 10 || seasons == 0 ||
		entries != 40*seasons {
		t.Errorf("%d seasons with %d entries take %d bytes", seasons, entries, bytes)
	}
	for i, b := range all {
		r.must(r.put(1, b, people[0], 99))
		r.look()
		r.shows(0, b, board.Query{Limit: 2}, fmt.Sprintf("1 P0 99, 2 P39 %d", 39+i))
		r.same(0, b)
	}
}

// TestWatchedIsHeld: what is watched is not given up, and afterwards it is.
func TestWatchedIsHeld(t *testing.T) {
	r := newRig(t, 1)
	ada := r.person("Ada")
	var all []board.Ref
	for i := range 3 {
		all = append(all, ref(rulebook.Board{Name: fmt.Sprint("b", i)}))
		r.must(r.put(0, all[i], ada, 1))
	}
	held := func(want int) {
		t.Helper()
		if n, _, _ := r.nodes[0].Memory(); n != want {
			t.Errorf("%d seasons are held, wanted %d", n, want)
		}
	}
	w, _, err := r.nodes[0].Watch(t.Context(), all[0], board.Query{Limit: 2})
	if err != nil {
		t.Fatal(err)
	}
	r.shows(0, all[1], board.Query{}, "1 Ada 1")
	r.shows(0, all[2], board.Query{}, "1 Ada 1")
	held(2)
	w.Stop()
	r.shows(0, all[1], board.Query{}, "1 Ada 1")
	held(1)
}

// TestWatching: of the watched part only what changes is told, a new season whole.
func TestWatching(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "daily", Renew: rulebook.RenewDaily})
	ada, bo, cy := r.person("Ada"), r.person("Bo"), r.person("Cy")
	w, page, err := r.nodes[0].Watch(t.Context(), b, board.Query{Limit: 2})
	if err != nil || len(page.Rows) != 0 {
		t.Fatal(page, err)
	}
	defer w.Stop()
	told := func(want string) {
		t.Helper()
		change, whole, err := w.Take(t.Context())
		got := ""
		switch {
		case err != nil:
			t.Fatal(err)
		case whole != nil:
			got = fmt.Sprint("whole ", whole.Season.Name, " ", len(whole.Rows))
		case change != nil:
			got = fmt.Sprint(change.Rows, "/", change.Count)
			for _, s := range change.Set {
				got += fmt.Sprint(" ", s.N, ":", s.Row.Place, " ", s.Row.Name, " ", s.Row.Value)
			}
		}
		if got != want {
			t.Errorf("told %q, wanted %q", got, want)
		}
	}
	r.must(r.put(0, b, ada, 5))
	told("1/1 0:1 Ada 5")
	r.must(r.put(0, b, bo, 3))
	<-w.Wake()
	told("2/2 1:2 Bo 3")
	r.must(r.put(0, b, cy, 1))
	told("2/3")
	told("")
	r.must(r.put(1, b, cy, 4))
	r.look()
	told("2/3 1:2 Cy 4")
	r.must(db.Model(&store.Player{}).Where("id = ?", ada).Update("name", "Adela").Error)
	r.nodes[0].Renamed(ada, "Adela")
	told("2/3 0:1 Adela 5")
	r.at = r.at.AddDate(0, 0, 1)
	told("whole 2030-05-07 0")
	r.must(r.put(0, b, ada, 1))
	<-w.Wake()
	told("1/1 0:1 Adela 1")
}
