package rulebook_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/tool/rehearse"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestRandomRulebooksRun: whatever the checker accepts, the core runs without failing, and the same way twice.
func TestRandomRulebooksRun(t *testing.T) {
	rounds := trial.Rounds(60, 12)
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	ran, ended, acted := 0, 0, 0
	for i := range rounds {
		src := rulebook.RandomDocument(r)
		if src == nil {
			continue
		}
		rulebook.Rewrite(src)
		book, _ := rulebook.Compile(src)
		func() {
			defer func() {
				if p := recover(); p != nil {
					t.Fatalf("seed %d, rulebook %d: %v\n%s", seed, i, p, src)
				}
			}()
			o := rehearse.Options{Matches: 2, Seed: seed, Limit: 20 * time.Second, Players: 4, Workers: 1}
			a, err := rehearse.Run(book, o)
			if err != nil {
				return
			}
			b, _ := rehearse.Run(book, o)
			if a.Text() != b.Text() {
				t.Fatalf("seed %d, rulebook %d plays out differently:\n%s\n%s\n%s", seed, i, a.Text(), b.Text(), src)
			}
			ran++
			ended += a.Ended
			for _, c := range a.Actions {
				acted += c.Count
			}
		}()
	}
	if ran < rounds/3 || ended < rounds/15 || acted < rounds/3 {
		t.Errorf("%d rulebooks ran, %d matches ended, %d actions: that says too little", ran, ended, acted)
	}
}
