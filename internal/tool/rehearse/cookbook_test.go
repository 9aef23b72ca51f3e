package rehearse_test

import (
	"os"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/tool/rehearse"
)

// TestCookbook rehearses every rulebook of the cookbook: no finding of the
// checker, every match ends, and nothing in it is never used.
func TestCookbook(t *testing.T) {
	page, err := os.ReadFile("../../../docs/cookbook.md")
	if err != nil {
		t.Fatal(err)
	}
	parts := strings.Split(string(page), "```yaml\n")
	if len(parts) < 9 {
		t.Fatalf("the cookbook has %d rulebooks", len(parts)-1)
	}
	games := map[string][]byte{}
	for _, part := range parts[1:] {
		src, _, _ := strings.Cut(part, "```")
		game, declares := rulebook.GameOf([]byte(src))
		if declares {
			games[game] = []byte(src)
			continue
		}
		if game != "" {
			src = string(rulebook.Bundle([]byte(src), games[game]))
		}
		book, problems := rulebook.Compile([]byte(src))
		if len(problems) > 0 {
			t.Errorf("%s\n%s", problems.Error(), src)
			continue
		}
		r, err := rehearse.Run(
			book,
			rehearse.Options{Matches: 20, Seed: 1, Limit: 10 * time.Minute, Players: min(book.Players.Most, 5)},
		)
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
