package library_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/library"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

func source(name string, seconds int) []byte {
	return fmt.Appendf(nil, "turnvex: 1\nname: %s\nphases: {play: {lasts: %ds}}\n", name, seconds)
}

// TestVersions: each version is kept and can be had; one of a name is current, the last that was loaded, also when it
// was there before and when many are loaded at once.
func TestVersions(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	ctx := t.Context()
	l, bad, err := library.Open(ctx, db)
	if err != nil || len(bad) != 0 {
		t.Fatal(bad, err)
	}
	load := func(src []byte) *rulebook.Book {
		t.Helper()
		b, _, err := l.Load(ctx, src)
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	one, two := load(source("pier", 10)), load(source("pier", 20))
	if b, err := l.Book("pier"); err != nil || b != two {
		t.Errorf("current is %v, %v", b.Version, err)
	}
	for _, v := range []string{one.Version, one.Version, two.Version} {
		if b, err := l.Version(ctx, "pier", v); err != nil || b.Version != v {
			t.Errorf("version %s: %v", v, err)
		}
	}
	again := load(source("pier", 10))
	if b, _ := l.Version(ctx, "pier", ""); b != again || again.Version != one.Version {
		t.Errorf("loaded again, current is %s", b.Version)
	}
	load(source("quay", 5))
	for want, name := range map[string]string{"no rulebook is called \"peir\"; loaded are: pier, quay": "peir"} {
		if _, err := l.Book(name); fault.CodeOf(err) != code.NoRulebook || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, wanted %s", err, want)
		}
	}
	if _, err := l.Version(ctx, "pier", "000000000000"); fault.CodeOf(err) != code.NoRulebook {
		t.Errorf("a version that is not there: %v", err)
	}
	if _, problems, err := l.Load(ctx, []byte("turnvex: 1\n")); fault.CodeOf(err) != code.BadRulebook ||
		len(problems) == 0 {
		t.Errorf("a bad one: %v, %v", problems, err)
	}
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() { load(source("mole", 30+i)) })
	}
	all.Wait()
	var current int64
	if db.Model(&store.Rulebook{}).Where("name = 'mole' and current").Count(&current); current != 1 {
		t.Errorf("%d versions are current", current)
	}
	if err := db.Create(&store.Rulebook{Name: "old", Version: "1", Source: []byte("turnvex: 0"),
		Current: true}).Error; err != nil {
		t.Fatal(err)
	}
	next, bad, err := library.Open(ctx, db) // after a restart
	if err != nil || len(bad) != 1 || !strings.Contains(bad[0].Error(), "old") {
		t.Errorf("%v, %v", bad, err)
	}
	var names []string
	for _, b := range next.Books() {
		names = append(names, b.Name+" "+fmt.Sprint(b.Phases[0].Length))
	}
	if got := strings.Join(names, ", "); !strings.HasPrefix(got, "mole ") || !strings.Contains(got,
		"pier 200, quay 100") {
		t.Errorf("after a restart: %s", got)
	}
}

// TestTogether: a game whose shared field is renamed and the rulebooks that follow it become current together or not at
// all; the others of the game are published again, and one that would break is named with where it breaks.
func TestTogether(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	ctx := t.Context()
	l, _, err := library.Open(ctx, db)
	if err != nil {
		t.Fatal(err)
	}
	game := func(field string) string { return "turnvex: 1\ngame: port\nrecord: {" + field + ": {}, sum: {}}\n" }
	book := func(name, field string) string {
		return "turnvex: 1\nname: " + name + "\ngame: port\nphases: {play: {lasts: 9s}}\n" +
			"rules:\n  - {on: start, for: players, do: [{add: record." + field + ", by: 1}]}\n"
	}
	load := func(docs ...string) error {
		all, err := l.LoadAll(ctx, rulebook.Parts([]byte(strings.Join(docs, "---\n"))))
		for i, c := range all[:min(len(all), len(docs))] {
			if err == nil && !strings.HasPrefix(string(c.Book.Source), docs[i]) {
				t.Errorf("the source of %s is\n%s", c.Book.Name, c.Book.Source)
			}
		}
		return err
	}
	versions := func() (out []string) {
		for _, name := range []string{"game:port", "nets", "traps"} {
			b, err := l.Book(name)
			if err != nil {
				t.Fatal(err)
			}
			out = append(out, b.Version)
		}
		return out
	}
	if err := load(book("nets", "coins"), game("coins"), book("traps", "sum")); err != nil {
		t.Fatal(err)
	}
	first := versions()
	if _, _, err := l.Load(ctx, []byte(game("gold")+"---\n"+book("nets", "gold"))); fault.CodeOf(err) !=
		code.BadRulebook || !strings.Contains(err.Error(), "more stands behind the game") {
		t.Errorf("a game with a rulebook behind it, as one: %v", err)
	}
	for _, docs := range [][]string{{game("gold")}, {game("gold"), book("traps", "gold")},
		{book("nets", "silver"), game("gold")}} {
		err := load(docs...)
		if fault.CodeOf(err) != code.BadRulebook || !strings.Contains(err.Error(), "the rulebook nets") ||
			!strings.Contains(err.Error(), "6:") {
			t.Errorf("%q are loaded, or refused with: %v", docs, err)
		}
		if got := versions(); !slices.Equal(got, first) {
			t.Errorf("%q are refused, and current are %v", docs, got)
		}
	}
	if err := load(game("gold"), book("nets", "gold")); err != nil {
		t.Fatal(err)
	}
	for i, v := range versions() {
		if v == first[i] {
			t.Errorf("the version %d is still %s", i, v)
		}
	}
	next, bad, err := library.Open(ctx, db) // after a restart
	if b, e := next.Book("traps"); err != nil || len(bad) > 0 || e != nil || len(b.Record) != 2 ||
		b.Record[0].Field.Name != "gold" {
		t.Errorf("after a restart: %v, %v, %v, %+v", bad, err, e, b)
	}
}

// TestTry: a text that is tried can be had by its version and is never current; it goes when no journal names it, but
// not if it was published meanwhile.
func TestTry(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	ctx := t.Context()
	l, _, err := library.Open(ctx, db)
	if err != nil {
		t.Fatal(err)
	}
	var tried []*rulebook.Book
	for i, name := range []string{"pier", "quay", "mole"} {
		b, err := l.Try(ctx, source(name, 10+i))
		if err != nil {
			t.Fatal(err)
		}
		tried = append(tried, b)
	}
	if b, err := l.Book("pier"); err == nil {
		t.Errorf("what was tried is current: %s", b.Version)
	}
	if _, _, err := l.Load(ctx, source("quay", 11)); err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{
		"insert into ledger_lobbies (lobby_id, node, code, name, rulebook, version, setup, opened_at) values " +
			"(gen_random_uuid(), 'n', 'ABCDEF', '', 'mole', '" + tried[2].Version + "', '', now())",
		"update rulebooks set created_at = now() - interval '2 hours'"} {
		if err := l.Sweep(ctx); err != nil { // too early, the first times
			t.Fatal(err)
		}
		if err := db.WithContext(ctx).Exec(sql).Error; err != nil {
			t.Fatal(err)
		}
	}
	if err := l.Sweep(ctx); err != nil {
		t.Fatal(err)
	}
	fresh, _, err := library.Open(ctx, db)
	if err != nil {
		t.Fatal(err)
	}
	for i, b := range tried {
		if _, err := fresh.Version(ctx, b.Name, b.Version); (err == nil) != (i > 0) {
			t.Errorf("%s after the sweep: %v", b.Name, err)
		}
	}
	if _, err := l.Try(ctx, []byte("turnvex: 1\n")); fault.CodeOf(err) != code.BadRulebook {
		t.Errorf("a bad one: %v", err)
	}
}
