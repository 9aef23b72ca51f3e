package replica_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/trial"
)

// dusk is a ground with a wall across, which nobody sees over: what blue does on its side, red cannot know. What rules
// tell on purpose is left out: the lengths of lists stay, and pieces, which find no room where somebody stands, are on
// red's side alone.
const dusk = `
turnvex: 1
name: dusk
tick: 10
players: {least: 4, most: 4, late: seat}
start: {countdown: 0s}
teams: {list: {red: {}, blue: {}}, newcomers: choice}
ground:
  width: 120m
  height: 40m
  sight: {near: 10m, far: 20m, update: 300ms}
  walls: [{box: [45m, 0m, 75m, 40m]}]
  spawns: [{at: [20m, 20m], team: red}, {at: [25m, 10m], team: red}, {at: [95m, 20m], team: blue}]
movement: {speed: 8m/s}
facing: {fastest: 360deg}
spawn: {pick: random}
sheets:
  match: {deck: {type: list, of: integer, start: 1..30, see: referees}, tide: {type: integer}}
  player:
    luck: {type: integer}
    purse: {type: integer, see: owner}
    tries: {type: integer}
    plan: {type: integer, see: team}
    hand: {type: list, of: integer, start: [1, 2, 3, 4, 5], see: owner}
actions:
  try: {do: [{set: me.luck, to: "random(1, 1000)"}, {add: me.tries, by: 1}, {notice: tried, with: {n: me.luck}}]}
  look: {aim: {kind: target, who: anyone, out: true}, do: [{set: me.luck, to: target.luck}]}
  shove: {aim: {kind: target, reach: 5m}, do: [{add: me.luck, by: 1}]}
  beam: {aim: {kind: line, reach: 15m, towards: facing}, do: [{add: me.luck, by: 1}, {add: target.luck, by: 1}]}
  dig: {do: [{set: me.purse, to: "random(1, 1000)"}, {notice: dug, to: me, with: {n: me.purse}}]}
  mix: {do: [{shuffle: match.deck}, {shuffle: me.hand}]}
  plot: {do: [{set: me.plan, to: "random(1, 9)"}, {notice: plotted, to: team, with: {n: me.plan}}]}
  spy: {aim: {kind: target, who: anyone, out: true}, do: [{add: me.purse, by: target.luck + 1}]}
  bank: {do: [{save: me}]}
creatures: {crab: {number: 4, every: 0s, at: [[20m, 30m], [100m, 30m]], speed: 3m/s, moves: [{wander: 6m}]}}
pieces: {shell: {number: 2, every: 1s, at: [[22m, 22m], [24m, 12m]]}}
rules:
  - {every: 1s, do: [{set: match.tide, to: "random(1, 1000)"}]}
  - {every: 700ms, for: players, do: [{add: me.purse, by: "random(0, 3)"}]}
phases: {play: {lasts: 20s}}
win: {order: [{highest: me.luck}], for: players}
end: {lasts: 500ms}
record:
  luck: {value: me.luck, keep: best}
  purse: {type: integer, value: me.purse, keep: total, see: owner}
boards:
  lucky: {value: me.luck}
  dug: {value: me.tries, if: me.tries > 0, keep: total}
`

// TestTheHiddenTellsNothing plays pairs of matches with one seed, in which red does the same and blue, out of its
// sight, each time something else. What red is told is the same, byte for byte: deltas in both encodings,
// notices, answers, the result, what boards show and what the history of an own record holds. The pairs are many in a
// soak.
func TestTheHiddenTellsNothing(t *testing.T) {
	t.Run("flat", func(t *testing.T) { tellsNothing(t, dusk) })
	t.Run("tall", func(t *testing.T) { tellsNothing(t, heighten(t, dusk)) })
}

// heighten makes a ground tall, on which players jump, and see and aim where they look.
func heighten(t *testing.T, src string) string {
	for was, is := range map[string]string{"height: 40m\n": "height: 40m\n  tall: 12m\n",
		"update: 300ms}":          "update: 300ms, angle: 200deg}",
		"movement: {speed: 8m/s}": "movement: {speed: 8m/s, jump: 9m/s}"} {
		if !strings.Contains(src, was) {
			t.Fatalf("no %q", was)
		}
		src = strings.Replace(src, was, is, 1)
	}
	return regexp.MustCompile(`\[(\d+m), (\d+m)\]`).ReplaceAllString(src, "[$1, $2, 0m]")
}

func tellsNothing(t *testing.T, src string) {
	b, problems := rulebook.Compile([]byte(src))
	if b == nil {
		t.Fatal(problems)
	}
	seed := trial.Seed(t)
	differ := 0
	for pair := range uint64(trial.Rounds(10_000, 100)) {
		one, hashOne := played(t, b, seed+pair, 1)
		two, hashTwo := played(t, b, seed+pair, 2)
		if !bytes.Equal(one, two) {
			i := 0
			for i < min(len(one), len(two)) && one[i] == two[i] {
				i++
			}
			from := bytes.LastIndexByte(one[:i], '\n') + 1
			t.Fatalf("seed %d: red is told\n%.300s\nand\n%.300s", seed+pair, one[from:], two[from:])
		}
		differ += int(sheet.Bit(hashOne != hashTwo))
	}
	if differ == 0 {
		t.Error("blue did the same in every pair")
	}
}

// played plays a match and returns what red is told of it, with a hash of all there was.
func played(t *testing.T, b *rulebook.Book, seed, other uint64) ([]byte, uint64) {
	m := lobby.New(b, lobby.Setup{Code: "DUSK22", Seed: seed})
	feed := replica.NewFeed(faceOf(b))
	e := &ear{m: m, feed: feed}
	for i, name := range []string{"Ada", "Xan", "Bo", "Yve"} {
		team := []string{"red", "blue"}[i%2]
		id := e.take(step.Input{Kind: step.Enter, Acct: name, Name: name, Team: team}).Seat
		e.take(step.Input{Kind: step.Loaded, Seat: id})
		e.seats = append(e.seats, id)
	}
	view := replica.View{Seats: []sheet.ID{e.seats[0]}}
	e.viewers = []*replica.Viewer{{View: view, Enc: replica.JSON}, {View: view, Enc: replica.CBOR}}
	for _, v := range e.viewers {
		e.told.Write(feed.Snapshot(nil, v, m.Store(), m.Tick()))
	}
	m.Store().ClearChanges()
	for _, id := range e.seats {
		e.take(step.Input{Kind: step.Intent, Seat: id, Verb: step.Ready})
	}
	red, blue := rand.New(rand.NewPCG(seed, 0)), rand.New(rand.NewPCG(seed, other))
	for m.State() == rulebook.Playing {
		e.take(step.Input{At: m.Tick() + 1, Kind: step.Tick})
		for i, id := range e.seats {
			r, acts := red, []string{"try", "look", "shove", "beam", "dig", "plot", "mix", "bank"}
			if i%2 == 1 {
				r, acts = blue, []string{"dig", "mix", "plot", "spy", "bank"}
			}
			in := step.Input{Kind: step.Intent, Seat: id, Verb: step.Act, Name: acts[r.IntN(len(acts))],
				Target: sheet.ID(r.IntN(30))}
			if r.IntN(3) == 0 {
				in.Verb, in.X, in.Y = step.Steer, r.Int64N(2001)-1000, r.Int64N(2001)-1000
				in.Yaw, in.Faces = r.Int64N(65536), true
				if b.Schema.Deep {
					in.Z, in.Pitch = r.Int64N(1001), r.Int64N(32769)-16384
				}
			}
			if r.IntN(2) == 0 {
				e.take(in)
			}
		}
		e.listen()
	}
	e.listen()
	return e.told.Bytes(), m.Hash()
}

// ear is what one player is told.
type ear struct {
	m       *lobby.Lobby
	feed    *replica.Feed
	desk    replica.Desk
	viewers []*replica.Viewer
	seats   []sheet.ID
	told    bytes.Buffer
}

// take hands an input in, and writes down what the player is told of it at once.
func (e *ear) take(in step.Input) *step.Output {
	in.At = max(in.At, e.m.Tick())
	out := e.m.Step(&in)
	for _, n := range out.Notices {
		if len(e.viewers) > 0 && e.viewers[0].Sees(replica.Audience{To: n.To, Of: n.Of}) {
			fmt.Fprintf(&e.told, "\n%d %s %v", e.m.Tick(), n.Notice.Name, n.Values)
		}
	}
	if v := out.Verdict; len(e.seats) > 0 && v.Seat == e.seats[0] {
		fmt.Fprintf(&e.told, "\n%+v", v)
	}
	for _, x := range out.Effects {
		switch {
		case x.Kind == step.SaveResult:
			data, _ := json.Marshal(x.Result)
			e.told.Write(data)
		case x.Kind == step.SavePost: // anybody may read the boards
			fmt.Fprintf(&e.told, "\n%d %+v", e.m.Tick(), *x.Post)
		case x.Kind == step.SaveRecord && x.Account == "Ada": // without its number, which counts the others' saves
			fmt.Fprintf(&e.told, "\n%d %+v", e.m.Tick(), x.Changes)
		}
	}
	return out
}

// listen writes down the delta of a tick.
func (e *ear) listen() {
	st := e.m.Store()
	e.feed.Begin(&e.desk, st, st.Changes(), e.m.Tick())
	for _, v := range e.viewers {
		if plan := e.feed.Plan(v); !plan.Nothing {
			e.told.WriteByte('\n')
			e.told.Write(e.feed.Write(nil, v, &plan))
		}
	}
	e.feed.End()
	st.ClearChanges()
}
