package board_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/board"
)

// TestOrderChanges: a new version of a rulebook that turns a board's order applies at once, to what is in memory and to
// who watches.
func TestOrderChanges(t *testing.T) {
	r := newRig(t, 0)
	most := ref(rulebook.Board{Name: "laps", Keep: rulebook.KeepLatest})
	least := ref(rulebook.Board{Name: "laps", Keep: rulebook.KeepLatest, Least: true})
	now := most
	nodes := board.New(db, board.Options{Now: func() time.Time { return r.at }, As: func(board.Ref) board.Ref {
		return now
	}})
	defer nodes.Close()
	r.nodes[0] = nodes
	for i, name := range []string{"Ada", "Bo", "Cy"} {
		r.must(r.put(0, most, r.person(name), int64(10+i)))
	}
	w, page, err := nodes.Watch(t.Context(), most, board.Query{Limit: 2})
	if err != nil || len(page.Rows) != 2 || page.Rows[0].Name != "Cy" {
		t.Fatal(page, err)
	}
	defer w.Stop()
	r.shows(0, most, board.Query{}, "1 Cy 12, 2 Bo 11, 3 Ada 10")
	now = least
	if v, err := nodes.Glance(least, &board.Query{Limit: 3}); v != nil || err != nil {
		t.Errorf("what stands in the other order is shown: %v", err)
	}
	r.shows(0, least, board.Query{}, "1 Ada 10, 2 Bo 11, 3 Cy 12")
	<-w.Wake()
	if _, page, err = w.Take(t.Context()); err != nil || page == nil || page.Order != "least" ||
		page.Rows[0].Name != "Ada" {
		t.Errorf("who watches is shown %+v, %v", page, err)
	}
	r.must(r.put(0, least, r.person("Di"), 9))
	r.shows(0, least, board.Query{}, "1 Di 9, 2 Ada 10, 3 Bo 11, 4 Cy 12")
}

// TestComparison: what a node has of a board in memory is compared with the database, name by name, and at most twenty
// differences are told; a node that holds no board needs to follow none.
func TestComparison(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "laps"})
	if r.nodes[0].Holds() {
		t.Error("a new node holds boards")
	}
	ada := r.person("Ada")
	r.must(r.put(0, b, ada, 5))
	r.shows(0, b, board.Query{}, "1 Ada 5")
	if !r.nodes[0].Holds() {
		t.Error("a node that has read a board holds none")
	}
	differ := func(want int, text string) {
		t.Helper()
		c, err := r.nodes[0].Compare(t.Context(), b, "")
		if err != nil || len(c.Differ) != want || !strings.Contains(strings.Join(c.Differ, "\n"), text) {
			t.Errorf("%+v, %v; wanted %d with %q", c, err, want, text)
		}
	}
	differ(0, "")
	r.must(db.Exec("update players set name = 'Ida' where id = ?", ada).Error)
	differ(1, `called "Ada" in memory, "Ida" in the database`)
	for i := range 30 { // kept by another node, and not told yet
		r.must(r.put(1, b, r.person(fmt.Sprint("P", i)), 1))
	}
	differ(20, "not in memory")
	r.must(r.nodes[0].Remove(db.DB, b, "", ada, "op", "a slip"))
	r.shows(0, b, board.Query{}, "") // at once
}
