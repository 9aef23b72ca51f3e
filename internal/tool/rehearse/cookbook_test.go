package rehearse_test

import (
	"os"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/tool/rehearse"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestCookbook rehearses every rulebook of the cookbook, and every step to a first one: no finding of the checker,
// every match ends, and nothing in it is never used.
func TestCookbook(t *testing.T) {
	steps, docs := rulebooksOf(t, "first"), rulebooksOf(t, "cookbook")
	lines := 0
	for i, src := range steps {
		n := strings.Count(string(src), "\n")
		if n <= lines || i == 0 && n > 12 || n > 60 {
			t.Errorf("step %d has %d lines, the one before %d", i+1, n, lines)
		}
		lines = n
	}
	if len(docs) < 9 || len(steps) != 7 {
		t.Fatalf("the cookbook has %d rulebooks, and %d steps lead to it", len(docs), len(steps))
	}
	for _, src := range append(steps, docs...) {
		book, problems := rulebook.Compile(src)
		if len(problems) > 0 {
			t.Errorf("%s\n%s", problems.Error(), src)
			continue
		}
		r, err := rehearse.Run(book,
			rehearse.Options{Matches: 20, Seed: 1, Limit: 10 * time.Minute, Players: min(book.Players.Most, 5)})
		if err != nil {
			t.Errorf("%s: %v", book.Name, err)
			continue
		}
		unused := strings.Join(r.Unused, ", ")
		if book.Name == "crews" { // a tie after three rounds is rare
			unused = strings.TrimPrefix(unused, "phase sudden")
		}
		if r.Ended != 20 || len(r.Faults) > 0 || unused != "" {
			t.Errorf("%s", r.Text())
		}
	}
}

// rulebooksOf returns the rulebooks of a page.
func rulebooksOf(t *testing.T, page string) [][]byte {
	text, err := os.ReadFile("../../../docs/" + page + ".md")
	if err != nil {
		t.Fatal(err)
	}
	return trial.Rulebooks(string(text))
}
