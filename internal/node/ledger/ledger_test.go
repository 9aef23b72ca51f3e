package ledger

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/trial"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

// opened is a ledger with a lobby.
func opened(t *testing.T) (*Ledger, string) {
	t.Helper()
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	g := New(In(db), "n1", nil, slog.New(slog.DiscardHandler), 0)
	id := uuid.NewString()
	h := Head{Lobby: id, Code: "QUAY22", Name: "quay", Rulebook: "duel", Version: "v1",
		Setup: lobby.Setup{Code: "QUAY22", Seed: 7}, Opened: time.Now()}
	if err := g.Open(t.Context(), h, []byte("state 0")); err != nil {
		t.Fatal(err)
	}
	if err := db.Create(&store.Lobby{ID: id, Code: h.Code, Node: "n1"}).Error; err != nil {
		t.Fatal(err)
	}
	return g, id
}

func kept(t *testing.T, g *Ledger, m Mark) {
	t.Helper()
	ctx := trial.Within(t, time.Minute)
	if err := g.Kept(ctx, m); err != nil {
		t.Fatal(err)
	}
}

func left(t *testing.T, g *Ledger) []*Left {
	t.Helper()
	list, err := g.Take(t.Context(), &Taking{From: "n1"})
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// TestLeftover: what is committed of a lobby is there for the next start, from its last checkpoint on; the log is no
// longer than that; a lobby that has ended is not left, and its journal is kept whole.
func TestLeftover(t *testing.T) {
	g, id := opened(t)
	for n := range 10 {
		g.Write(g.Stay(id), int64(n+1), fmt.Appendf(nil, "entry %d.", n+1), nil)
	}
	kept(t, g, g.Write(g.Stay(id), 11, []byte("entry "+
		"11."), []journal.Person{{Token: "a1", Text: "mara"}, {Token: "n1", Of: "a1",
		Text: "Mara"}}))
	x := left(t, g)[0]
	if x.Seq != 11 || string(x.State) != "state 0" || !strings.HasSuffix(string(x.After), "entry 10.entry 11.") ||
		x.Setup.Seed != 7 || x.Name != "quay" || len(x.People) != 2 || time.Since(x.Until) > time.Minute {
		t.Errorf("%+v", x)
	}
	began := time.Now().Add(-time.Hour)
	g.Checkpoint(g.Stay(id), State{Seq: 11, Began: began, Data: []byte("state 11")}, x.After)
	kept(t, g, g.Write(g.Stay(id), 12, []byte("entry 12."), nil))
	x = left(t, g)[0]
	if x.Seq != 12 || string(x.State) != "state 11" || string(x.After) != "entry "+
		"12." || x.Began.Sub(began).Abs() > time.Millisecond {
		t.Errorf("after the checkpoint: %+v", x)
	}
	kept(t, g, g.Checkpoint(g.Stay(id), State{Seq: 12, Began: began, Data: []byte("state 12")}, []byte("entry 12.")))
	kept(t, g, g.End(g.Stay(id), 13, 0, []byte("entry 13."), false))
	if list := left(t, g); len(list) != 0 {
		t.Errorf("ended, it is left: %+v", list[0])
	}
	var whole []byte
	var segments []store.LedgerSegment
	db.Order("seq").Find(&segments, "lobby_id = ?", id)
	for _, s := range segments {
		whole = append(whole, s.Data...)
	}
	if !strings.HasPrefix(string(whole), "entry 1.entry 2.") || !strings.HasSuffix(string(whole), "entry "+
		"11.entry 12.entry 13.") {
		t.Errorf("the journal is %q", whole)
	}
	var rows int64
	if db.Model(&store.LedgerLog{}).Count(&rows); rows > 1 {
		t.Errorf("the log has %d rows left", rows)
	}
	if n, since := g.Waiting(); n != 0 || !since.IsZero() {
		t.Errorf("%d bytes wait since %s", n, since)
	}
	if err := NewArchive(db, g.log).Sweep(t.Context(), time.Hour, 0); err != nil {
		t.Fatal(err)
	}
	if db.Model(&store.LedgerSegment{}).Count(&rows); rows != 0 {
		t.Error("what is older than it is to be kept is still there")
	}
	for range 2 { // the second time nothing is to be done
		if err := g.Close(t.Context()); err != nil {
			t.Error(err)
		}
	}
	g.Abort()
}

// TestDatabaseAway: while nothing can be written it waits, in its order; what is too much gives way, and every lobby is
// asked for a checkpoint, with which it is whole again.
func TestDatabaseAway(t *testing.T) {
	g, id := opened(t)
	defer g.Close(t.Context())
	asked := make(chan bool, 1)
	g.OnFull(func() { asked <- true })
	move := func(from, to string) {
		t.Helper()
		if err := db.WithContext(t.Context()).Exec("alter table " + from + " rename to " + to).Error; err != nil {
			t.Fatal(err)
		}
	}
	move("ledger_log", "away_log")
	m := g.Write(g.Stay(id), 1, []byte("entry 1."), nil)
	for since := (time.Time{}); since.IsZero(); _, since = g.Waiting() { // it has seen that it cannot be written
		if t.Context().Err() != nil {
			t.Fatal("it does not notice")
		}
	}
	soon, over := context.WithTimeout(t.Context(), 10*time.Millisecond)
	defer over()
	if err := g.Kept(soon, m); err == nil {
		t.Error("what cannot be written is said to be kept")
	}
	big := make([]byte, 8<<20)
	var gave Mark
	for n := range 8 {
		gave = g.Write(g.Stay(id), int64(n+2), big, nil)
	}
	<-asked
	late := g.Write(g.Stay(id), 10, []byte("entry 10."), nil)
	for what, m := range map[string]Mark{"gave way": gave, "came after that": late} {
		if err := g.Kept(t.Context(), m); !errors.Is(err, ErrGaveWay) {
			t.Errorf("what %s: %v", what, err)
		}
	}
	m = g.Checkpoint(g.Stay(id), State{Seq: 11, Began: time.Now(), Data: []byte("state 11")}, []byte("entries"))
	move("away_log", "ledger_log")
	kept(t, g, m)
	kept(t, g, g.Write(g.Stay(id), 12, []byte("entry 12."), nil))
	if x := left(t, g)[0]; x.Seq != 12 || string(x.State) != "state 11" || string(x.After) != "entry 12." {
		t.Errorf("%d %q %q", x.Seq, x.State, x.After)
	}
	for what, m := range map[string]Mark{"gave way": gave, "came after that": late} {
		if err := g.Kept(t.Context(), m); !errors.Is(err, ErrGaveWay) {
			t.Errorf("what %s, when the database is back: %v", what, err)
		}
	}
	if n, since := g.Waiting(); n > 100 || !since.IsZero() {
		t.Errorf("%d bytes wait since %s", n, since)
	}
}

// TestGapIsNoticed: whoever takes a lobby up whose journal has a piece that gave way is told so, and not where nothing
// is missing.
func TestGapIsNoticed(t *testing.T) {
	g, id := opened(t)
	if left(t, g)[0].Gap {
		t.Error("at the beginning something is missing")
	}
	kept(t, g, g.Checkpoint(g.Stay(id), State{Seq: 3, Data: []byte("state 3")}, []byte("entries 1 to 3.")))
	if left(t, g)[0].Gap {
		t.Error("with every piece something is missing")
	}
	kept(t, g, g.Checkpoint(g.Stay(id), State{Seq: 7, Data: []byte("state 7")}, nil)) // 4 to 7 gave way
	if x := left(t, g)[0]; !x.Gap || x.Seq != 7 {
		t.Errorf("%+v", x)
	}
	kept(t, g, g.Checkpoint(g.Stay(id), State{Seq: 7, Data: []byte("state 7"), Keep: true, Gap: true}, nil))
	if left(t, g)[0].Gap {
		t.Error("once the journal says what is missing, it is said again")
	}
}

// TestLogWithGap: where the log lacks an entry of a lobby, that lobby goes on from before it, and the others from their
// ends; what other rows hold of before is passed over.
func TestLogWithGap(t *testing.T) {
	g, a := opened(t)
	b := uuid.NewString()
	if err := g.Open(t.Context(), Head{Lobby: b, Code: "QUAY33", Opened: time.Now()}, []byte("state 0")); err != nil {
		t.Fatal(err)
	}
	if err := db.Create(&store.Lobby{ID: b, Code: "QUAY33", Node: "n1"}).Error; err != nil {
		t.Fatal(err)
	}
	g.Abort()
	for _, row := range [][]byte{
		appendLogged(appendLogged(appendLogged(nil, a, 1, []byte("a1")), a, 3, []byte("a3")), b, 1, []byte("b1")),
		appendLogged(appendLogged(appendLogged(nil, a, 2, []byte("a2")), "c", 1, []byte("x")), a, 1, []byte("a1")),
		appendLogged(nil, b, 2, []byte("b2")),
	} {
		if _, err := In(db).Rows(t.Context()).Append("n1", store.Fence{}, time.Now(), row); err != nil {
			t.Fatal(err)
		}
	}
	got := map[string]string{}
	for _, x := range left(t, g) {
		got[x.Lobby] = fmt.Sprint(x.Seq, string(x.After), len(x.entries), x.first > 0)
	}
	if len(got) != 2 || got[a] != "1a11 true" || got[b] != "2b1b22 true" {
		t.Errorf("left are %v", got)
	}
}
