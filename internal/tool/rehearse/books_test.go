package rehearse_test

import (
	"encoding/json"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/rehearse"
	"turnvex.example/turnvex/internal/tool/script"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestBooksWrittenAnew: six rulebooks that were written before definitions, counts and lists of values were there are
// written anew with them. Rehearsed with the same seeds they come to the same: the same actions are taken and refused,
// matches last as long, end for the same reasons, and are won by the same. Nearly all of them end.
func TestBooksWrittenAnew(t *testing.T) {
	files, err := filepath.Glob("testdata/books/*.yaml")
	if err != nil || len(files) != 6 {
		t.Fatal(files, err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".yaml"), func(t *testing.T) {
			again := filepath.Join("testdata/books/anew", filepath.Base(file))
			// Later matches of a lobby have other sheet numbers, and so other chances; and with these seeds nobody
			// acts in the first tick, when pieces are not there yet.
			for seed := range uint64(5) {
				before, after := rehearsed(t, file, 1, seed+1), rehearsed(t, again, 1, seed+1)
				before.Version, before.Unused, before.Inputs = after.Version, after.Unused, after.Inputs
				was, _ := json.MarshalIndent(before, "", " ")
				is, _ := json.MarshalIndent(after, "", " ")
				if string(was) != string(is) {
					t.Fatalf("rehearsed anew with seed %d:\n%s\nbefore:\n%s", seed+1, is, was)
				}
			}
			if r := rehearsed(t, again, trial.Rounds(100, 30), 1); r.Ended < r.Matches*95/100 {
				t.Errorf("%d of %d matches ended", r.Ended, r.Matches)
			}
		})
	}
}

func rehearsed(t *testing.T, file string, matches int, seed uint64) *rehearse.Report {
	t.Helper()
	src, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	book, problems := rulebook.CompileKept(src)
	if book == nil {
		t.Fatal(file, problems)
	}
	weights := map[string]int{}
	if book.ActionNamed["resign"] != nil {
		weights["resign"] = 0
	}
	report, err := rehearse.Run(book, rehearse.Options{Matches: matches, Seed: seed, Weights: weights})
	if err != nil {
		t.Fatal(err)
	}
	return report
}

// TestLookingChangesNothing: who looks for what the rules would accept leaves the lobby as it was, to the last draw,
// sends what the rulebook says, and aims at one of those whom it names.
func TestLookingChangesNothing(t *testing.T) {
	book, problems := rulebook.Compile([]byte(`turnvex: 1
name: looks
players: {least: 2, most: 3}
start: {countdown: 0s}
stand_ins: {sends: {poke: {n: "random(1, 9)", l: "me.hand.filter(h, h > 1)"}}, target: "me.others.filter(p, p.n < 99)"}
sheets: {player: {n: {type: integer}, hand: {type: list, of: integer, start: 1..3}}}
actions:
  poke:
    aim: {kind: target, who: anyone}
    takes: {n: {type: integer}, l: {type: list, of: integer}}
    do: [{add: target.n, by: arg.n}]
phases: {play: {lasts: 9s}}
`))
	if book == nil {
		t.Fatal(problems)
	}
	st := script.NewStage(book, lobby.Setup{Code: "LOOKED", Seed: 1, Hidden: true})
	steps, _ := script.Parse([]byte("at 0s Mara enters\nat 0s Joss enters\nat 0s Ilse enters\n" +
		"at 0s all ready\nat 1s Mara poke Joss n=1 l=1,3"))
	for _, s := range steps {
		if err := st.Do(s); err != nil {
			t.Fatal(err)
		}
	}
	before, whim, sent, whom := st.M.Hash(), st.M.Whim(rand.New(rand.NewPCG(1, 2))), 0, map[sheet.ID]bool{}
	for range 50 {
		in := step.Input{Kind: step.Intent}
		if whim.Does(st.M.Store().Seated[0], &in) {
			sent++
			whom[in.Target] = true
			if n := in.Args[0].Value.N[0]; n < 1 || n > 9 || in.Args[1].Value.S != "2,3" {
				t.Errorf("%v is sent", in.Args)
			}
		}
		if err := st.M.Check(); err != nil || st.M.Hash() != before {
			t.Fatal("the lobby is another one after looking: ", err)
		}
	}
	if seated := st.M.Store().Seated; sent != 50 || len(whom) != 2 || whom[seated[0].ID] {
		t.Errorf("%d of 50 times something was found to do, to %v", sent, whom)
	}
}
