package demo

import (
	"testing"

	"turnvex.example/turnvex/client"
)

// TestAround: a skiff sails straight where nothing stands between, past a corner that it can reach where a wall does,
// and acts through no wall.
func TestAround(t *testing.T) {
	g := &client.Ground{Width: 40_000, Height: 30_000, Boxes: [][4]int64{{18_000, 10_000, 20_000, 20_000}},
		Circles: [][3]int64{{30_000, 15_000, 2_000}}}
	if !clear(g, [2]int64{5_000, 5_000}, [2]int64{35_000, 5_000}, berth) {
		t.Error("above the wall it is not clear")
	}
	for _, to := range [][2]int64{{25_000, 15_000}, {35_000, 15_000}} {
		from := [2]int64{10_000, 15_000}
		if clear(g, from, to, 0) {
			t.Errorf("through the wall to %v it is clear", to)
		}
		past := around(g, from, to)
		if past == to || !clear(g, from, past, 0) {
			t.Errorf("to %v it sails by %v", to, past)
		}
	}
	if to := [2]int64{15_000, 2_000}; around(g, [2]int64{5_000, 2_000}, to) != to {
		t.Error("it does not sail straight")
	}
	if clear(g, [2]int64{26_000, 15_000}, [2]int64{34_000, 16_000}, 0) {
		t.Error("through the round wall it is clear")
	}
}
