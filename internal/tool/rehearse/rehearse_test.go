package rehearse_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/tool/rehearse"
	"turnvex.example/turnvex/internal/tool/script"
	"turnvex.example/turnvex/internal/tool/story"
)

var update = flag.Bool("update", false, "write the golden journal anew")

func load(t testing.TB, file string) *rulebook.Book {
	t.Helper()
	src, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	book, problems := rulebook.Compile(src)
	if book == nil {
		t.Fatal(problems.Error())
	}
	return book
}

const clash = "../../../demo/rulebooks/clash.yaml"

// TestSameSeedSameReport: on one core or many, the report and its chart are the same to the byte; another seed gives
// another.
func TestSameSeedSameReport(t *testing.T) {
	book := load(t, clash)
	run := func(seed uint64, workers int) *rehearse.Report {
		r, err := rehearse.Run(book, rehearse.Options{Matches: 20, Seed: seed, Workers: workers})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	a, b, c := run(1, 1), run(1, 4), run(2, 4)
	if a.Text() != b.Text() || a.Text() == c.Text() || a.Ended != 20 || len(a.Unused) > 1 {
		t.Errorf("seed 1:\n%s\nagain:\n%s\nseed 2:\n%s", a.Text(), b.Text(), c.Text())
	}
	one, err := a.Chart()
	two, _ := b.Chart()
	if err != nil || !bytes.Equal(one, two) || bytes.Count(one, []byte("<rect")) != 1+len(a.Lengths)+len(a.Sides) {
		t.Errorf("the charts have %d and %d bytes, %v:\n%s", len(one), len(two), err, one)
	}
	if err := xml.Unmarshal(one, new(struct{})); err != nil {
		t.Error(err)
	}
}

// TestFindsWhatIsWrong: endless and stuck matches, and what is never used.
func TestFindsWhatIsWrong(t *testing.T) {
	for _, c := range []struct{ src, want string }{
		{"phases: {play: {lasts: 5s, next: play}}", "Not over at the limit"},
		{"phases: {play: {}}", "Stuck: nothing could happen any more"},
		{"phases: {play: {lasts: 5s}, extra: {lasts: 5s}}\nactions: {a: {if: 1 == 2}}\nwin: {ends: [{if: " +
			"match.number > 0}]}", "phase extra\n  action a"},
	} {
		book, problems := rulebook.Compile([]byte("turnvex: 1\nname: x\nplayers: {least: 2}\n" + c.src))
		if book == nil {
			t.Fatal(problems)
		}
		r, err := rehearse.Run(book, rehearse.Options{Matches: 3, Limit: 30 * time.Second})
		if err != nil || !strings.Contains(r.Text(), c.want) {
			t.Errorf("%q is missing (%v) in:\n%s", c.want, err, r.Text())
		}
	}
}

// TestFairness: where players are alike, nobody wins because of where they sit; where one of them has an advantage, it
// is found and said.
func TestFairness(t *testing.T) {
	const race = `turnvex: 1
name: race
players: {least: 2, most: 4}
sheets: {player: {points: {type: integer}}}
actions: {score: {cooldown: 1s, do: [{add: me.points, by: 1}]}}
phases: {play: {lasts: 60s}}
rules: [{when: me.points >= 10, for: players, do: [{finish: ten points, winner: me}]}%s]
win: {order: [{highest: me.points}]}
`
	run := func(more string) *rehearse.Report {
		r, err := rehearse.Run(compiled(t, fmt.Sprintf(race, more)), rehearse.Options{Matches: 600, Seed: 3})
		if err != nil || r.Ended != 600 {
			t.Fatalf("%v, %d ended", err, r.Ended)
		}
		return r
	}
	if r := run(""); len(r.Unfair) > 0 || len(r.Sides) != 4 {
		t.Errorf("a fair race:\n%s", r.Text())
	}
	r := run(", {on: start, do: [{each: players, only: it.name == 'Player 3', do: [{add: it.points, by: 2}]}]}")
	if len(r.Unfair) == 0 || !strings.HasPrefix(r.Unfair[0], "Player 1 wins less") ||
		!strings.Contains(r.Text(), "Player 3 wins more often than chance explains") {
		t.Errorf("a race with a start ahead:\n%s", r.Text())
	}
}

// TestCounts: what is never used, what cannot be computed and by which line, and how weights change what players do; a
// referee decides by chance.
func TestCounts(t *testing.T) {
	book := compiled(t, `turnvex: 1
name: counts
players: {least: 2, most: 2}
ground: {width: 20m, height: 20m, spawns: [{at: [5m, 5m]}, {at: [9m, 9m]}, {at: [1m, 1m]}]}
sheets: {player: {n: {type: integer}, m: {type: integer}}}
kits: {all: {actions: [one, two, ask]}, spare: {actions: [two], start: false}}
actions:
  one: {do: [{set: me.n, to: 7 / match.round}, {if: me.n / match.round > 1, then: [{grant: spare}]}]}
  two: {do: [{add: me.m, by: 1}]}
  ask: {referee: {within: 1s}, do: [{notice: yes}], if: match.number > 0}
pieces: {shell: {number: 1, every: 0s, at: [[2m, 2m], [50m, 2m]]}, pearl: {number: 0}}
rules:
  - {on: out, do: [{notice: gone}]}
phases: {play: {lasts: 60s}, late: {lasts: "1s / (match.round - match.round)"}}
win: {order: [{highest: me.m}]}
boards: {even: {value: me.m / match.round}}
`)
	run := func(weights map[string]int) *rehearse.Report {
		r, err := rehearse.Run(book, rehearse.Options{Matches: 10, Weights: weights})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	r := run(nil)
	want := []string{"the rule in line 13", "kit spare", "notice gone", "piece pearl",
		"the place of shell at [50m, 2m]", "the spawn point at [1m, 1m]"}
	if !slices.Equal(r.Unused, want) {
		t.Errorf("unused: %q\nwanted: %q", r.Unused, want)
	}
	if len(r.Failed) != 3 || r.Failed[1] != (rehearse.Count{What: "line 14", Count: 10}) ||
		r.Failed[2] != (rehearse.Count{What: "line 16", Count: 20}) ||
		r.Failed[0].What != "line 8" ||
		r.Failed[0].Count != 2*used(r, "one") ||
		r.Wrong() {
		t.Errorf("what could not be computed: %v", r.Failed)
	}
	if len(r.Refusals) > 0 || used(r, "ask") == 0 || len(r.Faults) > 0 || r.Unasked {
		t.Errorf("refusals %v, faults %v, a referee missing %v", r.Refusals, r.Faults, r.Unasked)
	}
	heavy := run(map[string]int{"two": 50, "ask": 0})
	if one, two := used(heavy, "one"), used(heavy, "two"); two < 25*one || one == 0 || used(heavy, "ask") > 0 {
		t.Errorf("with weights 1, 50 and 0: %v", heavy.Actions)
	}
	for _, wrong := range []map[string]int{{"three": 1}, {"one": -1}, {"one": 1001}, {rehearse.Steering: 1}} {
		if _, err := rehearse.Run(book, rehearse.Options{Weights: wrong}); err == nil {
			t.Errorf("the weights %v were taken", wrong)
		}
	}
}

func used(r *rehearse.Report, action string) int {
	for _, c := range r.Actions {
		if c.What == action {
			return c.Count
		}
	}
	return 0
}

func compiled(t *testing.T, src string) *rulebook.Book {
	t.Helper()
	book, problems := rulebook.Compile([]byte(src))
	if book == nil {
		t.Fatal(problems)
	}
	return book
}

// TestGoldenReplay plays a committed journal back: a change to the core that alters what comes of the same inputs fails
// here, at the tick where it begins.
func TestGoldenReplay(t *testing.T) {
	const file = "testdata/clash.journal"
	if *update {
		var b bytes.Buffer
		if err := rehearse.Record(load(t, clash), rehearse.Options{Seed: 7, Players: 6}, 1, &b); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, b.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	rp, err := journal.Open(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	if err := rp.RunTo(-1); !errors.Is(err, io.EOF) || rp.Hashes < 10 {
		t.Fatalf("%v after %d hashes (go test ./internal/tool/rehearse -run Golden -update writes the journal anew)",
			err, rp.Hashes)
	}
	whole := rp.M.Hash()
	stopped, _ := journal.Open(bytes.NewReader(data))
	if err := stopped.RunTo(700); err != nil || stopped.M.Tick() != 700 {
		t.Fatalf("stopping at 700: %v, at %d", err, stopped.M.Tick())
	}
	if err := stopped.RunTo(-1); !errors.Is(err, io.EOF) || stopped.M.Hash() != whole {
		t.Errorf("going on from 700: %v", err)
	}
	changed := bytes.Replace(data, []byte("by: -25"), []byte("by: -20"), 1)
	other, err := journal.Open(bytes.NewReader(changed))
	if err != nil {
		t.Fatal(err)
	}
	var diff *journal.Difference
	if err := other.RunTo(-1); !errors.As(err, &diff) || diff.Tick <= diff.Last {
		t.Errorf("with another rulebook in it: %v", err)
	}
	for cut := len(data) - 1; cut > 0; cut -= 997 { // a journal that breaks off is played to where it does
		if rp, err := journal.Open(bytes.NewReader(data[:cut])); err == nil {
			if err := rp.RunTo(-1); !errors.Is(err, io.EOF) {
				t.Fatalf("cut at %d: %v", cut, err)
			}
		}
	}
}

// FuzzReplay: whatever is in a journal, it is played or refused.
func FuzzReplay(f *testing.F) {
	book, _ := rulebook.Compile(
		[]byte(
			"turnvex: 1\nname: f\ntick: 5\nphases: {play: {lasts: 2s}}\nactions: {a: {takes: {n: {type: integer}}}}\n",
		),
	)
	var b bytes.Buffer
	if err := rehearse.Record(book, rehearse.Options{Players: 2}, 1, &b); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Add([]byte(journal.Magic))
	f.Fuzz(func(t *testing.T, data []byte) {
		rp, err := journal.Open(bytes.NewReader(data))
		if err != nil {
			return
		}
		rp.RunTo(5000)
		if err := rp.M.Check(); err != nil {
			t.Error(err)
		}
	})
}

// FuzzScript: whatever is in a script, it is played or refused, with its line.
func FuzzScript(f *testing.F) {
	book, _ := rulebook.Compile(
		[]byte(
			"turnvex: 1\nname: f\ntick: 5\nphases: {play: {lasts: 2s}}\nsheets: {player: {n: {type: " +
				"number}}}\nactions: {a: {takes: {n: {type: integer}, p: {type: player}}, do: [{add: me.n, by: 1}]}}\n",
		),
	)
	for _, s := range []string{"at 0s A enters\nat 1s all ready\nwait 3s\nA a n=3 p=A\n", "A enters\nA drops\nA " +
		"returns\nA leaves\n", "operator ends x\nreferee yes 1\nA set n 3\n", "at 99h x y\n", "A steer 1 2\nA claim " +
		"1\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		steps, err := script.Parse(data)
		if err != nil {
			return
		}
		rehearse.Script(book, steps, rehearse.Options{Limit: time.Minute}, func(time.Duration, string) {}, nil)
	})
}

// TestScriptsPage plays the example of the page about scripts: what the page says that is told, is told, and a line for
// each form of step in its table can be read.
func TestScriptsPage(t *testing.T) {
	page, err := os.ReadFile("../../../docs/scripts.md")
	if err != nil {
		t.Fatal(err)
	}
	block := func(kind string) string {
		_, rest, _ := strings.Cut(string(page), "```"+kind+"\n")
		text, _, _ := strings.Cut(rest, "```")
		return text
	}
	steps, err := script.Parse([]byte(block("script")))
	if err != nil {
		t.Fatal(err)
	}
	var told strings.Builder
	r, err := rehearse.Script(compiled(t, block("yaml")), steps, rehearse.Options{},
		func(at time.Duration, line string) {
			fmt.Fprintf(&told, "%s  %s\n", sheet.FormatClock(at.Milliseconds()), line)
		}, nil)
	if err != nil || r.Ended != 1 {
		t.Fatal(err, r)
	}
	_, rest, _ := strings.Cut(told.String(), "Joss kits: 0 -> 1\n")
	if !strings.HasPrefix(rest, block("told")) {
		t.Errorf("it tells\n%s\nand the page says\n%s", rest, block("told"))
	}
	for _, row := range strings.Split(string(page), "\n| `")[1:] {
		form, _, _ := strings.Cut(row, "`")
		form = strings.NewReplacer("[", "", "]", "", "…", "x", "ACTION", "ram", "TEAM", "teal").Replace(form)
		if _, ok, err := script.ParseLine(form, 1); !ok || err != nil {
			t.Errorf("%q is no step: %v", form, err)
		}
	}
}

// TestShrink: a promise that random players break is broken by a script of few lines, which breaks it when it is played
// as a story, and which nothing can be left out of.
func TestShrink(t *testing.T) {
	book := compiled(t, `turnvex: 1
name: vows
players: {least: 2, most: 3}
start: {countdown: 0s}
sheets: {player: {hull: {type: integer, start: 20}}, match: {rung: {type: integer}}}
actions:
  ram: {cooldown: 1s, aim: {kind: target}, do: [{add: target.hull, by: -7}]}
  ring: {cooldown: 2s, takes: {n: {type: integer, min: 1, max: 3}}, do: [{add: match.rung, by: arg.n}]}
phases: {play: {lasts: 60s}}
win: {order: [{highest: me.hull}, {lowest: me.hull}]}
promises:
  - {always: me.hull >= 0, for: players}
  - {never: match.rung >= 6}
  - {always: match.rung >= 0}
`)
	r, err := rehearse.Run(book, rehearse.Options{Matches: 5, Seed: 9})
	if err != nil || len(r.Breaches) != 2 || !r.Wrong() {
		t.Fatalf("%v: %+v", err, r.Breaches)
	}
	for _, x := range r.Breaches {
		text := strings.Join(x.Script, "\n") + "\n"
		broken := func(text string) bool {
			head, err := story.ReadHead([]byte(text))
			if err != nil {
				t.Fatal(err)
			}
			_, list, err := story.Play(book, head, []byte(text))
			return err == nil && slices.Contains(list, x.Promise)
		}
		if x.Matches != 5 || len(x.Script) > 3+4+5+1 || !broken(text) {
			t.Errorf("%s, in %d matches:\n%s", x.Promise, x.Matches, text)
		}
		for i, line := range x.Script {
			if !strings.HasPrefix(line, "#!") && broken(strings.Replace(text, line+"\n", "", 1)) {
				t.Errorf("line %d can be left out of\n%s", i+1, text)
			}
		}
	}
	if text := r.Text(); !strings.Contains(text, "Broken promises") ||
		!strings.Contains(text, "line 12: always me.hull") {
		t.Errorf("%s", text)
	}
}

// TestStandInsAreCounted: what only stand-ins do is done, and is told apart from what players do.
func TestStandInsAreCounted(t *testing.T) {
	r, err := rehearse.Run(compiled(t, `turnvex: 1
name: helpers
players: {least: 1, most: 3}
sheets: {player: {points: {type: integer}}}
actions: {score: {do: [{add: me.points, by: 1}]}, wave: {if: me.stand_in, do: [{add: me.points, by: 0}]}}
stand_ins: {fill: 3}
phases: {play: {lasts: 20s}}
win: {order: [{highest: me.points}]}
`), rehearse.Options{Matches: 6, Players: 2})
	if err != nil || used(r, "wave") != 0 || len(r.StandIns) != 2 || len(r.Unused) > 0 ||
		!strings.Contains(r.Text(), "Actions of stand-ins") {
		t.Errorf("%v, unused %q, of stand-ins %v:\n%s", err, r.Unused, r.StandIns, r.Text())
	}
}
