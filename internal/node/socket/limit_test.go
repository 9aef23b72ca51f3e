package socket

import (
	"slices"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
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

// taken is what a lobby would take in.
type taken struct {
	got    []uint64
	merged int
}

func (x *taken) Receive(m any) error {
	x.got = append(x.got, m.(*wire.Intent).N)
	return nil
}

func (x *taken) Merged(*wire.Intent) { x.merged++ }

// TestMoves: too many moves are merged and end nothing: the newest always arrives, in order, and before whatever else
// is asked for behind it; a flood of them is read no faster than 240 a second.
func TestMoves(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		to := &taken{}
		x, n := moves{to: to}, uint64(0)
		send := func() error {
			n++
			return x.take(&wire.Intent{N: n, Do: "steer", Seat: 1})
		}
		for range 5 * 200 { // 200 a second
			if err := send(); err != nil {
				t.Fatal(err)
			}
			time.Sleep(5 * time.Millisecond)
		}
		time.Sleep(time.Second)
		synctest.Wait()
		if got := len(to.got); got < 5*60 || got > 5*60+120+10 || got+to.merged != 1000 || to.got[got-1] != 1000 ||
			!slices.IsSorted(to.got) {
			t.Errorf("%d of 1000 are handed on, %d merged, the last is %d", got, to.merged, to.got[len(to.got)-1])
		}
		for range 200 {
			send()
		}
		synctest.Wait()
		if x.before(1); to.got[len(to.got)-1] != n {
			t.Errorf("before another intent %d is the last, not %d", to.got[len(to.got)-1], n)
		}
		time.Sleep(time.Second)
		synctest.Wait()
		began, before := time.Now(), len(to.got)
		for range 480 + 10*240 {
			if err := send(); err != nil {
				t.Fatal(err)
			}
		}
		took := time.Since(began).Seconds()
		time.Sleep(time.Second)
		synctest.Wait()
		got := len(to.got) - before
		if took < 9.5 || took > 11 || got < 9*60 || got > 11*60+120 {
			t.Errorf("a flood of 2,880 moves is read in %v s, and %d are handed on", took, got)
		}
	})
}
