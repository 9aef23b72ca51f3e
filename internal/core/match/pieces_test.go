package match

import "testing"

// TestCloser: two bodies that touch have room; with a fraction of a millimetre less they have not.
func TestCloser(t *testing.T) {
	if !closer(0, 0, 346, 3985, 4000) { // 3999.99 mm
		t.Error("3999.99 mm count as 4000")
	}
	if closer(0, 0, 4000, 0, 4000) || closer(0, 0, 2400, 3200, 4000) {
		t.Error("4000 mm count as less")
	}
}
