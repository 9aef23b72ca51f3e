package memdb_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/wire"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

// rooms is what a hall needs, and what its twin must be like.
type rooms interface {
	hall.Directory
	Place(ctx context.Context, joinCode string) (*directory.Entry, error)
}

var now = time.Date(2030, 5, 6, 7, 8, 9, 0, time.UTC)

func entry(code, name string) directory.Entry {
	return directory.Entry{
		ID:     uuid.Must(uuid.NewV7()).String(),
		Node:   "n1",
		Listed: true,
		LobbyInfo: wire.LobbyInfo{
			Code:     code,
			Name:     name,
			Rulebook: "harbour",
			Version:  "1",
			Title:    "T",
			Region:   "here",
			State:    "gathering",
			Capacity: 4,
			Free:     4,
			Open:     true,
			Opened:   now,
		},
	}
}

// TestDirectories holds the directory in the database and the one in memory to what a hall relies on.
func TestDirectories(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	ctx := t.Context()
	for name, d := range map[string]rooms{"in the database": directory.New(db), "in memory": memdb.NewDirectory()} {
		a, b := entry("AAAAAA", "Pier"), entry("BBBBBB", "")
		b.Node = "n2"
		for _, e := range []directory.Entry{a, b} {
			if err := d.Open(ctx, e); err != nil {
				t.Fatalf("%s: %v", name, err)
			}
		}
		if err := d.Open(ctx, entry("AAAAAA", "")); !errors.Is(err, directory.ErrCode) {
			t.Errorf("%s: a code that is taken: %v", name, err)
		}
		if err := d.Open(ctx, entry("CCCCCC", "PIER")); fault.CodeOf(err) != code.NameTaken {
			t.Errorf("%s: a name that is taken: %v", name, err)
		}
		other := entry("DDDDDD", "Pier")
		other.Rulebook = "other"
		if err := d.Open(ctx, other); err != nil {
			t.Errorf("%s: the name with another rulebook: %v", name, err)
		}
		named := func(want string) {
			t.Helper()
			if c, err := d.Named(ctx, "harbour", "pIER"); err != nil || c != want {
				t.Errorf("%s: the lobby of that name is %q, %v, wanted %q", name, c, err, want)
			}
		}
		named("AAAAAA")
		a.State, a.Seats, a.Free = "playing", 3, 1
		for range 2 { // it may be repeated
			if err := d.Write(ctx, a); err != nil {
				t.Errorf("%s: %v", name, err)
			}
		}
		for range 2 {
			if err := d.Give(ctx, b.ID, store.Fence{Node: "n2"}, "n3"); err != nil {
				t.Errorf("%s: %v", name, err)
			}
		}
		if err := d.Give(ctx, b.ID, store.Fence{Node: "n2"}, "n4"); !errors.Is(err, store.ErrFenced) {
			t.Errorf("%s: given away twice: %v", name, err)
		}
		if err := d.Close(ctx, b, now); err != nil { // it is not n2's to close any more
			t.Errorf("%s: %v", name, err)
		}
		if e, err := d.Place(ctx, "BBBBBB"); err != nil || e == nil || e.Node != "n3" {
			t.Errorf("%s: after it was given away: %+v, %v", name, e, err)
		}
		named("AAAAAA")
		for range 2 {
			if err := d.Close(ctx, a, now); err != nil {
				t.Errorf("%s: %v", name, err)
			}
		}
		if err := d.Write(ctx, a); err != nil { // too late: it stays closed
			t.Errorf("%s: %v", name, err)
		}
		named("")
		if err := d.Open(ctx, entry("AAAAAA", "pier")); err != nil {
			t.Errorf("%s: name and code of a lobby that has closed: %v", name, err)
		}
		short, cancel := context.WithCancel(ctx)
		cancel()
		if err := d.Write(short, b); !errors.Is(err, context.Canceled) {
			t.Errorf("%s: with a context that has ended: %v", name, err)
		}
	}
}

const harbour = `turnvex: 1
name: harbour
phases: {play: {lasts: 60s}}
record:
  total: {keep: total, value: 1, start: 5}
  share: {type: number, start: 1.5}
  word: {type: text, start: hello}
  seen: {type: flag}
  mood: {type: choice, words: [calm, cross], start: cross}
  spot: {type: position}
boards:
  most: {value: 1}
  least: {value: 1, order: least}
  sum: {value: 1, keep: total}
  last: {value: 1, keep: latest}
`

func compile(t *testing.T, src string) *rulebook.Book {
	t.Helper()
	book, problems := rulebook.Compile([]byte(src))
	if book == nil {
		t.Fatal(problems)
	}
	return book
}

// person makes a player in the database.
func person(t *testing.T, name string) string {
	t.Helper()
	p := store.Player{ID: uuid.Must(uuid.NewV7()).String(), Name: name, CreatedAt: now, SeenAt: now}
	if err := db.Create(&p).Error; err != nil {
		t.Fatal(err)
	}
	return p.ID
}

func newKeeper(now func() time.Time) *keep.Keeper {
	return keep.New(db, board.New(db, board.Options{Now: now}), now)
}

func show(values []step.Named) string {
	var out []string
	for _, v := range values {
		out = append(out, fmt.Sprint(v.Name, "=", v.Value.Plain()))
	}
	return strings.Join(out, " ")
}

// TestKeepers holds the keeper in the database and the one in memory to what a hall relies on: a first visit has the
// defaults, what is saved comes back as it was, and a result is kept once.
func TestKeepers(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	ctx, book := t.Context(), compile(t, harbour)
	for name, k := range map[string]hall.Keeper{"in the database": newKeeper(func() time.Time { return now }),
		"in memory": memdb.NewKeeper()} {
		ada, bo := person(t, "Ada"), person(t, "Bo")
		loads := func(who, player string, book *rulebook.Book, want string, visit bool, version int64) {
			t.Helper()
			s, first, err := k.Load(ctx, player, book)
			got := show(s.Fields.Values(book))
			if err != nil || got != want || first != visit || s.Version != version {
				t.Errorf("%s: %s: %q, version %d, first %t, %v", name, who, got, s.Version, first, err)
			}
		}
		loads("a first visit", ada, book, "", true, 0)
		set := func(field string, v sheet.Value) step.Change {
			return step.Change{Field: field, Kind: step.ChangeSet, Value: v}
		}
		changes := []step.Change{
			{Field: "total", Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Integer, 1<<40)},
			set("share", sheet.IntValue(sheet.Number, -250)), set("word", sheet.TextValue("ø“x”\n")),
			set("seen", sheet.IntValue(sheet.Flag, 1)), set("mood", sheet.IntValue(sheet.Choice, 0)),
			set("spot", sheet.Value{Type: sheet.Position, N: [3]int64{-5, 7}}),
		}
		const changed = "total=1099511627781 share=-250 word=ø“x”\n seen=true mood=0 spot=[-5 7]"
		lobby := entry(map[bool]string{true: "KEEPDB", false: "KEEPME"}[name == "in the database"], "")
		if err := directory.New(db).Open(ctx, lobby); err != nil {
			t.Fatal(err)
		}
		result := &step.Result{
			Match:    1,
			Rulebook: "harbour",
			Version:  book.Version,
			Because:  "time",
			Players:  []step.PlayerResult{{Account: ada, Name: "Ada", Outcome: "won", Place: 1}},
			Posts:    []step.Post{{Board: "sum", Account: ada, Value: 3}, {Board: "most", Account: ada, Value: 3}},
		}
		job := &keep.Job{
			Lobby:   lobby.ID,
			Code:    lobby.Code,
			Moment:  func(sheet.Tick) time.Time { return now },
			Book:    book,
			Records: []keep.Record{{Player: ada, Number: 1, Match: 1, Changes: changes}},
			Result:  result,
			Ended:   now,
		}
		for range 3 { // an answer may be lost
			stand, err := k.Save(ctx, job)
			got := show(stand[ada].Fields.Values(book))
			if err != nil || got != changed || stand[ada].Version != 1 {
				t.Fatalf("%s: it stands at %s, version %d, %v", name, got, stand[ada].Version, err)
			}
		}
		loads("what was saved", ada, book, changed, false, 1)
		loads("another player's", bo, book, "", true, 0)
		other := compile(t, strings.Replace(harbour, "name: harbour", "name: other", 1))
		loads("another rulebook's", ada, other, "", true, 0)
		ended, cancel := context.WithCancel(ctx)
		cancel()
		if _, err := k.Save(ended, job); !errors.Is(err, context.Canceled) {
			t.Errorf("%s: with a context that has ended: %v", name, err)
		}
		if m, is := k.(*memdb.Keeper); is && len(m.Results()) != 1 {
			t.Errorf("in memory %d results", len(m.Results()))
		}
	}
}

// TestResults: a result is kept once with what follows from it, and found again; who was deleted meanwhile is left out,
// and the others are not.
func TestResults(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	ctx, book := t.Context(), compile(t, strings.Replace(harbour, "name: harbour", "name: results", 1))
	began, at := now, now
	now := func() time.Time { return at }
	boards := board.New(db, board.Options{Now: now})
	defer boards.Close()
	k := keep.New(db, boards, now)
	ada, bo := person(t, "Ada"), person(t, "Bo")
	gone := uuid.NewString()
	lobby := entry("RESULT", "")
	if err := directory.New(db).Open(ctx, lobby); err != nil {
		t.Fatal(err)
	}
	for n := int64(1); n <= 3; n++ {
		r := &step.Result{Match: n, Rulebook: "results", Because: "time"}
		for i, p := range []string{ada, bo, gone, ""} {
			r.Players = append(r.Players, step.PlayerResult{Account: p, Name: "P", Outcome: "won", Place: int64(i + 1)})
			for _, b := range []string{"most", "least", "sum", "last", "nosuch"} {
				r.Posts = append(r.Posts, step.Post{Board: b, Account: p, Value: []int64{0, 5, 9, 7}[n] - int64(i)})
			}
		}
		// Who left and came back stands in it twice, and counts once.
		r.Players = append(r.Players, step.PlayerResult{Account: ada, Name: "P", Outcome: "left"})
		at = began.Add(time.Duration(n) * time.Minute)
		job := &keep.Job{
			Lobby:   lobby.ID,
			Code:    lobby.Code,
			Moment:  func(sheet.Tick) time.Time { return at },
			Book:    book,
			Result:  r,
			Ended:   at,
			Records: []keep.Record{{Player: gone, Number: int64(2*n + 1)}, {Player: ada, Number: int64(2*n + 2)}},
		}
		for range 2 {
			if _, err := k.Save(ctx, job); err != nil {
				t.Fatal(err)
			}
		}
	}
	list, err := k.Matches(ctx, keep.Query{Lobby: "result", Limit: 2})
	if err != nil || len(list) != 2 || list[0].Number != 3 || list[1].Number != 2 || list[0].Code != "RESULT" {
		t.Fatalf("%+v, %v", list, err)
	}
	list, err = k.Matches(ctx,
		keep.Query{Rulebook: "results", Player: bo, Before: list[1].EndedAt, BeforeID: list[1].ID, Limit: 9})
	if err != nil || len(list) != 1 || list[0].Number != 1 {
		t.Fatalf("the page behind: %+v, %v", list, err)
	}
	if one, err := k.Match(ctx, list[0].ID,
		keep.Query{}); err != nil || one.Number != 1 || !strings.Contains(string(one.Result), `"because": "time"`) ||
		strings.Contains(string(one.Result), gone) || strings.Count(string(one.Result), `"(erased)"`) != 1 {
		t.Errorf("%+v, %v", one, err)
	}
	for _, id := range []string{"x", uuid.NewString()} {
		if _, err := k.Match(ctx, id, keep.Query{}); fault.CodeOf(err) != code.NoMatch {
			t.Errorf("%s: %v", id, err)
		}
	}
	if _, err := k.Matches(ctx, keep.Query{Player: "x", Limit: 1}); fault.CodeOf(err) != code.NoPlayer {
		t.Errorf("results of no player: %v", err)
	}
	for name, want := range map[string]string{"most": "1 Ada 9 2, 2 Bo 8 2", "least": "1 Bo 4 1, 2 Ada 5 1",
		"sum": "1 Ada 21 3, 2 Bo 18 3", "last": "1 Ada 7 3, 2 Bo 6 3"} {
		p, err := boards.Read(ctx, board.Ref{Rulebook: book.Name, Board: book.Board(name)}, &board.Query{Limit: 10})
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, r := range p.Rows {
			m, err := k.Match(ctx, r.Match, keep.Query{})
			if err != nil {
				t.Fatal(err)
			}
			got = append(got, fmt.Sprint(r.Place, " ", r.Name, " ", r.Value, " ", m.Number))
		}
		if got := strings.Join(got, ", "); got != want {
			t.Errorf("%s: %s, wanted %s", name, got, want)
		}
	}
	total, err := k.Totals(ctx, ada, "")
	want := keep.Totals{
		Rulebook: "results",
		Matches:  3,
		Won:      3,
		Last:     at.UTC(),
		Streak:   keep.Streak{Outcome: "won", Matches: 3},
	}
	if err != nil || len(total) != 1 || total[0] != want {
		t.Errorf("the totals are %+v, wanted %+v (%v)", total, want, err)
	}
}

// TestRecordsOfSeveralVersions: what one version of a rulebook keeps, another finds by name, wherever its fields and
// words stand; what a version does not know stays as it is; a record of the form before is read as it was meant; saves
// at the same time, from several nodes, add up.
func TestRecordsOfSeveralVersions(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	const head = "turnvex: 1\nname: versions\nphases: {play: {lasts: 60s}}\nrecord:\n"
	old := compile(t, head+"  best: {keep: best, value: 1}\n  rank: {type: choice, words: [mate, captain]}\n")
	young := compile(t, head+"  fresh: {type: number, start: 2.5}\n  best: {keep: best, value: 1}\n"+
		"  rank: {type: choice, words: [deckhand, mate, captain]}\n")
	for name, k := range map[string]hall.Keeper{"in the database": newKeeper(func() time.Time { return now }),
		"in memory": memdb.NewKeeper()} {
		ctx, ada, n := t.Context(), person(t, "Ada"), int64(0)
		lobby := uuid.NewString()
		save := func(book *rulebook.Book, changes ...step.Change) {
			t.Helper()
			n++
			job := &keep.Job{
				Lobby:   lobby,
				Book:    book,
				Records: []keep.Record{{Player: ada, Number: n, Changes: changes}},
			}
			if _, err := k.Save(ctx, job); err != nil {
				t.Fatal(err)
			}
		}
		is := func(book *rulebook.Book, want string) {
			t.Helper()
			s, _, err := k.Load(ctx, ada, book)
			if got := show(s.Fields.Values(book)); err != nil || got != want {
				t.Errorf("%s: %q, wanted %q (%v)", name, got, want, err)
			}
		}
		raise := func(n int64) step.Change {
			return step.Change{Field: "best", Kind: step.ChangeRaise, Value: sheet.IntValue(sheet.Integer, n)}
		}
		save(old, raise(9), step.Change{Field: "rank", Kind: step.ChangeSet, Value: sheet.IntValue(sheet.Choice, 0)})
		is(old, "best=9 rank=0")
		is(young, "best=9 rank=1") // mate in both
		save(young, step.Change{Field: "fresh", Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Number, 250)})
		save(old, raise(4)) // worse, and by a lobby that still runs the old version
		is(young, "fresh=2750 best=9 rank=1")
		save(young, step.Change{Field: "rank", Kind: step.ChangeSet, Value: sheet.IntValue(sheet.Choice, 0)})
		is(old, "best=9") // has no deckhands
		is(young, "fresh=2750 best=9 rank=0")
	}
	ada := person(t, "Ada")
	if err := db.Exec(`insert into records (player_id, rulebook, fields, updated_at, form) values (?, 'versions',
		'{"kept": 1, "best": 7, "rank": 1, "lost": [1]}', now(), 1)`, ada).Error; err != nil {
		t.Fatal(err)
	}
	nodes := []*keep.Keeper{newKeeper(time.Now), newKeeper(time.Now)}
	stand, _, err := nodes[0].Load(t.Context(), ada, old)
	if got := show(stand.Fields.Values(old)); err != nil || got != "best=7 rank=1" {
		t.Errorf("of the form before: %s, %v", got, err)
	}
	var all sync.WaitGroup
	for i := range 40 {
		all.Go(func() {
			job := &keep.Job{Lobby: uuid.NewString(), Book: old, Records: []keep.Record{
				{
					Player: ada,
					Number: 1,
					Changes: []step.Change{
						{Field: "best", Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Integer, 1)},
					},
				},
			}}
			for range 2 {
				if _, err := nodes[i%2].Save(t.Context(), job); err != nil {
					t.Error(err)
				}
			}
		})
	}
	all.Wait()
	if stand, _, err = nodes[1].Load(t.Context(), ada, old); err != nil || stand.Version != 40 {
		t.Errorf("after 40 saves its version is %d, %v", stand.Version, err)
	}
	kept, err := nodes[1].Record(t.Context(), ada, old)
	f := kept.Fields
	if err != nil || fmt.Sprint(f["best"]) != "47" || fmt.Sprint(f["rank"]) != "captain" || f["lost"] == nil ||
		f["kept"] != nil {
		t.Errorf("after 40 saves from two nodes: %v, %v", f, err)
	}
}
