package lots_test

import (
	"testing"

	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/state"
)

// TestNothingShiftsADraw: what is drawn elsewhere, for others or at other moments changes no draw; a second draw of the
// same gives another one, also after a restart.
func TestNothingShiftsADraw(t *testing.T) {
	draw := func(l *lots.Lots, at int64, p lots.Place, of ...uint32) int64 { return l.Draw(at, p, of...).Int64() }
	one, two := lots.New(7), lots.New(7)
	for range 3 {
		draw(two, 1, lots.Stroll, 5)
		draw(two, 1, lots.Piece, 4)
		draw(two, 1, lots.Stroll)
	}
	first := draw(one, 1, lots.Stroll, 4)
	if draw(two, 1, lots.Stroll, 4) != first {
		t.Error("others shift a draw")
	}
	restored := lots.New(0)
	if err := state.Restore(state.Save(nil, one.Walk), restored.Walk); err != nil {
		t.Fatal(err)
	}
	second := draw(one, 1, lots.Stroll, 4)
	if again := draw(restored, 1, lots.Stroll, 4); again != second || second == first {
		t.Errorf("first %d, then %d, after a restart %d", first, second, again)
	}
	for what, other := range map[string]int64{"place": draw(two, 1, lots.Spawn, 4),
		"subject": draw(two, 1, lots.Stroll, 6),
		"moment":  draw(two, 2, lots.Stroll, 4), "seed": draw(lots.New(8), 1, lots.Stroll, 4)} {
		if other == first {
			t.Errorf("another %s gives the same", what)
		}
	}
}
