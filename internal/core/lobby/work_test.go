package lobby_test

import (
	"fmt"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
)

// TestExpressionsAreBounded: a rulebook whose expressions look at too much is warned of, and its match ends at the step
// in which they do, with the line; what looks at as much as it may goes on.
func TestExpressionsAreBounded(t *testing.T) {
	for deep, ends := range map[int]bool{2: false, 4: true} {
		cond := "p1.n + p2.n > 0"
		for i := deep; i > 0; i-- {
			cond = fmt.Sprintf("players.exists(p%d, %s)", i, cond)
		}
		book, problems := rulebook.Compile([]byte(`turnvex: 1
name: crowd
players: {least: 1, most: 60, late: seat}
start: {countdown: 0s}
sheets: {player: {n: {type: integer}, m: {type: integer}}}
actions: {stir: {do: [{add: me.m, by: 1}]}}
rules: [{for: players, when: "me.m > 0 && ` + cond + `", do: [{set: me.n, to: 0}]}]
phases: {play: {lasts: 60s}}
`))
		if warned := strings.Contains(problems.Error(), "much-work"); book == nil || warned != ends {
			t.Fatalf("%d deep: %v", deep, problems)
		}
		m := lobby.New(book, lobby.Setup{Code: "CROWD", Seed: 1})
		for i := range 60 {
			seat := m.Step(&step.Input{Kind: step.Enter, Acct: fmt.Sprint("a", i), Name: fmt.Sprint("A", i)}).Seat
			m.Step(&step.Input{Kind: step.Loaded, Seat: seat})
			m.Step(&step.Input{Kind: step.Intent, Seat: seat, Seq: 1, Verb: step.Ready})
		}
		why := ""
		for _, r := range m.Store().Seated {
			out := m.Step(&step.Input{Kind: step.Intent, Seat: r.ID, Seq: 2, Verb: step.Act, Name: "stir"})
			for _, e := range out.Effects {
				if e.Kind == step.Fault {
					why = e.Text
				}
			}
		}
		if ends != (why != "") || ends && !strings.Contains(why, "line 7") {
			t.Errorf("%d deep, the match ends: %q", deep, why)
		}
	}
}
