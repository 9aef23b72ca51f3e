package api

import (
	"fmt"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// TestLimitsByAddress: an address has its burst at once and its rate over time, whoever
// else asks; what it may do is not more after a while in which it was forgotten.
func TestLimitsByAddress(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		l := newLimits(0.2, 30)
		count := func(address string) (n int) {
			for {
				if ok, wait := l.take(address); !ok {
					if wait <= 0 {
						t.Error("no time to wait is given")
					}
					return n
				}
				n++
			}
		}
		if n := count("a"); n != 30 || l.peek("a") || !l.peek("b") {
			t.Errorf("at once %d, then %v; another address %v", n, l.peek("a"), l.peek("b"))
		}
		time.Sleep(10 * time.Second)
		if n := count("a"); n != 2 {
			t.Errorf("after 10 s %d", n)
		}
		for range 7 { // others come and go, so that buckets are swept
			time.Sleep(10 * time.Second)
			count("b")
		}
		if n := count("a"); n != 14 {
			t.Errorf("after 70 s %d", n)
		}
		time.Sleep(time.Hour)
		if n := count("a"); n != 30 {
			t.Errorf("after an hour %d", n)
		}
		for i := range 100 {
			l.take(fmt.Sprint("other ", i))
		}
		time.Sleep(10 * time.Minute)
		l.take("a")
		if len(l.buckets) != 1 {
			t.Errorf("%d addresses are remembered", len(l.buckets))
		}
	})
}

// TestLimitsOfAConnection: messages are counted for the connection, by its seats, and
// intents for each seat.
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

// TestArrivals: connections that have not said hello are counted by address and given
// back.
func TestArrivals(t *testing.T) {
	a := arrivals{count: map[string]int{}}
	for range maxArriving {
		if !a.add("x") {
			t.Fatal("one is refused too early")
		}
	}
	if a.add("x") || !a.add("y") {
		t.Error("one too many is taken, or another address is refused")
	}
	a.done("x")
	if a.done("y"); !a.add("x") || a.count["y"] != 0 || len(a.count) != 1 {
		t.Errorf("after one has said hello: %v", a.count)
	}
}
