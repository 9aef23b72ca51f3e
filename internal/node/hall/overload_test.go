package hall_test

import (
	"context"
	"errors"
	"fmt"
	"sync/atomic"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// TestOverload: a node whose ticks come late for a while opens no more lobbies but those of a series, and its matches
// go on; a burst does not count, and a calm moment does not end it.
func TestOverload(t *testing.T) {
	var slow atomic.Bool
	// A match in which nobody moves sleeps.
	moves := harbour + "ground: {width: 900m, height: 900m}\nmovement: {speed: 1m/s}\n"
	inHall(t, moves, func(r *rig, cfg *hall.Config) {
		cfg.Late = 25 * time.Millisecond
		cfg.Now = func() time.Time { // every look at the clock takes as long as on a machine that has no time
			if slow.Load() {
				time.Sleep(30 * time.Millisecond)
			}
			return time.Now()
		}
	}, func(r *rig) {
		var all []*player
		for i := range 4 {
			l := r.open(hall.Opening{Title: fmt.Sprint("Quay ", i)})
			for _, name := range []string{"ada", "joss"} {
				p := r.join(l, hall.Joining{Account: fmt.Sprint(name, i), Name: name})
				p.does(wire.Intent{Do: "ready"})
				if all = append(all, p); len(all)%2 == 0 {
					p.does(wire.Intent{Do: "steer", At: []int64{1000, 0}})
				}
			}
		}
		refused := func(o hall.Opening) *fault.Fault {
			_, err := r.hall.Open(context.Background(), r.book, o)
			var f *fault.Fault
			errors.As(err, &f)
			return f
		}
		spell := func(on bool, d time.Duration) {
			slow.Store(on)
			time.Sleep(d)
			slow.Store(false)
		}
		if spell(true, 3*time.Second); refused(hall.Opening{}) != nil || r.hall.Overloaded() {
			t.Error("a burst of three seconds is an overload")
		}
		spell(true, 9*time.Second)
		if f := refused(hall.Opening{}); f == nil || f.Code != code.Overloaded || f.Left != 5 || !r.hall.Overloaded() {
			t.Errorf("after nine slow seconds: %v", f)
		}
		if f := refused(hall.Opening{Due: true}); f != nil {
			t.Errorf("a meeting of a series: %v", f)
		}
		if all[0].does(wire.Intent{Do: "act", Name: "score"}); len(all[0].all("notice")) == 0 {
			t.Error("its matches do not go on")
		}
		if spell(false, 3*time.Second); refused(hall.Opening{}) == nil {
			t.Error("three calm seconds end it")
		}
		if spell(false, 5*time.Second); refused(hall.Opening{}) != nil || r.hall.Overloaded() {
			t.Error("eight calm seconds do not end it")
		}
	})
}
