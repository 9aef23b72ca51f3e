package library_test

import (
	"fmt"
	"os"
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
	return fmt.Appendf(nil, "turnvex: 1\nname: %s\nphases: {play: {length: %ds}}\n", name, seconds)
}

// TestVersions: each version is kept and can be had; one of a name is current, the last
// that was loaded, also when it was there before and when many are loaded at once.
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
