package hall

import (
	"testing"
	"time"
)

// TestTicksAreSpread: lobbies that begin in the same moment tick evenly over the time of a tick; none begins later than
// that moment, or more than a tick before it.
func TestTicksAreSpread(t *testing.T) {
	for _, rate := range []int{1, 7, 20, 60} {
		h, tick := &Hall{}, time.Second/time.Duration(rate)
		now := time.Date(2030, 1, 1, 12, 0, 0, 123_456_000, time.UTC)
		var tenths [10]int
		for range 200 {
			began := h.spread(now, rate)
			if early := now.Sub(began); early < 0 || early > tick {
				t.Errorf("%d ticks a second: it begins %v early", rate, early)
			}
			tenths[min(int(time.Duration(began.UnixNano())%tick*10/tick), 9)]++
		}
		for i, n := range tenths {
			if n < 18 || n > 22 {
				t.Errorf("%d ticks a second: %d of 200 begin in tenth %d", rate, n, i+1)
			}
		}
	}
}
