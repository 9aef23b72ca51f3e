package rehearse

import (
	"math"
	"testing"
)

// TestIntervals holds the interval to values of the published formula.
func TestIntervals(t *testing.T) {
	for _, c := range []struct {
		n, of     int
		low, high float64
	}{{10, 100, 0.0552, 0.1744}, {0, 20, 0, 0.1611}, {20, 20, 0.8389, 1}, {500, 1000, 0.4691, 0.5309}, {0, 0, 0, 1}} {
		low, high := interval(c.n, c.of)
		if math.Abs(low-c.low) > 1e-4 || math.Abs(high-c.high) > 1e-4 {
			t.Errorf("%d of %d: %.4f to %.4f, wanted %.4f to %.4f", c.n, c.of, low, high, c.low, c.high)
		}
	}
}

// TestAdvantages: what lies as far off as chance brings along is not told, what lies farther is, whichever way.
func TestAdvantages(t *testing.T) {
	told := func(of int, won ...int) int {
		var sides []Side
		for _, w := range won {
			sides = append(sides, Side{Name: "x", Won: w})
		}
		return len(advantages(sides, of))
	}
	for _, c := range []struct{ told, wanted int }{{told(100, 50, 50), 0}, {told(100, 62, 38), 0},
		{told(100, 70, 30), 2}, {told(1000, 560, 440), 2}, {told(1000, 250, 250, 250, 250), 0},
		{told(1000, 340, 220, 220, 220), 1}, {told(10, 10), 0}, {told(0, 0, 0), 0}, {told(10, 0, 0), 0}} {
		if c.told != c.wanted {
			t.Errorf("%d were told, wanted %d", c.told, c.wanted)
		}
	}
}
