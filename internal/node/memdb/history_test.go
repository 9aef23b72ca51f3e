package memdb_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

const purse = "turnvex: 1\nname: ledger\nphases: {play: {lasts: 60s}}\nrecord: {a: {max: 90}, b: {}, word: " +
	"{type: text, max: 9}}\n" +
	"boards: {sum: {value: record.a, keep: total}}\n"

// TestHistoryAndPuttingBack: what happened to a record is told page by page, newest first; it can be put back to how it
// stood after any save, with a reason, and that is one more change; what was not kept then is not kept again.
func TestHistoryAndPuttingBack(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	ctx, book, ada := t.Context(), compile(t, purse), person(t, "Ada")
	k := newKeeper(func() time.Time { return now }) // all in one moment
	lobby := uuid.NewString()
	save := func(n int64, changes ...step.Change) {
		t.Helper()
		job := &keep.Job{Lobby: lobby, Book: book, Records: []keep.Record{{Player: ada, Number: n, Match: n,
			Changes: changes}}}
		if _, err := k.Save(ctx, job); err != nil {
			t.Fatal(err)
		}
	}
	add := func(field string, n int64) step.Change {
		return step.Change{Field: field, Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Integer, n)}
	}
	save(1, add("a", 1))
	save(2, add("b", 2), step.Change{Field: "word", Kind: step.ChangeSet, Value: sheet.TextValue("ahoy")})
	save(3, add("a", 99)) // beyond its bound
	stand, err := k.Correct(ctx, ada, book, &keep.Correction{Why: " late ", Changes: []keep.Corrected{
		{Field: "b", Does: "add", Value: "x"}}}, "op", "")
	if fault.CodeOf(err) != code.BadRequest {
		t.Errorf("a correction by a text: %v, %v", stand, err)
	}
	id := uuid.NewString()
	for range 2 {
		stand, err = k.Correct(ctx, ada, book, &keep.Correction{Why: " late ", Changes: []keep.Corrected{
			{Field: "b", Does: "add", Value: int64(5)}}}, "op", id)
		if err != nil || fmt.Sprint(stand.Fields["b"]) != "7" || stand.Version != 4 {
			t.Fatalf("corrected twice with one ID: %v, %v", stand, err)
		}
	}
	told := func(want ...string) {
		t.Helper()
		var got []string
		for before := (keep.Place{}); ; {
			list, err := k.History(ctx, ada, "ledger", before, 2)
			if err != nil {
				t.Fatal(err)
			}
			for _, c := range list {
				got = append(got, fmt.Sprintf("%d %s%s %s>%s", c.Made, c.Author, c.Why, c.Was, c.Became))
				before = c.Place()
			}
			if len(list) < 2 {
				break
			}
		}
		if strings.Join(got, "\n") != strings.Join(want, "\n") {
			t.Errorf("the history is\n%s\nwanted\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
		}
	}
	four := []string{`4 oplate {"b": 2}>{"b": 7}`, `3  {"a": 1}>{"a": 90}`, `2  {}>{"b": 2, "word": "ahoy"}`, `1  {}>{"a": 1}`}
	told(four...)
	back := func(number int64, want string) {
		t.Helper()
		stand, err = k.PutBack(ctx, ada, book, lobby, number, "op", "back")
		if got := fmt.Sprint(map[string]any(stand.Fields)); err != nil || got != want {
			t.Errorf("put back to %d: %s, wanted %s (%v)", number, got, want, err)
		}
	}
	back(2, "map[a:1 b:2 word:ahoy]")
	back(1, "map[a:1]")
	back(3, "map[a:90 b:2 word:ahoy]")
	told(append([]string{`7 opback {"a": 1}>{"a": 90, "b": 2, "word": "ahoy"}`, `6 opback {"b": 2, "word": "ahoy"}>{"b": null, "word": null}`,
		`5 opback {"a": 90, "b": 7}>{"a": 1, "b": 2}`}, four...)...)
	for _, c := range []struct {
		lobby, why string
		number     int64
		want       code.Code
	}{{lobby, " ", 1, code.BadRequest}, {lobby, "why", 9, code.NoMatch}, {"x", "why", 1, code.NoMatch},
		{uuid.NewString(), "why", 1, code.NoMatch}} {
		if _, err := k.PutBack(ctx, ada, book, c.lobby, c.number, "op", c.why); fault.CodeOf(err) != c.want {
			t.Errorf("%+v: %v", c, err)
		}
	}
	wholePerson(t, k, ada)
	voided := &keep.Job{Lobby: lobby, Book: book, Records: []keep.Record{{Player: ada, Number: 9}}}
	if _, err := k.Void(ctx, voided); err != nil {
		t.Fatal(err)
	}
	places := map[keep.Place]bool{}
	for before := (keep.Place{}); ; { // three of them bear revision 7
		list, err := k.History(ctx, ada, "ledger", before, 1)
		if err != nil {
			t.Fatal(err)
		}
		if len(list) == 0 {
			break
		}
		before = list[0].Place()
		places[before] = true
	}
	if len(places) != 9 {
		t.Errorf("page by page the history has %d changes, not 9: %v", len(places), places)
	}
}

// wholePerson reads everything that is kept of a player.
func wholePerson(t *testing.T, k *keep.Keeper, ada string) {
	t.Helper()
	p := store.Player{ID: ada, Name: "Ada"}
	read := func(hidden keep.Hidden) (all keep.Person) {
		t.Helper()
		var told bytes.Buffer
		err := k.Export(t.Context(), &p, hidden, nil, &told)
		if err = errors.Join(err, json.Unmarshal(told.Bytes(), &all)); err != nil {
			t.Fatalf("%v: %s", err, &told)
		}
		return all
	}
	all := read(nil)
	if all.Changes[0].Number == 0 || len(all.Records) != 1 || len(all.Changes) != 7 || all.Changes[6].Why != "back" ||
		len(all.Results)+len(all.Boards)+len(all.Posts)+len(all.Bars)+len(all.Totals) != 0 {
		t.Fatalf("what is kept is %+v", all)
	}
	all = read(func(book, field string) bool { return field == "a" })
	if got := string(all.Records[0].Fields); got != `{"b":2,"word":"ahoy"}` {
		t.Errorf("without a field it is %s", got)
	}
	told, _ := json.Marshal(all.Changes)
	if strings.Contains(string(told), `"a":`) || strings.Contains(string(told), `"field":"a"`) ||
		len(all.Changes) == 0 || len(all.Changes) >= 7 {
		t.Errorf("without a field, of which some changes were all, they are %s", told)
	}
	for _, c := range all.Changes {
		if c.Number != 0 || string(c.Changes) == "[]" && string(c.Was) == string(c.Became) {
			t.Errorf("that something hidden changed is told by %+v", c)
		}
	}
}

// TestRetention: months of results that ended before what is kept are dropped whole; the rest stays, and new months are
// made ahead.
func TestRetention(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	ctx, book, ada := t.Context(), compile(t, purse), person(t, "Ada")
	at := time.Date(2027, 3, 10, 12, 0, 0, 0, time.UTC)
	clock := func() time.Time { return at }
	boards := board.New(db, board.Options{Now: clock})
	defer boards.Close()
	k := keep.New(db, boards, clock)
	for n := range int64(4) { // in March, April, May and June
		job := &keep.Job{Lobby: uuid.NewString(), Code: fmt.Sprint("M", n), Book: book, Ended: at,
			Moment:  func(sheet.Tick) time.Time { return at },
			Records: []keep.Record{{Player: ada, Number: 1}},
			Result: &step.Result{Match: 1, Rulebook: "ledger", Players: []step.PlayerResult{{Account: ada, Name: "Ada",
				Outcome: "won"}}}}
		if _, err := k.Save(ctx, job); err != nil {
			t.Fatal(err)
		}
		at = at.AddDate(0, 1, 0)
	}
	left := func(want string) {
		t.Helper()
		list, err := k.Matches(ctx, keep.Query{Player: ada, Limit: 10})
		var got []string
		for _, m := range list {
			got = append(got, m.Code)
		}
		history, failed := k.History(ctx, ada, "ledger", keep.Place{}, 10)
		if text := fmt.Sprint(got, " ", len(history)); err != nil || failed != nil || text != want {
			t.Errorf("left are %s, wanted %s (%v, %v)", text, want, err, failed)
		}
	}
	if err := k.Sweep(ctx, 0); err != nil {
		t.Fatal(err)
	}
	left("[M3 M2 M1 M0] 4")
	// 65 days before 10 July is 6 May: March and April go whole, May stays whole.
	if err := k.Sweep(ctx, 65*24*time.Hour); err != nil {
		t.Fatal(err)
	}
	left("[M3 M2] 4")
	var ahead *string
	if err := db.Raw("select to_regclass('matches_2027_07')::text").Scan(&ahead).Error; err != nil || ahead == nil {
		t.Errorf("the month of next week is not made: %v", err)
	}
	totals, err := k.Totals(ctx, ada, "ledger")
	if err != nil || len(totals) != 1 || totals[0].Matches != 4 || totals[0].Streak.Matches != 2 {
		t.Errorf("the totals are %+v, %v", totals, err)
	}
}
