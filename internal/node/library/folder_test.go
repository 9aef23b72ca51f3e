package library_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/library"
)

// TestGather: a rulebook, its arenas and its game are put together from a folder, once, and a mistake is said of the
// file and line in which it stands.
func TestGather(t *testing.T) {
	folder := t.TempDir()
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	book := "turnvex: 1\nname: piers\ngame: harbour\narenas: {files: [mole, reef]}\n" +
		"rules: [{on: start, for: players, do: [{add: record.coins, by: 1}]}]\nphases: {play: {lasts: 9s}}\n"
	write("reef.yaml", "---\nturnvex: 1\narena: reef\nwidth: 30m\nheight: 10m\n")
	write("harbour.yaml", "turnvex: 1\ngame: harbour\nrecord: {coins: {}}\n")
	write("mole.yaml", "turnvex: 1\narena: mole\nwidth: 20m\nheight: 10m\n")
	path := filepath.Join(folder, "piers.yaml")
	all := library.Gather(path, []byte(book), true)
	b, problems := rulebook.Compile(all.Source)
	if b == nil {
		t.Fatalf("%s\n%s", problems, all.Source)
	}
	if len(b.Grounds) != 2 || b.Grounds[0].Name != "mole" || b.Grounds[1].Width != 30_000 || b.Game != "harbour" {
		t.Errorf("%+v", b.Grounds)
	}
	if again := library.Gather(path, all.Source, true); string(again.Source) != string(all.Source) {
		t.Errorf("gathered twice:\n%s", again.Source)
	}
	if without := library.Gather(path, []byte(book), false); strings.Contains(string(without.Source), "coins: {}") {
		t.Errorf("the game is the service's to find:\n%s", without.Source)
	}
	write("reef.yaml", "turnvex: 1\narena: reef\nwidth: 30m\nhieght: 10m\n")
	write("harbour.yaml", "turnvex: 1\ngame: harbour\nrecord:\n  coins: {mox: 3}\n")
	all = library.Gather(path, []byte(book), true)
	_, problems = rulebook.Compile(all.Source)
	got := map[string]int{}
	for _, p := range all.Locate(problems.Errors()) {
		got[filepath.Base(p.File)] = p.Line
	}
	if got["reef.yaml"] != 4 || got["harbour.yaml"] != 4 {
		t.Errorf("%v of\n%s", got, problems)
	}
}
