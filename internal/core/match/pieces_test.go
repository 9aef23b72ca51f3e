package match

import (
	"testing"

	"turnvex.example/turnvex/internal/core/ground"
)

// TestCloser: two bodies that touch have room; with a fraction of a millimetre less they have not.
func TestCloser(t *testing.T) {
	none := ground.Point{}
	if !closer(none, ground.Point{X: 346, Y: 3985}, 4000) { // 3999.99 mm
		t.Error("3999.99 mm count as 4000")
	}
	if closer(none, ground.Point{X: 4000}, 4000) || closer(none, ground.Point{X: 2400, Y: 3200}, 4000) {
		t.Error("4000 mm count as less")
	}
}
