package hall_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/wire"
)

// stall is a shop whose price is certain.
const stall = `turnvex: 1
name: stall
players: {least: 1, most: 4, hold: 10s}
start: {countdown: 0s}
sheets: {player: {n: {type: integer}}}
actions:
  earn: {do: [{add: record.coins, by: 5}]}
  buy: {certain: true, also: [lobby], cost: {coins: 5}, do: [{add: record.hats, by: 1}]}
  other: {do: [{add: me.n, by: 1}]}
phases: {play: {lasts: 600s}}
record: {coins: {min: 0, max: 99, start: 5}, hats: {}}
`

// TestCertainCost: one coin is spent once, though two lobbies hold it; a verdict comes after the commit, and what waits
// behind it after that; what was earned and is not saved yet counts.
func TestCertainCost(t *testing.T) {
	inVirtualTime(t, stall, func(r *rig) {
		slow := false
		r.keeper.Gate = func(ctx context.Context, call string) error {
			if call == "charge" && slow {
				time.Sleep(time.Second)
			}
			return ctx.Err()
		}
		one, two := r.open(hall.Opening{}), r.open(hall.Opening{})
		a, b := r.join(one, hall.Joining{Account: "ada"}), r.join(two, hall.Joining{Account: "ada"})
		buy := wire.Intent{Do: "act", Name: "buy"}
		a.does(buy) // in the lobby, before anything has begun
		if f := r.keeper.Fields("ada", "stall"); fmt.Sprint(f["coins"]) != "0" {
			t.Errorf("after the verdict %v coins are kept", f["coins"])
		}
		b.refused(buy, "too-little", "coins")
		for _, p := range []*player{a, b} {
			p.does(wire.Intent{Do: "ready"})
		}
		a.does(wire.Intent{Do: "act", Name: "earn"})
		a.does(buy) // what was just earned
		slow = true
		for n, name := range []string{"earn", "buy", "other"} {
			if err := a.Receive(&wire.Intent{Is: "intent", Seat: uint32(a.First()), N: uint64(10 + n), Do: "act",
				Name: name}); err != nil {
				t.Fatal(err)
			}
		}
		pass(500 * time.Millisecond)
		if n := a.see(uint32(a.First()), "n"); n != 0 || len(a.all("verdict")) != 5 {
			t.Errorf("behind the charge: n is %d, %d verdicts", n, len(a.all("verdict")))
		}
		pass(time.Second)
		list := a.all("verdict")
		for i, v := range list[len(list)-3:] {
			if v["n"] != float64(10+i) || v["ok"] != true {
				t.Errorf("verdict %d is %v", i, v)
			}
		}
		pass(6 * time.Second)
		if f := r.keeper.Fields("ada", "stall"); fmt.Sprintf("%v %v", f["coins"], f["hats"]) != "0 3" {
			t.Errorf("%v coins and %v hats are kept", f["coins"], f["hats"])
		}
		if got := b.copy.Of(sheet.Record)[0].Int("hats"); got != 3 {
			t.Errorf("the other lobby sees %d hats", got)
		}
	})
}

// TestChargeBehindSave: while a save waits for the database, a certain cost is refused within some seconds, and what
// was asked behind it is done; the cost was never taken.
func TestChargeBehindSave(t *testing.T) {
	inVirtualTime(t, stall, func(r *rig) {
		down := true
		r.keeper.Gate = func(ctx context.Context, call string) error {
			if down && (call == "save" || call == "charge") {
				return errors.New("no answer")
			}
			return ctx.Err()
		}
		a := r.join(r.open(hall.Opening{}), hall.Joining{Account: "ada"})
		a.does(wire.Intent{Do: "ready"})
		a.does(wire.Intent{Do: "act", Name: "earn"})
		pass(6 * time.Second) // it is to be saved now
		for n, name := range []string{"buy", "other"} {
			if err := a.Receive(&wire.Intent{Is: "intent", Seat: uint32(a.First()), N: uint64(10 + n), Do: "act",
				Name: name}); err != nil {
				t.Fatal(err)
			}
		}
		pass(4 * time.Second)
		if v := a.all("verdict"); len(v) != 4 || v[2]["code"] != "not-kept" || v[3]["ok"] != true {
			t.Errorf("the verdicts are %v", v)
		}
		down = false
		pass(20 * time.Second)
		if f := r.keeper.Fields("ada", "stall"); fmt.Sprintf("%v %v", f["coins"], f["hats"]) != "10 <nil>" {
			t.Errorf("%v coins and %v hats", f["coins"], f["hats"])
		}
	})
}

// TestChargeWithoutAnswer: when where records are kept does not answer, or its answer is lost, the action is refused
// within some seconds, and in the end nothing was taken.
func TestChargeWithoutAnswer(t *testing.T) {
	for _, committed := range []bool{false, true} {
		inVirtualTime(t, stall, func(r *rig) {
			down := true
			gone := errors.New("no answer")
			r.keeper.Lost = func(*keep.Job) error {
				if down && committed {
					return gone
				}
				return nil
			}
			r.keeper.Gate = func(ctx context.Context, call string) error {
				if down && (call == "charge" && !committed || call == "void") {
					return gone
				}
				return ctx.Err()
			}
			l := r.open(hall.Opening{})
			a := r.join(l, hall.Joining{Account: "ada"})
			if err := a.Receive(&wire.Intent{Is: "intent", Seat: uint32(a.First()), N: 1, Do: "act",
				Name: "buy"}); err != nil {
				t.Fatal(err)
			}
			pass(5 * time.Second)
			if v := a.all("verdict"); len(v) != 1 || v[0]["code"] != "not-kept" {
				t.Errorf("committed %t: the verdicts are %v", committed, v)
			}
			down = false
			pass(10 * time.Second)
			a.n = 1
			a.does(wire.Intent{Do: "act", Name: "buy"}) // with the coins that it still has
			pass(6 * time.Second)
			if f := r.keeper.Fields("ada", "stall"); fmt.Sprintf("%v %v", f["coins"], f["hats"]) != "0 1" {
				t.Errorf("committed %t: %v coins and %v hats", committed, f["coins"], f["hats"])
			}
		})
	}
}

// TestChargeOfWhoLeaves: who leaves, or whose lobby closes, while a cost is taken gets it back.
func TestChargeOfWhoLeaves(t *testing.T) {
	for _, closes := range []bool{false, true} {
		inVirtualTime(t, stall, func(r *rig) {
			r.keeper.Gate = func(ctx context.Context, call string) error {
				if call == "charge" {
					time.Sleep(time.Second)
				}
				return ctx.Err()
			}
			l := r.open(hall.Opening{})
			a := r.join(l, hall.Joining{Account: "ada"})
			if err := a.Receive(&wire.Intent{Is: "intent", Seat: uint32(a.First()), N: 1, Do: "act",
				Name: "buy"}); err != nil {
				t.Fatal(err)
			}
			pass(aTick)
			if closes {
				l.Close("enough")
			} else if err := a.Receive(&wire.Leave{Is: "leave"}); err != nil {
				t.Fatal(err)
			}
			pass(5 * time.Second)
			f := r.keeper.Fields("ada", "stall")
			if s := fmt.Sprint(f["coins"]); s != "5" || f["hats"] != nil {
				t.Errorf("closes %t: %v coins and %v hats", closes, f["coins"], f["hats"])
			}
		})
	}
}
