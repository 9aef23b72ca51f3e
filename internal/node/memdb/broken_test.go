package memdb_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

// TestSavesBreakAnywhere: a save of everything that breaks off at any of its statements leaves nothing behind, and
// tried again it keeps all of it, once.
func TestSavesBreakAnywhere(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	gone := errors.New("the connection is gone")
	statements, broken := 0, 0
	breaks := func(tx *gorm.DB) {
		if statements++; statements == broken {
			tx.AddError(gone)
		}
	}
	fragile := &store.DB{DB: db.Session(&gorm.Session{NewDB: true})}
	callbacks := db.Callback()
	for name, register := range map[string]func(string, func(*gorm.DB)) error{
		"create": callbacks.Create().Before("gorm:create").Register,
		"query":  callbacks.Query().Before("gorm:query").Register,
		"update": callbacks.Update().Before("gorm:update").Register, "raw": callbacks.Raw().Before("gorm:raw").Register,
		"row": callbacks.Row().Before("gorm:row").Register,
	} {
		if err := register("broken:"+name, breaks); err != nil {
			t.Fatal(err)
		}
	}
	t.Cleanup(func() {
		callbacks.Create().Remove("broken:create")
		callbacks.Query().Remove("broken:query")
		callbacks.Update().Remove("broken:update")
		callbacks.Raw().Remove("broken:raw")
		callbacks.Row().Remove("broken:row")
	})
	book := compile(t, harbour)
	at := now
	boards := board.New(fragile, board.Options{Now: func() time.Time { return at }})
	defer boards.Close()
	k := keep.New(fragile, boards, func() time.Time { return at })
	ada, bo := person(t, "Ada"), person(t, "Bo")
	stands := func() string {
		t.Helper()
		var out []string
		for _, sql := range []string{"select sum((fields ->> 'total')::int) || ' ' || sum(version) from records",
			"select count(*) || '' from record_changes", "select count(*) || '' from matches",
			"select count(*) || '' from match_players", "select sum(matches) || '' from player_totals",
			"select sum(value) || ' ' || sum(posts) from board_entries", "select count(*) || '' from board_posts"} {
			var s *string
			if err := db.Raw(sql).Scan(&s).Error; err != nil {
				t.Fatal(err)
			}
			if s == nil {
				none := "none"
				s = &none
			}
			out = append(out, *s)
		}
		return fmt.Sprint(out)
	}
	total := func(n int64) []step.Change {
		return []step.Change{{Field: "total", Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Integer, n)}}
	}
	for broken = 1; ; broken++ {
		at = at.Add(time.Minute)
		job := &keep.Job{
			Lobby:  uuid.NewString(),
			Code:   "BROKEN",
			Book:   book,
			Ended:  at,
			Moment: func(sheet.Tick) time.Time { return at },
			Records: []keep.Record{{Player: ada, Number: 1, Match: 1, Changes: total(3)},
				{Player: bo, Number: 2, Match: 1, Changes: total(4)}},
			Posts: []keep.Post{
				{Post: step.Post{Board: "sum", Account: bo, Value: 2}, Number: 3, Match: 1, Reached: at},
			},
			Result: &step.Result{Match: 1, Rulebook: book.Name, Players: []step.PlayerResult{
				{Account: ada, Name: "Ada", Outcome: "won"}, {Account: bo, Name: "Bo", Outcome: "lost"}},
				Posts: []step.Post{{Board: "sum", Account: ada, Value: 5}}},
		}
		at2, before := broken, stands()
		statements = 0
		_, err := k.Save(t.Context(), job)
		if err == nil { // it has fewer statements than that
			break
		}
		broken = 0
		if !errors.Is(err, gone) {
			t.Fatalf("broken at %d: %v", at2, err)
		}
		if after := stands(); after != before {
			t.Fatalf("broken at statement %d it leaves %s, before it was %s", at2, after, before)
		}
		for range 2 {
			if _, err := k.Save(t.Context(), job); err != nil {
				t.Fatal(err)
			}
		}
		if got, want := stands(), fmt.Sprintf("[%d %d %d %d %d %d %d %d %d]", 7*at2+10, 2*at2, 2*at2, at2, 2*at2, 2*at2,
			7*at2, 2*at2, at2); got != want {
			t.Fatalf("broken at statement %d and tried again: %s, wanted %s", at2, got, want)
		}
		broken = at2
	}
	if broken < 12 {
		t.Errorf("a save has only %d statements", broken-1)
	}
}
