package step_test

import (
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestChanges: what each change makes of what is kept, with bounds.
func TestChanges(t *testing.T) {
	f := &sheet.Field{Name: "n", Type: sheet.Integer, Bounded: true, Min: 0, Max: 50}
	n := func(v int64) sheet.Value { return sheet.IntValue(sheet.Integer, v) }
	for _, c := range []struct {
		kind           step.ChangeKind
		by, had, wants int64
		kept           bool
	}{{step.ChangeAdd, 5, 20, 25, true}, {step.ChangeAdd, 90, 20, 50, true}, {step.ChangeAdd, -90, 20, 0, true},
		{step.ChangeAdd, 5, 20, 25, false}, {step.ChangeSet, 7, 20, 7, true}, {step.ChangeSet, 70, 20, 50, true},
		{step.ChangeRaise, 7, 20, 20, true}, {step.ChangeRaise, 30, 20, 30, true}, {step.ChangeRaise, 7, 20, 7, false},
		{step.ChangeLower, 7, 20, 7, true}, {step.ChangeLower, 30, 20, 20, true}, {step.ChangeLower, 30, 20, 30, false},
		{step.ChangeAdd, 1 << 62, 1, 50, true}} {
		change := step.Change{Field: "n", Kind: c.kind, Value: n(c.by)}
		if got := change.On(f, n(c.had), c.kept); got != n(c.wants) {
			t.Errorf("%s %d to %d (kept %v) makes %d, wanted %d", c.kind, c.by, c.had, c.kept, got.N[0], c.wants)
		}
	}
}

// TestJoinedChanges: two changes that are joined come to the same as one after the other, whatever was kept before,
// within bounds and without.
func TestJoinedChanges(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	joined := 0
	for range 20000 {
		f := &sheet.Field{Name: "n", Type: sheet.Integer, Bounded: true, Min: -1 << 53, Max: 1 << 53}
		if r.IntN(2) == 0 {
			f.Min, f.Max = r.Int64N(10)-10, r.Int64N(20)
		}
		change := func() step.Change {
			return step.Change{Field: "n", Kind: step.ChangeKind(r.IntN(step.ChangeKinds)),
				Value: sheet.IntValue(sheet.Integer, r.Int64N(60)-30)}
		}
		a, b := change(), change()
		one, ok := a.Join(f, b)
		if !ok {
			continue
		}
		joined++
		had, kept := sheet.IntValue(sheet.Integer, f.Clamp(r.Int64N(60)-30)), r.IntN(2) == 0
		if got, want := one.On(f, had, kept), b.On(f, a.On(f, had, kept), true); got != want {
			t.Fatalf("seed %d: %s %d then %s %d on %d (kept %v, %d to %d): %d joined, %d one by one", seed, a.Kind,
				a.Value.N[0], b.Kind, b.Value.N[0], had.N[0], kept, f.Min, f.Max, got.N[0], want.N[0])
		}
	}
	if joined < 5000 {
		t.Errorf("only %d were joined", joined)
	}
}
