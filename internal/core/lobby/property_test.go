package lobby_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/trial"
)

// planned is an intent at a play tick.
type planned struct {
	at sheet.Tick
	in step.Input
}

// TestPausesChangeNothing plays the same intents at the same play ticks with and without pauses at random moments: the
// results are the same.
func TestPausesChangeNothing(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	for _, file := range []string{"../../../demo/rulebooks/clash.yaml", "../../../demo/rulebooks/bell.yaml",
		"../../node/service/testdata/duel.yaml"} {
		book := load(t, file)
		for range 6 {
			plan := makePlan(r, book)
			plain, paused := playPlan(t, book, seed, plan, nil), playPlan(t, book, seed, plan, r)
			if plain == "" || plain != paused {
				t.Fatalf("seed %d, %s:\n%s\nwith pauses\n%s", seed, file, plain, paused)
			}
		}
	}
}

func makePlan(r *rand.Rand, book *rulebook.Book) (plan []planned) {
	for at := sheet.Tick(1); at < 6000; at += sheet.Tick(r.IntN(4)) {
		in := step.Input{
			Kind:   step.Intent,
			Seat:   sheet.ID(r.IntN(4)),
			Target: sheet.ID(r.IntN(4)),
			X:      r.Int64N(2001) - 1000,
			Y:      r.Int64N(2001) - 1000,
			Point:  true,
		}
		in.Verb, in.Name = step.Act, book.Actions[r.IntN(len(book.Actions))].Name
		if r.IntN(2) == 0 {
			in.Verb = step.Steer
		}
		plan = append(plan, planned{at, in})
	}
	return plan
}

// playPlan plays until the match ends and returns its result. With a source of chance it pauses now and then.
func playPlan(t *testing.T, book *rulebook.Book, seed uint64, plan []planned, pauses *rand.Rand) (result string) {
	t.Helper()
	m := lobby.New(book, lobby.Setup{Seed: seed, Hidden: true})
	take := func(in step.Input) *step.Output {
		in.At = max(in.At, m.Tick())
		out := m.Step(&in)
		for _, e := range out.Effects {
			if e.Kind == step.SaveResult {
				same := *e.Result
				same.Lasted = 0 // with its pauses
				data, _ := json.Marshal(same)
				result = string(data)
			}
		}
		if err := m.Check(); err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		m.Store().ClearChanges()
		return out
	}
	var seats []sheet.ID
	for i := range 4 {
		seats = append(seats, take(step.Input{Kind: step.Enter, Acct: fmt.Sprint(i), Name: fmt.Sprint("P", i)}).Seat)
		take(step.Input{Kind: step.Loaded, Seat: seats[i]})
	}
	for _, s := range seats {
		take(step.Input{Kind: step.Intent, Seat: s, Verb: step.Ready})
	}
	for m.State() == rulebook.Starting {
		take(step.Input{At: m.Tick() + 1})
	}
	for _, p := range plan {
		for m.PlayTick() < p.at && m.State() == rulebook.Playing {
			if pauses != nil && pauses.IntN(60) == 0 {
				take(step.Input{Kind: step.Intent, Seat: seats[0], Verb: step.Pause})
				take(step.Input{At: m.Tick() + sheet.Tick(pauses.IntN(30)), Kind: step.Ping, Seat: seats[1], N: 40})
				take(step.Input{Kind: step.Intent, Seat: seats[2], Verb: step.Rename, Text: "P2"})
				take(step.Input{Kind: step.Intent, Seat: seats[0], Verb: step.Resume})
				for paused := book.F.Match.Paused; m.State() == rulebook.Playing &&
					m.Store().Of(sheet.Match)[0].Int(paused) != rulebook.PauseNo; {
					take(step.Input{At: m.Tick() + 1})
				}
			} else {
				take(step.Input{At: m.Tick() + 1})
			}
		}
		in := p.in
		in.Seat, in.Target = seats[in.Seat], seats[in.Target]
		take(in)
		if result != "" {
			break
		}
	}
	return result
}

// TestRunawayRules: a rulebook that never settles is stopped and reported; its match ends without an outcome, and the
// next one can be played.
func TestRunawayRules(t *testing.T) {
	for name, rules := range map[string]string{
		"rules that set each other off": `rules: [{when: match.a, do: [{set: match.a, to: false}, {set: match.b, to: true}]}, {when: match.b, do: [{set: match.b, to: false}, {set: match.a, to: true}]}]`,
		"phases that chase each other":  `rules: [{on: phase, do: [{if: match.a, then: [{go: play}]}]}]`,
		"events that breed":             `rules: [{on: spawn, if: match.a, do: [{spawn: me}]}]`,
		"loops within loops":            `rules: [{when: match.a, do: [{each: players, do: [{each: players, do: [{each: players, do: [{each: players, do: [{each: players, do: [{each: players, do: [{each: players, do: []}]}]}]}]}]}]}]}]`,
	} {
		src := "turnvex: 1\nname: runaway\nplayers: {least: 1, most: 20}\nstart: {countdown: 0s}\nsheets: {match: " +
			"{a: {type: flag}, b: {type: flag}, n: {type: integer}}}\n" +
			"actions: {go: {do: [{set: match.a, to: true}, {spawn: me}, {go: play}]}}\nphases: {play: {lasts: " +
			"9s}}\nend: {lasts: 0s}\n"
		if name == "loops within loops" {
			rules = `rules: [{when: match.a, do: [{each: players, do: [{each: players, do: [{each: players, do: [{each: players, do: [{each: players, do: [{add: match.n, by: 1}]}]}]}]}]}]}]`
		}
		book, problems := rulebook.Compile([]byte(src + rules))
		if book == nil {
			t.Fatalf("%s: %s", name, problems.Errors().Error())
		}
		m := lobby.New(book, lobby.Setup{Seed: 1})
		var first sheet.ID
		for i := range 20 {
			seat := m.Step(&step.Input{Kind: step.Enter, Acct: fmt.Sprint(i), Name: "P"}).Seat
			m.Step(&step.Input{Kind: step.Loaded, Seat: seat})
			first = max(first, 1)
			if i == 0 {
				first = seat
			}
		}
		for range 2 {
			for _, p := range m.Store().Of(sheet.Player) {
				m.Step(&step.Input{Kind: step.Intent, At: m.Tick(), Seat: p.ID, Verb: step.Ready})
			}
			out := m.Step(&step.Input{Kind: step.Intent, At: m.Tick() + 1, Seat: first, Verb: step.Act, Name: "go"})
			var fault, result bool
			for _, e := range out.Effects {
				fault = fault || e.Kind == step.Fault
				result = result ||
					e.Kind == step.SaveResult && e.Result.Players[0].Outcome == "none" && len(e.Result.Posts) == 0
			}
			if !fault || !result || m.State() != rulebook.Results {
				t.Fatalf("%s: fault %v, result %v, state %d", name, fault, result, m.State())
			}
			m.Step(&step.Input{At: m.Tick() + 5})
			if err := m.Check(); err != nil || m.State() != rulebook.Gathering {
				t.Fatalf("%s: afterwards state %d, %v", name, m.State(), err)
			}
		}
	}
}
