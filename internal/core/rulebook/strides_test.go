package rulebook_test

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/chance"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestStrides: a lobby that is told of every tick and one that strides over those in which nothing happens come to the
// same, for every rulebook of the demo and of the cookbook, and for any that the grammar allows.
func TestStrides(t *testing.T) {
	books, inputs := trial.Rounds(300, 24), trial.Rounds(3000, 450)
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	for _, src := range written(t) {
		stride(t, r, seed, src, inputs)
	}
	made := 0
	for range books {
		if src := rulebook.RandomDocument(r); src != nil {
			stride(t, r, seed, src, inputs/10)
			made++
		}
	}
	if made < books/2 {
		t.Errorf("%d of %d rulebooks were made up", made, books)
	}
}

// Clocks that run on in pauses, between matches and after the end: one that a derived field reads, and one that a rule
// waits for.
const (
	since = `turnvex: 1
name: since
players: {least: 1, most: 4}
start: {countdown: 0s}
sheets: {lobby: {since: {type: clock, runs: wall, reset: never}, long: {type: flag, is: "lobby.since > 3s"}}}
actions: {go: {do: [{clock: lobby.since, do: restart}]}}
phases: {play: {lasts: 2s}}
`
	rings = `turnvex: 1
name: rings
players: {least: 1, most: 4}
start: {countdown: 0s}
sheets: {match: {ring: {type: clock, runs: wall, count: down, start: 4s}, rung: {type: clock, runs: wall}}}
actions: {go: {do: [{clock: match.ring, do: restart}]}}
rules: [{when: "running(match.ring) && match.ring == 0", do: [{clock: match.rung, do: restart}, {clock: match.ring, do: reset}]}]
pause: {who: anyone, longest: 6s}
phases: {play: {lasts: 20s}}
`
)

// written are the rulebooks of the demo and of the cookbook.
func written(t *testing.T) (docs [][]byte) {
	docs = append(docs, []byte(since), []byte(rings))
	stories := strings.Fields(
		"refereeing creatures shots touching ways zones turns sealed lists walks seats votes arenas limits standins " +
			"promises ownlimits",
	)
	for _, story := range stories {
		docs = append(docs, ofStory(t, story))
	}
	files, _ := filepath.Glob("../../../demo/rulebooks/*.yaml")
	for _, f := range append(files, "../../../docs/cookbook.md", "../lobby/testdata/busy.yaml") {
		src, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		if !strings.HasSuffix(f, ".md") {
			docs = append(docs, src)
			continue
		}
		docs = append(docs, trial.Rulebooks(string(src))...)
	}
	return docs
}

// ofStory is the rulebook that stands at the head of a story of the lobby's tests.
func ofStory(t *testing.T, name string) []byte {
	text, err := os.ReadFile("../lobby/testdata/" + name + ".txt")
	if err != nil {
		t.Fatal(err)
	}
	var doc strings.Builder
	for _, line := range strings.Split(string(text), "\n") {
		if inner, is := strings.CutPrefix(line, "    "); is {
			doc.WriteString(inner + "\n")
		}
	}
	return []byte(doc.String())
}

// stride lets the same happen to a lobby tick by tick and to another in strides.
func stride(t *testing.T, r *rand.Rand, seed uint64, src []byte, inputs int) {
	t.Helper()
	book, problems := rulebook.Compile(src)
	if book == nil {
		t.Fatal(problems)
	}
	setup := lobby.Setup{Code: "ABCDEF", Seed: seed, Practice: r.IntN(2) == 0}
	ticked, strode := lobby.New(book, setup), lobby.New(book, setup)
	for i := 0; i < inputs && !strode.Closed(); i++ {
		in := chance.Input(r, strode)
		if r.IntN(8) == 0 {
			in.At += sheet.Tick(r.IntN(200))
		}
		for ticked.Tick() < in.At && !ticked.Closed() {
			ticked.Step(&step.Input{At: ticked.Tick() + 1})
		}
		out := strode.Step(&in)
		ticked.Step(&in)
		if seat := out.Seat; seat != 0 {
			loaded := step.Input{At: in.At, Kind: step.Loaded, Seat: seat}
			strode.Step(&loaded)
			ticked.Step(&loaded)
		}
		if ticked.Hash() != strode.Hash() {
			t.Fatalf("seed %d, tick %d, %s %s %s: %v\n%s", seed, in.At, in.Kind, in.Verb, in.Name,
				state.Compare(ticked.Lines(), strode.Lines(), 8), src)
		}
		ticked.Store().ClearChanges()
		strode.Store().ClearChanges()
	}
}
