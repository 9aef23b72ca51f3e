package directory_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/wire"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

var now = time.Date(2030, 5, 6, 7, 8, 9, 0, time.UTC)

// fill opens twelve lobbies, one a minute: of two rulebooks and regions, with 0 to 4 free places, some of them closed,
// hidden, for practice or playing.
func fill(t *testing.T, d *directory.Directory) *directory.Tallies {
	t.Helper()
	tallies := directory.NewTallies()
	for i := range 12 {
		e := directory.Entry{
			ID:     uuid.Must(uuid.NewV7()).String(),
			Node:   "n1",
			Listed: i != 3,
			LobbyInfo: wire.LobbyInfo{
				Code:     fmt.Sprintf("LOBB%02d", i),
				Rulebook: []string{"bell", "clash"}[i%2],
				Region:   []string{"north", "south"}[i/6],
				State:    "gathering",
				Version:  "1",
				Title:    fmt.Sprintf("L%02d%%_", 11-i),
				Capacity: 4,
				Free:     i % 5,
				Seats:    4 - i%5,
				Open:     i != 4,
				Practice: i == 8,
				Opened:   now.Add(time.Duration(i) * time.Minute),
			},
		}
		if i == 6 {
			e.State = "playing"
		}
		if err := d.Open(t.Context(), e); err != nil {
			t.Fatal(err)
		}
		tallies.Set(&e)
	}
	tallies.Set(&directory.Entry{ID: "one that has closed", Listed: true})
	tallies.Drop("one that has closed")
	return tallies
}

// numbers lists the numbers of the lobbies of a listing, over pages of so many.
func numbers(t *testing.T, d *directory.Directory, q directory.Query) string {
	t.Helper()
	var out []string
	for {
		p, err := d.List(t.Context(), q, nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range p.Lobbies {
			out = append(out, strings.TrimLeft(l.Code[4:], "0")) // number 0 is left out
		}
		if q.Cursor = p.Next; q.Cursor == "" {
			return strings.Join(out, " ")
		}
	}
}

// TestListing: filters and orders give the same lobbies in pages of any size, and what was left out is said.
func TestListing(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	d := directory.New(db)
	own := fill(t, d)
	yes, no := true, false
	for want, q := range map[string]directory.Query{
		"11 10 9 8 7 6 5 4 2 1 ":  {},
		" 1 2 4 5 6 7 8 9 10 11":  {Order: "oldest"},
		"11 10 9 8 7 6 5 4 2 1  ": {Order: "title"},
		"10 5  11 6 1 7 2 8 9 4":  {Order: "fullest"},
		"10 8 6 4 2 ":             {Filter: wire.Filter{Rulebook: "bell"}},
		"5 4 2 1 ":                {Filter: wire.Filter{Region: "north"}},
		"6":                       {Filter: wire.Filter{State: "playing"}},
		"9 8 7 2":                 {Filter: wire.Filter{Free: 2}},
		"8":                       {Filter: wire.Filter{Practice: &yes}},
		"9 7 2":                   {Filter: wire.Filter{Free: 2, Practice: &no, Title: "l0"}, Order: "newest"},
		"2":                       {Filter: wire.Filter{Title: "L09%_"}},
	} {
		for limit := 1; limit < 13; limit += 2 {
			q.Limit = limit
			if got := strings.Fields(numbers(t, d, q)); !slices.Equal(got, strings.Fields(want)) {
				t.Errorf("%+v: %v, wanted %s", q, got, want)
			}
		}
	}
	for _, c := range []struct {
		q    directory.Query
		code code.Code
	}{{directory.Query{Order: "random", Limit: 1}, code.BadRequest}, {directory.Query{Cursor: "!", Limit: 1},
		code.BadCursor},
		{directory.Query{Cursor: "e30", Limit: 1}, code.BadCursor}} {
		if _, err := d.List(t.Context(), c.q, nil); fault.CodeOf(err) != c.code {
			t.Errorf("%+v: %v", c.q, err)
		}
	}
	for name, lease := range map[string]string{"n2": "infinity",
		"dead": "-infinity"} { // a node that is dead says nothing
		err := db.Exec("insert into nodes (name, seen_at, holds_from, lease_until, tallies) values (?, now(), "+
			"now(), ?, ?)",
			name, lease, `[{"r":"bell","g":"south","s":"free","n":30}]`).Error
		if err != nil {
			t.Fatal(err)
		}
	}
	left, err := d.LeftOut(t.Context(), &wire.Filter{Region: "north", Free: 2}, "n1", own.All())
	if err != nil {
		t.Fatal(err)
	}
	want := "[{closed to newcomers 1} {found by code only 1} {full 2} {in another region: south 36} {with too few " +
		"free places 1}]"
	if got := fmt.Sprint(left); got != want {
		t.Errorf("left out: %s, wanted %s", got, want)
	}
	if err := db.Exec("delete from nodes").Error; err != nil {
		t.Fatal(err)
	}
	own.Drop("one that has closed")              // again, and it counts no less
	for want, f := range map[string]wire.Filter{ // what the others have announced counts for a second
		"[{found by code only 1} {not for practice 40}]":            {Practice: &yes},
		"[{for practice 1} {found by code only 1} {playing 1}]":     {Practice: &no, State: "gathering"},
		"[{closed to newcomers 1} {found by code only 1} {full 3}]": {Free: 1},
		"[{in another region: north 6}]":                            {Region: "south"},
		"[{closed to newcomers 1} {full 2}]":                        {Rulebook: "bell", Free: 1},
	} {
		if left, err := d.LeftOut(t.Context(), &f, "n1", own.All()); err != nil || fmt.Sprint(left) != want {
			t.Errorf("%+v leaves out %v, wanted %s (%v)", f, left, want, err)
		}
	}
	if p, err := d.List(t.Context(), directory.Query{Limit: 10}, nil); err != nil || len(p.Lobbies) != 10 ||
		p.Next == "" {
		t.Errorf("ten of eleven: %+v, %v", p, err)
	}
	if p, err := d.List(t.Context(), directory.Query{Limit: 11}, nil); err != nil || len(p.Lobbies) != 11 ||
		p.Next != "" {
		t.Errorf("all eleven: %+v, %v", p, err)
	}
	p, err := d.List(t.Context(), directory.Query{Limit: 1}, func(l *wire.LobbyInfo) { l.Title = "fresh" })
	if err != nil || p.Lobbies[0].Title != "fresh" {
		t.Errorf("%+v, %v", p, err)
	}
}

// TestWatchers: who watches through a filter is told the newest state of each lobby that fits, and when one no longer
// does; nothing is told after Stop.
func TestWatchers(t *testing.T) {
	w := directory.NewWatchers()
	all, north := w.Watch(wire.Filter{}), w.Watch(wire.Filter{Region: "north"})
	a, b := wire.LobbyInfo{Code: "A", Region: "north"}, wire.LobbyInfo{Code: "B", Region: "south"}
	w.Tell(wire.LobbyInfo{}, &a)
	w.Tell(wire.LobbyInfo{}, &b)
	a2 := a
	a2.Title = "again"
	w.Tell(a, &a2)
	show := func(list []wire.Listed, _ bool) (out string) {
		for _, m := range list {
			if out += m.Code; m.Gone {
				out += " gone"
			} else {
				out += " " + m.Lobby.Title
			}
			out += ", "
		}
		return out
	}
	select {
	case <-all.Wake():
	default:
		t.Error("there is something to take, and nobody is woken")
	}
	if got := show(all.Take()); got != "A again, B , " {
		t.Errorf("told %s", got)
	}
	if got := show(north.Take()); got != "A again, " {
		t.Errorf("in the north told %s", got)
	}
	moved := a2
	moved.Region = "south"
	w.Tell(a2, &moved)
	w.Tell(b, nil)
	if got := show(north.Take()); got != "A gone, " {
		t.Errorf("in the north told %s", got)
	}
	if got := show(all.Take()); got != "A again, B gone, " {
		t.Errorf("told %s", got)
	}
	w.Stop(all)
	w.Tell(moved, &a)
	if late, got := show(all.Take()), show(north.Take()); late != "" || got != "A , " {
		t.Errorf("who has stopped is told %s, and who has not %s", late, got)
	}
}
