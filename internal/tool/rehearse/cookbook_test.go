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

// TestCookbook rehearses every rulebook of the cookbook: no finding of the checker, every match ends, and nothing in it
// is never used.
func TestCookbook(t *testing.T) {
	page, err := os.ReadFile("../../../docs/cookbook.md")
	if err != nil {
		t.Fatal(err)
	}
	docs := trial.Rulebooks(string(page))
	if len(docs) < 9 {
		t.Fatalf("the cookbook has %d rulebooks", len(docs))
	}
	for _, src := range docs {
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
