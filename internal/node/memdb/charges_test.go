package memdb_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

// TestSharedCharges: what is charged to a game's record, and nothing of the rulebook's own, is taken once and given
// back once.
func TestSharedCharges(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	book := compile(t, string(rulebook.Bundle(
		[]byte("turnvex: 1\nname: stall\ngame: quay\nphases: {play: {lasts: 60s}}\n"),
		[]byte("turnvex: 1\ngame: quay\nrecord: {coins: {start: 9, min: 0}}\n"))))
	k, ctx, ada := newKeeper(time.Now), t.Context(), person(t, "Ada")
	job := &keep.Job{Lobby: uuid.NewString(), Book: book, Records: []keep.Record{{Player: ada, Number: 1,
		Changes: []step.Change{{Field: "coins", Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Integer, -4)}}}}}
	for _, c := range []struct {
		do   func() error
		left int64
	}{
		{func() error { _, _, err := k.Charge(ctx, job); return err }, 5},
		{func() error { _, _, err := k.Charge(ctx, job); return err }, 5},
		{func() error { _, err := k.Void(ctx, job); return err }, 9},
		{func() error { _, err := k.Void(ctx, job); return err }, 9},
	} {
		if err := c.do(); err != nil {
			t.Fatal(err)
		}
		s, _, err := k.Load(ctx, ada, book)
		if got := show(s.Fields.Values(book)); err != nil || got != fmt.Sprint("coins=", c.left) {
			t.Errorf("it stands at %s, wanted %d (%v)", got, c.left, err)
		}
	}
}

// TestCharges: what is charged is taken once if there is enough, whatever was tried; a charge that is voided has taken
// nothing, in whatever order both come.
func TestCharges(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	book := compile(t, "turnvex: 1\nname: stall\nphases: {play: {lasts: 60s}}\nrecord: {coins: {start: 9, min: 0}}\n")
	for name, k := range map[string]hall.Keeper{"in the database": newKeeper(time.Now),
		"in memory": memdb.NewKeeper()} {
		ctx, ada, lobby := t.Context(), person(t, "Ada"), uuid.NewString()
		job := func(n, coins int64) *keep.Job {
			return &keep.Job{Lobby: lobby, Book: book, Records: []keep.Record{{Player: ada, Number: n,
				Changes: []step.Change{{Field: "coins", Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Integer,
					-coins)}}}}}
		}
		charge := func(n, coins int64, want bool, left string) {
			t.Helper()
			ok, s, err := k.Charge(ctx, job(n, coins))
			if got := fmt.Sprint(s.Fields["coins"]); err != nil || ok != want || got != left {
				t.Errorf("%s: charge %d of %d: %t, %s left, %v", name, n, coins, ok, got, err)
			}
		}
		void := func(n, coins int64, left string) {
			t.Helper()
			for range 2 {
				if _, err := k.Void(ctx, job(n, coins)); err != nil {
					t.Fatal(err)
				}
			}
			s, _, err := k.Load(ctx, ada, book)
			if got := fmt.Sprint(s.Fields["coins"]); err != nil || got != left {
				t.Errorf("%s: after voiding %d: %s, %v", name, n, got, err)
			}
		}
		charge(1, 10, false, "<nil>")
		charge(2, 4, true, "5")
		charge(2, 4, true, "5") // its answer was lost
		charge(3, 6, false, "5")
		void(2, 4, "9")
		void(4, 3, "9")
		charge(2, 4, false, "9")           // what is void is had for nothing by nobody
		charge(4, 3, false, "9")           // also where it comes after that
		if _, is := k.(*keep.Keeper); is { // who was deleted pays nothing, and is nobody's fault
			if err := db.Delete(&store.Player{}, "id = ?", ada).Error; err != nil {
				t.Fatal(err)
			}
			ok, _, err := k.Charge(ctx, job(5, 1))
			_, failed := k.Void(ctx, job(5, 1))
			if ok || err != nil || failed != nil {
				t.Errorf("of who was deleted: %t, %v, %v", ok, err, failed)
			}
		}
	}
}
