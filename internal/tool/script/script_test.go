package script_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/script"
)

// TestActionsNamedLikeSteps: an action that has the name of a step is told apart from it, when a script is read and
// when it is written; the word alone is refused.
func TestActionsNamedLikeSteps(t *testing.T) {
	book, problems := rulebook.Compile([]byte(`turnvex: 1
name: boots
players: {least: 1}
start: {countdown: 0s}
sheets: {player: {kicks: {type: integer}}}
actions: {kick: {aim: {kind: target, who: anyone}, do: [{add: target.kicks, by: 1}]}, nod: {do: [{add: me.kicks, by: 0}]}}
phases: {play: {lasts: 30s}}
win: {order: [{highest: me.kicks}]}
`))
	if book == nil {
		t.Fatal(problems)
	}
	setup := lobby.Setup{Code: "SCRIPT", Seed: 1, Hidden: true}
	st := script.NewStage(book, setup)
	var taken []step.Input
	st.Took = func(in *step.Input) { taken = append(taken, *in) }
	do := func(line string) error {
		s, _, err := script.ParseLine(line, 1)
		return errors.Join(err, st.Do(s))
	}
	lines := []string{"at 0s Mara enters", "at 0s Joss enters", "at 0s Mara ready", "at 0s Joss ready",
		"at 0s Mara act:kick Joss", "at 0s Mara nod", "at 0s Mara step:kick Joss"}
	for _, l := range lines {
		if err := do(l); err != nil {
			t.Fatal(l, err)
		}
	}
	if err := do("Mara kick Joss"); err == nil || !strings.Contains(err.Error(), "act:kick") {
		t.Errorf("the word alone: %v", err)
	}
	if got := script.FromInputs(book, setup, taken); !slices.Equal(got, lines) {
		t.Errorf("written: %q", got)
	}
}
