package ledger

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestArchive: the journal of a lobby is read by its code or its ID, whole or from a kept state on, with what was taken
// in since the last piece; where a piece is missing it ends, and says whether it can be asked for from there on.
func TestArchive(t *testing.T) {
	g, id := opened(t)
	defer g.Abort()
	a := NewArchive(db, g.log)
	began := time.Now().Add(-time.Hour)
	state := func(seq, tick int64, gap bool, piece string) {
		t.Helper()
		kept(t, g, g.Checkpoint(g.Stay(id), State{Seq: seq, Tick: tick, Began: began, Keep: true, Gap: gap,
			Data: []byte{byte(seq)}}, []byte(piece)))
	}
	read := func(name string, tick int64) *Journal {
		t.Helper()
		j, err := a.JournalFrom(t.Context(), name, tick)
		if err != nil || j == nil {
			t.Fatalf("%s from %d on: %v, %v", name, tick, j, err)
		}
		return j
	}
	g.Write(g.Stay(id), 1, []byte("1."), []journal.Person{{Token: "a1", Text: "mara"}})
	state(2, 20, false, "1.2.")
	state(4, 40, false, "3.4.")
	kept(t, g, g.Write(g.Stay(id), 5, []byte("5."), nil))
	whole := read("quay22", 0)
	if got := string(bytes.Join(whole.Entries, nil)); got != "1.2.3.4.5." || whole.State != nil || whole.Until != 40 ||
		whole.Code != "QUAY22" || whole.Setup.Seed != 7 || len(whole.People) != 1 || whole.Ended != nil ||
		(whole.Age-time.Hour).Abs() > time.Minute {
		t.Errorf("whole: %q %+v", got, whole)
	}
	for tick, want := range map[int64]struct {
		state byte
		rest  string
	}{20: {2, "3.4.5."}, 39: {2, "3.4.5."}, 40: {4, "5."}} {
		j := read(strings.ToUpper(id), tick)
		if got := string(bytes.Join(j.Entries, nil)); got != want.rest || !bytes.Equal(j.State, []byte{want.state}) {
			t.Errorf("from tick %d on: %q after the state %v", tick, got, j.State)
		}
	}
	if list, err := a.Of(t.Context(), "mara"); err != nil || !slices.Equal(list, []string{"QUAY22-" + id}) {
		t.Errorf("of mara: %v, %v", list, err)
	}
	state(9, 90, true, "")
	if j := read(id, 0); string(bytes.Join(j.Entries, nil)) != "1.2.3.4." || j.Missing != 90 || !j.GoesOn {
		t.Errorf("up to what is missing: %q, up to %d, goes on: %v", j.Entries, j.Missing, j.GoesOn)
	}
	kept(t, g, g.End(g.Stay(id), 10, 100, []byte("10."), false))
	if j := read(id, 90); string(bytes.Join(j.Entries, nil)) != "10." || j.Ended == nil || j.Until != 100 ||
		j.Age != 0 {
		t.Errorf("ended: %q %+v", j.Entries, j)
	}
	if j, err := a.Journal(t.Context(), "NOBODY"); j != nil || err != nil {
		t.Errorf("of no lobby: %v, %v", j, err)
	}
	if err := db.Exec("update ledger_lobbies set setup = '\\x00'").Error; err != nil {
		t.Fatal(err)
	}
	if j, err := a.Journal(t.Context(), id); j != nil || err == nil || !strings.Contains(err.Error(), "QUAY22") {
		t.Errorf("of a lobby that cannot be read: %v, %v", j, err)
	}
}

// TestTakingMeetsWrites: while lobbies are being taken the log is not made shorter, and afterwards it is; those that
// are named come first; a lobby that somebody else holds is passed over by another node.
func TestTakingMeetsWrites(t *testing.T) {
	g, first := opened(t)
	defer g.Abort()
	second := "10000000-0000-4000-8000-000000000000"
	if err := g.Open(t.Context(), Head{Lobby: second, Code: "OTHER"}, []byte{1}); err != nil {
		t.Fatal(err)
	}
	if err := db.Create(&store.Lobby{ID: second, Code: "OTHER", Node: "n1"}).Error; err != nil {
		t.Fatal(err)
	}
	rows := func() (n int64) { db.Model(&store.LedgerLog{}).Count(&n); return n }
	shortens := func(seq int64) {
		t.Helper()
		kept(t, g, g.Write(g.Stay(first), seq, []byte("x"), nil))
		kept(t, g, g.Checkpoint(g.Stay(first), State{Seq: seq, Data: []byte("x")}, []byte("x")))
	}
	taking := &Taking{From: "n1", Only: []string{second}, Also: func(*store.Tx) error { shortens(1); return nil }}
	if _, err := g.Take(t.Context(), taking); err != nil || rows() != 1 {
		t.Errorf("%d rows of the log are left while lobbies are taken: %v", rows(), err)
	}
	if shortens(2); rows() != 0 {
		t.Errorf("%d rows of the log are left", rows())
	}
	for _, id := range []string{first, second} {
		list, err := g.Take(t.Context(), &Taking{From: "n1", Most: 1, First: []string{id}})
		if err != nil || len(list) != 1 || list[0].Lobby != id {
			t.Errorf("instead of %s: %v, %v", id, list, err)
		}
	}
	holding := db.Begin()
	defer holding.Rollback()
	if err := holding.Exec("select 1 from lobbies where id = ? for update", first).Error; err != nil {
		t.Fatal(err)
	}
	other := New(In(db), "n2", nil, g.log, 0)
	defer other.Abort()
	list, err := other.Take(t.Context(), &Taking{From: "n1"})
	if err != nil || len(list) != 1 || list[0].Lobby != second {
		t.Errorf("beside one that is held: %v, %v", list, err)
	}
	waits, over := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer over()
	if list, err := g.Take(waits, &Taking{From: "n1"}); err == nil {
		t.Errorf("its own that is held is passed over: %v", list)
	}
}

// TestFrozenNode: what a node that stands still in the middle of a transaction has locked can be taken over soon.
func TestFrozenNode(t *testing.T) {
	g, id := opened(t)
	defer g.Abort()
	var timeout string
	if err := db.Raw("show idle_in_transaction_session_timeout").Scan(&timeout).Error; err != nil || timeout != "5s" {
		t.Errorf("a transaction may stand still for %s, %v", timeout, err)
	}
	frozen := db.Begin()
	defer frozen.Rollback()
	for _, do := range []string{"set local idle_in_transaction_session_timeout = '100ms'", // not to wait for so long
		"select 1 from lobbies for key share"} {
		if err := frozen.Exec(do).Error; err != nil {
			t.Fatal(err)
		}
	}
	other := New(In(db), "n2", nil, g.log, 0)
	defer other.Abort()
	for ctx := trial.Within(t, time.Minute); ; {
		list, err := other.Take(ctx, &Taking{From: "n1"})
		if err != nil || ctx.Err() != nil {
			t.Fatal("it is never taken over", err)
		}
		if len(list) == 1 && list[0].Lobby == id {
			return
		}
	}
}
