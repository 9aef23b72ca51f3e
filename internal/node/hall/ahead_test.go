package hall_test

import (
	"testing"
	"time"

	"turnvex.example/turnvex/internal/wire"
)

// TestIntentsWaitForTheirTick: an intent that names a later tick is taken at that tick, but held back for 100 ms at
// most; what its seat asks for behind it comes after it, what others ask for does not wait; a seventeenth ends the
// waiting of all; and what was asked for before a pause is refused in it.
func TestIntentsWaitForTheirTick(t *testing.T) {
	moves := harbour + "ground: {width: 900m, height: 900m}\nmovement: {speed: 1m/s}\npause: {who: anyone}\n"
	inVirtualTime(t, moves, func(r *rig) {
		_, ada, bo := r.two()
		say := func(p *player, in wire.Intent) uint64 {
			p.n++
			in.Is, in.N, in.Seat = "intent", p.n, uint32(p.First())
			if err := p.Receive(&in); err != nil {
				t.Fatal(err)
			}
			return p.n
		}
		answer := func(p *player, n uint64) (tick int64, code string) {
			for _, m := range p.all("verdict") {
				if m["n"] == float64(n) {
					code, _ := m["code"].(string)
					return int64(m["tick"].(float64)), code
				}
			}
			return -1, "none"
		}
		now := func() int64 {
			bo.forget()
			bo.Receive(&wire.Ping{Is: "ping", N: 1})
			pass(time.Millisecond)
			return int64(bo.all("pong")[0]["tick"].(float64))
		}
		steer := func(tick int64) wire.Intent { return wire.Intent{Do: "steer", At: []int64{1000, 0}, Tick: tick} }

		at := now()
		later, behind := say(ada, steer(at+2)), say(ada, wire.Intent{Do: "act", Name: "score"})
		other := say(bo, wire.Intent{Do: "act", Name: "score"})
		pass(4 * aTick)
		if tick, code := answer(ada, later); tick != at+2 || code != "" {
			t.Errorf("a wish for tick %d is taken at %d: %s", at+2, tick, code)
		}
		if tick, _ := answer(ada, behind); tick != at+2 {
			t.Errorf("what is asked for behind it is taken at %d", tick)
		}
		if tick, _ := answer(bo, other); tick > at {
			t.Errorf("what another player asks for at %d is taken at %d", at, tick)
		}

		at = now()
		far, past := say(ada, steer(at+100)), say(bo, steer(at-100))
		pass(4 * aTick)
		if tick, _ := answer(ada, far); tick != at+2 {
			t.Errorf("a wish at tick %d for a hundred ticks later is taken at %d, not after 100 ms", at, tick)
		}
		if tick, _ := answer(bo, past); tick > at {
			t.Errorf("a wish at tick %d for one that has passed is taken at %d", at, tick)
		}

		at = now()
		var all []uint64
		for range 16 {
			all = append(all, say(ada, steer(at+2)))
		}
		pass(aTick / 4)
		if _, code := answer(ada, all[0]); code != "none" {
			t.Errorf("sixteen do not wait: %s", code)
		}
		all = append(all, say(ada, steer(at+2)))
		pass(aTick)
		for i, n := range all {
			if tick, code := answer(ada, n); tick > at || code != "" {
				t.Errorf("the wish %d of seventeen for tick %d is taken at %d: %s", i+1, at+2, tick, code)
			}
		}

		at = now()
		mine := say(ada, steer(at+2))
		for range 20 {
			bo.n++
			bo.Receive(&wire.Intent{Is: "intent", Seat: uint32(ada.First()), N: bo.n, Do: "steer", Tick: at + 2})
		}
		pass(4 * aTick)
		if tick, code := answer(ada, mine); tick != at+2 || code != "" {
			t.Errorf("what waits is taken at %d, not %d, when others ask for that seat: %s", tick, at+2, code)
		}
		if _, code := answer(bo, bo.n); code != "not-your-seat" {
			t.Errorf("a wish for the seat of another is answered with %s", code)
		}

		at = now()
		held := say(ada, steer(at+2))
		bo.does(wire.Intent{Do: "pause"})
		pass(4 * aTick)
		if tick, code := answer(ada, held); tick != at+2 || code != "paused" {
			t.Errorf("a wish from before a pause is taken at %d: %s", tick, code)
		}
		say(ada, steer(at+1000))
		ada.Lost()
		pass(4 * aTick)
		bo.does(wire.Intent{Do: "resume"}) // the lobby goes on
	})
}
