package rulebook_test

import (
	"fmt"
	"os"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
)

// TestFlowOfPhases: every way out of a phase is told: by time, by condition, by rounds, and what effects lead to.
func TestFlowOfPhases(t *testing.T) {
	src, err := os.ReadFile("../../../demo/rulebooks/clash.yaml")
	if err != nil {
		t.Fatal(err)
	}
	book, problems := rulebook.Compile(src)
	if book == nil {
		t.Fatal(problems)
	}
	got := ""
	for _, p := range book.Flow {
		got += fmt.Sprintf("%s (%s) frozen %v round %v:", p.Name, p.Length, p.Frozen, p.Round)
		for _, l := range p.Leads {
			got += fmt.Sprintf(" [%s: %s]", l.To, l.Why)
		}
		got += "\n"
	}
	want := `ready (3s) frozen true round false: [play: its time is over]
play (int(lobby.minutes * 60.0) * 1s) frozen false round true: [rest: its time is over]` +
		` [rest: the points were reached] [sudden: a tie after the last round] [: the rounds are decided]
rest (4s) frozen true round false: [ready: its time is over]
sudden (1m) frozen false round false: [: its time is over] [: the first point in sudden death]
`
	if got != want {
		t.Errorf("the flow is\n%s", got)
	}
	book, problems = rulebook.Compile([]byte("turnvex: 1\nname: two\nplayers: {least: 1, most: 2}\n" +
		"phases: {one: {lasts: 1s, next: one}, two: {lasts: 1s}}\n" +
		"rules: [{every: 5s, do: [{go: two}]}]\nwin: {last: true}\n"))
	if book == nil {
		t.Fatal(problems)
	}
	if f := book.Flow; f[0].ByEffects || !f[1].ByEffects || f[0].Leads[0].To != "one" {
		t.Errorf("with an effect the flow is %+v", f)
	}
}
