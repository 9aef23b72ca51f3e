package board_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/board"
)

// TestSeasonsByTheCalendar: which season a moment belongs to, over changes of the clock and of the year.
func TestSeasonsByTheCalendar(t *testing.T) {
	r := newRig(t, 0)
	for _, c := range []struct {
		renew        rulebook.Renew
		zone, at     string
		name         string
		begins, ends string
	}{
		{rulebook.RenewNever, "UTC", "2030-05-06T12:00:00Z", "all", "1970-01-01T00:00:00Z", ""},
		{rulebook.RenewDaily, "UTC", "2030-05-06T23:59:59Z", "2030-05-06", "2030-05-06T00:00:00Z",
			"2030-05-07T00:00:00Z"},
		// The clocks go forward in the night to 31 March: the day has 23 hours.
		{rulebook.RenewDaily, "Europe/Oslo", "2030-03-31T12:00:00Z", "2030-03-31", "2030-03-30T23:00:00Z",
			"2030-03-31T22:00:00Z"},
		// They go forward at midnight: the day begins at one o'clock, an hour after the day before had 23:00.
		{rulebook.RenewDaily, "America/Santiago", "2030-09-08T03:59:59Z", "2030-09-07", "2030-09-07T04:00:00Z",
			"2030-09-08T04:00:00Z"},
		{rulebook.RenewDaily, "America/Santiago", "2030-09-08T04:00:00Z", "2030-09-08", "2030-09-08T04:00:00Z",
			"2030-09-09T03:00:00Z"},
		{rulebook.RenewWeekly, "Europe/Oslo", "2030-03-31T21:59:59Z", "2030-W13", "2030-03-24T23:00:00Z",
			"2030-03-31T22:00:00Z"},
		{rulebook.RenewWeekly, "America/Lima", "2030-01-01T04:00:00Z", "2030-W01", "2029-12-31T05:00:00Z",
			"2030-01-07T05:00:00Z"},
		{rulebook.RenewWeekly, "UTC", "2029-12-31T00:00:00Z", "2030-W01", "2029-12-31T00:00:00Z",
			"2030-01-07T00:00:00Z"},
		{rulebook.RenewMonthly, "Pacific/Auckland", "2030-01-31T12:00:00Z", "2030-02", "2030-01-31T11:00:00Z",
			"2030-02-28T11:00:00Z"},
		{rulebook.RenewOnDates, "UTC", "2030-03-02T00:00:00Z", "since-2030-03-01", "2030-03-01T00:00:00Z",
			"2030-06-01T00:00:00Z"},
		{rulebook.RenewOnDates, "UTC", "2031-03-02T00:00:00Z", "since-2030-06-01", "2030-06-01T00:00:00Z", ""},
	} {
		at, _ := time.Parse(time.RFC3339, c.at)
		r.at = at
		b := ref(rulebook.Board{Name: "b", Renew: c.renew, Zone: c.zone, Dates: []string{"2030-03-01", "2030-06-01"}})
		p, err := r.nodes[0].Read(t.Context(), b, &board.Query{Limit: 1})
		if err != nil {
			t.Fatal(err)
		}
		s, ends := p.Season, ""
		if s.Ends != nil {
			ends = s.Ends.Format(time.RFC3339)
		}
		if s.Name != c.name || s.Begins.Format(time.RFC3339) != c.begins || ends != c.ends || s.State != board.Open {
			t.Errorf("%s %s at %s: %s from %s to %s, %s", c.renew, c.zone, c.at, s.Name, s.Begins, ends, s.State)
		}
	}
	b := ref(rulebook.Board{Name: "dates", Renew: rulebook.RenewOnDates, Dates: []string{"2031-01-01"}})
	r.at = time.Date(2030, 12, 31, 23, 0, 0, 0, time.UTC)
	r.refused(r.put(0, b, r.person("Ada"), 1), code.NoSeason)
}

// TestSeasonsOver: what happened before a season's end belongs to it, whenever it is saved, until no node can hold such
// a thing; then the season is closed, and stays readable.
func TestSeasonsOver(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "daily", Renew: rulebook.RenewDaily})
	ada, bo := r.person("Ada"), r.person("Bo")
	r.at = time.Date(2030, 5, 6, 23, 59, 0, 0, time.UTC)
	r.must(r.put(0, b, ada, 3))
	late := board.Post{Ref: b, Subject: bo, Value: 4, At: r.at}
	state := func(node int, want string) {
		t.Helper()
		p, err := r.nodes[node].Read(t.Context(), b, &board.Query{Season: "2030-05-06", Limit: 1})
		if err != nil || p.Season.State != want {
			t.Errorf("the season is %s, wanted %s (%v)", p.Season.State, want, err)
		}
	}
	held := late.At // node 1 has not kept it yet
	over := func() {
		t.Helper()
		r.must(r.nodes[0].Over(t.Context(), "n0", nil))
		r.must(r.nodes[1].Over(t.Context(), "n1", func() time.Time { return held }))
		r.must(r.nodes[0].Over(t.Context(), "n0", nil))
		r.at = r.at.Add(time.Second)
	}
	over()
	state(0, board.Open)
	r.at = time.Date(2030, 5, 7, 0, 5, 0, 0, time.UTC)
	over()
	state(0, board.Closing)
	r.must(r.put(0, b, ada, 1)) // today's
	r.must(r.nodes[1].Post(t.Context(), late))
	held = time.Time{}
	r.at = time.Date(2030, 5, 7, 0, 0, 8, 0, time.UTC) // a lobby that was held up does its ticks late
	over()
	state(1, board.Closing)
	r.at = time.Date(2030, 5, 7, 0, 0, 11, 0, time.UTC)
	over()
	state(1, board.Closed)
	late.Value = 9
	r.refused(r.nodes[1].Post(t.Context(), late), code.SeasonClosed)
	r.look()
	for node := range 2 {
		r.shows(node, b, board.Query{Season: "2030-05-06"}, "1 Bo 4, 2 Ada 3")
		r.shows(node, b, board.Query{}, "1 Ada 1")
	}
	r.at = r.at.AddDate(0, 0, 2) // a node that was not heard of for so long holds nothing up
	r.must(r.nodes[0].Over(t.Context(), "n0", nil))
	list, _, err := r.nodes[1].Seasons(db.DB, b, 0, 10)
	if err != nil || len(list) != 3 || list[0].Name != "2030-05-09" || list[1].State != board.Closed ||
		list[2].Name != "2030-05-06" {
		t.Errorf("the seasons are %+v, %v", list, err)
	}
}

// TestSeasonsByHand: a board begins anew when an operator says so, on every node.
func TestSeasonsByHand(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "hand", Renew: rulebook.RenewByHand})
	ada := r.person("Ada")
	for node := range 2 {
		r.shows(node, b, board.Query{}, "")
	}
	r.must(r.put(0, b, ada, 3))
	before := board.Post{Ref: b, Subject: ada, Value: 8, At: r.at}
	r.at = r.at.Add(time.Second)
	s, err := r.nodes[1].Renew(db.DB, b, "", "op", "a new year")
	if err != nil || s.Name != "2" {
		t.Fatal(s, err)
	}
	for range 2 { // repeated
		if s, err = r.nodes[0].Renew(db.DB, b, "1", "op", "a new year"); err != nil || s.Name != "2" {
			t.Fatal(s, err)
		}
	}
	_, err = r.nodes[0].Renew(db.DB, b, "3", "op", "why")
	r.refused(err, code.NotNow)
	r.must(r.put(0, b, ada, 5))
	r.must(r.nodes[0].Post(t.Context(), before)) // happened before
	r.look()
	r.at = r.at.Add(time.Second)
	for node := range 2 {
		r.shows(node, b, board.Query{}, "1 Ada 5")
		r.shows(node, b, board.Query{Season: "1"}, "1 Ada 8")
	}
	_, err = r.nodes[0].Renew(db.DB, b, "", "op", " ")
	r.refused(err, code.BadRequest)
	_, err = r.nodes[0].Renew(db.DB, ref(rulebook.Board{Name: "never"}), "", "op", "why")
	r.refused(err, code.NotNow)
	r.must(r.nodes[0].Remove(db.DB, b, "", ada, "op", "a slip"))
	var all []string
	for next := int64(0); ; {
		acts, more, err := r.nodes[0].Acts(db.DB, b, next, 1)
		if err != nil || len(acts) != 1 {
			t.Fatal(acts, err)
		}
		all = append(all, acts[0].Does)
		if next = more; next == 0 {
			break
		}
	}
	if got := strings.Join(all, " "); got != "remove renew" {
		t.Errorf("page by page the acts are %s", got)
	}
	acts, _, err := r.nodes[0].Acts(db.DB, b, 0, 5)
	if err != nil || len(acts) != 2 || acts[1].Why != "a new year" || acts[1].Season != "2" {
		t.Errorf("the acts are %+v, %v", acts, err)
	}
}

// TestSeasonsAtOnce: who begin a board anew at the same moment all do so, one after the other.
func TestSeasonsAtOnce(t *testing.T) {
	r := newRig(t, 0)
	b := ref(rulebook.Board{Name: "hand", Renew: rulebook.RenewByHand})
	names := make(chan string)
	for i := range 6 {
		go func() {
			s, err := r.nodes[i%2].Renew(db.DB, b, "", "op", "a new year")
			names <- fmt.Sprint(s.Name, err)
		}()
	}
	seen := map[string]bool{}
	for range 6 {
		seen[<-names] = true
	}
	list, after, err := r.nodes[0].Seasons(db.DB, b, 0, 5)
	rest, last, failed := r.nodes[0].Seasons(db.DB, b, after, 5)
	list = append(list, rest...)
	if err != nil || failed != nil || last != 0 || len(list) != 7 || list[0].Name != "7" || list[6].Name != "1" ||
		list[0].Ends != nil || len(seen) != 6 {
		t.Errorf("the seasons are %+v, %v; answered was %v", list, err, seen)
	}
}
