package keep_test

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

var now = time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)

const chest = `turnvex: 1
name: chest
ground: {width: 9m, height: 9m}
phases: {play: {lasts: 60s}}
record: {coins: {max: 99, start: 5}, word: {type: text, max: 9}, spot: {type: position}}
`

// keeper is a keeper over an empty database, with a player and a rulebook.
func keeper(t *testing.T, src string) (k *keep.Keeper, book *rulebook.Book, ada string) {
	t.Helper()
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	book, problems := rulebook.Compile([]byte(src))
	if book == nil {
		t.Fatal(problems)
	}
	clock := func() time.Time { return now }
	return keep.New(db, board.New(db, board.Options{Now: clock}), clock), book, person(t, "Ada")
}

func person(t *testing.T, name string) string {
	t.Helper()
	p := store.Player{ID: uuid.Must(uuid.NewV7()).String(), Name: name, CreatedAt: now, SeenAt: now}
	if err := db.Create(&p).Error; err != nil {
		t.Fatal(err)
	}
	return p.ID
}

func add(field string, n int64) step.Change {
	return step.Change{Field: field, Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Integer, n)}
}

// TestJobs: what a job weighs, part by part, and the oldest moment that belongs to a season of a board.
func TestJobs(t *testing.T) {
	fields := map[string]any{"a": 1, "b": 2}
	at := func(tick sheet.Tick) time.Time { return now.Add(time.Duration(tick) * time.Second) }
	result := &step.Result{Posts: []step.Post{{At: 7}, {At: 3}, {At: 9}},
		Teams: []step.TeamResult{{Fields: fields}, {}}, Players: []step.PlayerResult{{Fields: fields}, {}, {}}}
	posts := []keep.Post{{Reached: at(5)}, {Reached: at(4)}, {Reached: at(6)}}
	for _, x := range []struct {
		what   string
		job    keep.Job
		parts  int
		oldest time.Time
	}{
		{"nothing", keep.Job{}, 4, time.Time{}},
		{"records", keep.Job{Records: []keep.Record{{Changes: make([]step.Change, 3)}, {}}}, 4 + 4 + 1, time.Time{}},
		{"posts", keep.Job{Posts: posts}, 4 + 3, at(4)},
		{"a result", keep.Job{Result: result, Moment: at, Ended: at(8)}, 4 + 3 + 2*2 + 2 + 3*2 + 2, at(3)},
		{"a result of no posts", keep.Job{Result: &step.Result{}, Moment: at, Ended: at(8)}, 4, at(8)},
		{"all of it", keep.Job{Posts: posts, Result: result, Moment: at, Ended: at(2)}, 4 + 3 + 17, at(2)},
	} {
		oldest, has := x.job.Since()
		if n := x.job.Size(); n != 96*x.parts || !oldest.Equal(x.oldest) || has != !x.oldest.IsZero() {
			t.Errorf("%s: %d bytes, wanted %d; since %v (%v), wanted %v", x.what, n, 96*x.parts, oldest, has, x.oldest)
		}
	}
}

// TestCorrections: what a correction may be, and that nothing of one that is refused happens.
func TestCorrections(t *testing.T) {
	k, book, ada := keeper(t, chest)
	one := func(field, does string, v any) []keep.Corrected { return []keep.Corrected{{field, does, v}} }
	many := make([]keep.Corrected, 49)
	for i := range many {
		many[i] = keep.Corrected{Field: "coins", Does: "add", Value: int64(1)}
	}
	for _, x := range []struct {
		what    string
		changes []keep.Corrected
		want    code.Code
		coins   any
	}{
		{"no change", nil, code.BadRequest, nil},
		{"more than one may be", many, code.BadRequest, nil},
		{"no such field", one("coin", "add", int64(1)), code.NoField, nil},
		{"no such change", one("coins", "double", int64(1)), code.BadRequest, nil},
		{"another type", one("coins", "add", "one"), code.BadRequest, nil},
		{"a text added", one("word", "add", "x"), code.BadRequest, nil},
		{"a place raised", one("spot", "raise", []any{int64(1), int64(1)}), code.BadRequest, nil},
		{"set beyond its bounds", one("coins", "set", int64(100)), code.BadRequest, nil},
		{"raised beyond its bounds", one("coins", "raise", int64(100)), code.BadRequest, nil},
		{"one good and one bad", append(one("coins", "add", int64(1)), one("word", "set", "far too long a word")...),
			code.BadRequest, nil},
		{"as many as may be", many[:48], code.OK, 53},
		{"added beyond its bounds", one("coins", "add", int64(1000)), code.OK, 99},
		{"a text set", one("word", "set", "ahoy"), code.OK, 99},
	} {
		stand, err := k.Correct(t.Context(), ada, book, &keep.Correction{Why: "why", Changes: x.changes}, "op", "")
		kept, _, e := k.Load(t.Context(), ada, book)
		if (err != nil || x.want != code.OK) && fault.CodeOf(err) != x.want || e != nil {
			t.Errorf("%s: %v, %v", x.what, err, e)
		}
		got := fmt.Sprint(stand.Fields["coins"], "", kept.Fields["coins"])
		if x.coins != nil && got != fmt.Sprint(x.coins, "", x.coins) || x.coins == nil && kept.Version != 0 {
			t.Errorf("%s: %v, kept %v", x.what, stand.Fields, kept)
		}
	}
}

// TestVoidedCharge: a charge that took is given back once; one that has not is kept from taking; whoever asks learns
// how the record stands.
func TestVoidedCharge(t *testing.T) {
	k, book, ada := keeper(t, chest)
	lobby := uuid.NewString()
	charge := func(n, coins int64) *keep.Job {
		return &keep.Job{Lobby: lobby, Book: book, Records: []keep.Record{{Player: ada, Number: n, Match: 1,
			Changes: []step.Change{add("coins", -coins)}}}}
	}
	stands := func(what string, s keep.Standing, err error, coins string, version int64) {
		t.Helper()
		kept, _, e := k.Load(t.Context(), ada, book)
		if got := fmt.Sprint(s.Fields["coins"], " ", kept.Fields["coins"]); err != nil || e != nil ||
			got != coins+" "+coins || s.Version != version || kept.Version != version {
			t.Errorf("%s: %s, versions %d and %d, wanted %s, %d (%v, %v)", what, got, s.Version, kept.Version, coins,
				version, err, e)
		}
	}
	_, s, err := k.Charge(t.Context(), charge(1, 3))
	stands("charged", s, err, "2", 1)
	for range 2 {
		s, err = k.Void(t.Context(), charge(1, 3))
		stands("given back", s, err, "5", 2)
	}
	s, err = k.Void(t.Context(), charge(2, 3))
	stands("never taken", s, err, "5", 2)
	taken, s, err := k.Charge(t.Context(), charge(2, 3))
	if stands("which came too late", s, err, "5", 2); taken {
		t.Error("a charge that is void is taken")
	}
	if s, err := k.Void(t.Context(), &keep.Job{Lobby: lobby, Book: book, Records: []keep.Record{{
		Player: uuid.NewString(), Number: 3}}}); err != nil || s.Version != 0 {
		t.Errorf("of nobody: %v, %v", s, err)
	}
}

// TestWhoIsRead: names and standings of several players, and results from a moment on.
func TestWhoIsRead(t *testing.T) {
	k, book, ada := keeper(t, chest)
	bo, lobby := person(t, "Bo"), uuid.NewString()
	names, err := k.Names(t.Context(), []string{ada, bo, uuid.NewString()})
	if err != nil || fmt.Sprint(names) != fmt.Sprint(map[string]string{ada: "Ada", bo: "Bo"}) {
		t.Errorf("their names are %v, %v", names, err)
	}
	aged := store.Record{PlayerID: bo, Rulebook: "aged", Form: 1, Fields: []byte("{}")}
	if err := db.Create(&aged).Error; err != nil {
		t.Fatal(err)
	}
	for n, p := range []string{ada, bo} {
		job := &keep.Job{Lobby: lobby, Code: "CHEST2", Book: book, Ended: now.Add(time.Duration(n) * time.Hour),
			Moment: func(sheet.Tick) time.Time { return now },
			Records: []keep.Record{{Player: p, Number: int64(n + 1), Match: 1,
				Changes: []step.Change{add("coins", int64(n+1))}}},
			Result: &step.Result{Match: int64(n + 1), Rulebook: "chest",
				Players: []step.PlayerResult{{Account: p, Name: "P", Outcome: "won"}}}}
		if _, err := k.Save(t.Context(), job); err != nil {
			t.Fatal(err)
		}
	}
	// A match is kept once, whenever it is said to have ended, and where a node of before did not note that it is kept.
	again := &keep.Job{Lobby: lobby, Code: "CHEST2", Book: book, Ended: now.AddDate(0, 2, 0),
		Moment: func(sheet.Tick) time.Time { return now },
		Result: &step.Result{Match: 2, Rulebook: "chest", Players: []step.PlayerResult{{Account: bo, Name: "P"}}}}
	for range 2 {
		if _, err := k.Save(t.Context(), again); err != nil {
			t.Fatal(err)
		}
		again.Ended = now.Add(time.Hour)
		if err := db.Exec("delete from matches_kept").Error; err != nil {
			t.Fatal(err)
		}
	}
	if list, err := k.Totals(t.Context(), bo, ""); err != nil || len(list) != 1 || list[0].Matches != 1 {
		t.Errorf("kept three times, it counts %+v, %v", list, err)
	}
	told, err := k.Stand(t.Context(), []string{ada, bo})
	var got []string
	for _, x := range told {
		got = append(got, fmt.Sprintln(x.Player == ada, x.Rulebook, x.Fields["coins"]))
	}
	if err != nil || len(got) != 2 || !strings.Contains(fmt.Sprint(got), "true chest 6") ||
		!strings.Contains(fmt.Sprint(got), "false chest 7") {
		t.Errorf("they stand at %v, %v", got, err)
	}
	for since, want := range map[time.Time]int{{}: 2, now: 2, now.Add(time.Minute): 1, now.Add(2 * time.Hour): 0} {
		if list, err := k.Matches(t.Context(), keep.Query{Since: since, Limit: 9}); len(list) != want || err != nil {
			t.Errorf("since %v there are %d results, wanted %d (%v)", since, len(list), want, err)
		}
	}
	_, err = k.PutBack(t.Context(), person(t, "Cy"), book, lobby, 1, "op", "why")
	if fault.CodeOf(err) != code.NoMatch {
		t.Errorf("put back of who has no record: %v", err)
	}
}

// TestBoardDifferences: what another version of a rulebook changes about a board is told, each change by itself, and
// nothing where nothing changes.
func TestBoardDifferences(t *testing.T) {
	book := func(board string) *rulebook.Book {
		b, problems := rulebook.Compile([]byte("turnvex: 1\nname: laps\nplayers: {least: 2, most: 2}\nphases: {play: " +
			"{lasts: 60s}}\nsheets: {player: {n: {type: integer}}, team: {m: {type: integer}}}\n" +
			"teams: {list: {red: {}, blue: {}}}\nboards: {" + board + "}\n"))
		if b == nil {
			t.Fatal(board, problems)
		}
		return b
	}
	const was = "laps: {value: me.n, keep: best, renew: week}"
	for now, want := range map[string]string{
		was: "",
		"laps: {value: me.n, keep: total, renew: week}":                        "keep",
		"laps: {value: me.n, keep: best, renew: week, order: least}":           "order",
		"laps: {value: me.n + 1, keep: best, renew: week}":                     "value",
		"laps: {value: me.n, if: me.n > 3, keep: best, renew: week}":           "value",
		"laps: {value: me.n, keep: best, renew: week, show: clock}":            "show",
		"laps: {value: me.n, keep: best, renew: day}":                          "renew",
		"laps: {value: me.n, keep: best, renew: week, time_zone: Europe/Oslo}": "renew",
		"laps: {value: team.m, for: teams, keep: latest, renew: hand}":         "whose keep value renew",
		"rounds: {value: me.n, keep: best, renew: week}":                       "removed",
		"laps: {value: me.n, keep: best, renew: week}, rounds: {value: me.n}":  "",
		"laps: {value: me.n, keep: best, renew: dates, dates: [2031-01-01]}":   "renew",
	} {
		var got []string
		for _, d := range keep.Differences(book(was), book(now)) {
			if got = append(got, d.What); d.Board != "laps" || d.Field != "" || d.Means == "" || d.Loses() {
				t.Errorf("%s: %+v", now, d)
			}
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: told is %v, wanted %s", now, got, want)
		}
	}
}
