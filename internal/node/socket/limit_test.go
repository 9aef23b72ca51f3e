package socket

import (
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// TestLimitsOfAConnection: messages are counted for the connection, by its seats, and intents for each seat.
func TestLimitsOfAConnection(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		for seats, most := range map[int]int{0: 120, 1: 240, 3: 480} {
			l := newInputLimit(seats)
			n := 0
			for l.message() == nil {
				n++
			}
			if n != most {
				t.Errorf("with %d seats %d messages at once, wanted %d", seats, n, most)
			}
			time.Sleep(time.Second)
			for n = 0; l.message() == nil; n++ {
			}
			if n != most/2 {
				t.Errorf("with %d seats %d messages a second, wanted %d", seats, n, most/2)
			}
			if err := l.message(); fault.CodeOf(err) != code.TooMany {
				t.Errorf("%v", err)
			}
		}
		l := newInputLimit(2)
		for _, seat := range []uint32{1, 2} {
			n := 0
			for l.intent(seat) == nil {
				n++
			}
			if n != 120 {
				t.Errorf("%d intents at once for seat %d", n, seat)
			}
		}
		var err error
		for seat := uint32(3); seat < 100 && err == nil; seat++ {
			err = l.intent(seat)
		}
		if fault.CodeOf(err) != code.NotYours {
			t.Errorf("for a hundred seats: %v", err)
		}
	})
}
