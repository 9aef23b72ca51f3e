package handover_test

import (
	"context"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/hall"
)

// plays makes sure that somebody comes back to their lobby within some seconds, and that what they ask for
// counts.
func (w *world) plays(all []*person, points int64) {
	w.t.Helper()
	w.heal(all)
	all[0].ask()
	w.pass(time.Second)
	if got := all[1].sees(all[0]); got != points {
		w.t.Errorf("%s has %d points, wanted %d", all[0].name, got, points)
	}
}

// TestAnswerOfTakeoverIsLost: a lobby whose take-over was done, and told to have failed, goes on with
// everything that it took in, also when the log is made shorter meanwhile.
func TestAnswerOfTakeoverIsLost(t *testing.T) {
	inWorld(t, 1, 2, func(w *world) {
		all := w.begin(2, 2) // one at each
		one, two := w.nodes[0], w.nodes[1]
		taken := false
		two.link.Late = func(_ context.Context, call string) error {
			for _, e := range w.db.Entries() {
				if call == "together" && e.Code == all[0].code && e.Node == "n2" && !taken {
					taken = true
					time.AfterFunc(10*time.Millisecond, all[2].ask)
					time.AfterFunc(100*time.Millisecond, two.hall.Refresh) // checkpoints make the log shorter
					return errAway
				}
			}
			return nil
		}
		one.kill()
		w.pass(10 * time.Second)
		if w.plays(all[:2], 2); !taken || all[0].at != two {
			t.Errorf("the answer was lost: %v; it goes on at %s", taken, all[0].at.name)
		}
	})
}

// TestGivingMeetsLoss: a node that is taken for dead while it hands a lobby over does not wait for that,
// and goes on taking lobbies up.
func TestGivingMeetsLoss(t *testing.T) {
	inWorld(t, 1, 2, func(w *world) {
		all := w.begin(1, 2)
		one, two := w.nodes[0], w.nodes[1]
		l, err := one.hall.Find(all[0].code)
		if err != nil {
			t.Fatal(err)
		}
		one.set(hangs)
		told := make(chan error, 1)
		go func() { told <- one.hands.Give(context.Background(), l, hall.Destination{Node: "n2"}) }()
		w.pass(10 * time.Second)
		one.set(nothing)
		w.pass(5 * time.Second)
		select {
		case err := <-told:
			if err == nil {
				t.Error("what another node has taken over was handed to it")
			}
		default:
			t.Error("it is still being handed over")
		}
		two.kill()
		w.pass(5 * time.Second)
		if w.plays(all, 2); all[0].at != one {
			t.Errorf("it goes on at %s", all[0].at.name)
		}
	})
}

// TestTakenUpAgain: a lobby that could not be handed over, and is taken up again when the database is back, goes
// on with what it took in last and the ledger had not written.
func TestTakenUpAgain(t *testing.T) {
	inWorld(t, 1, 1, func(w *world) {
		all := w.begin(1, 2)
		one := w.nodes[0]
		l, err := one.hall.Find(all[0].code)
		if err != nil {
			t.Fatal(err)
		}
		one.set(away)
		all[0].ask()
		w.pass(100 * time.Millisecond)
		go one.hands.Give(context.Background(), l, hall.Destination{Node: "nobody"})
		w.pass(20 * time.Second)
		w.plays(all, 3)
	})
}

// TestNothingIsToldOfLostPlay: what a node has taken in and another goes on without is not told to anybody, also
// not when the node has a new lease: clients ask for it again.
func TestNothingIsToldOfLostPlay(t *testing.T) {
	inWorld(t, 1, 2, func(w *world) {
		all := w.begin(1, 2)
		one := w.nodes[0]
		at := func(moment time.Duration) { w.pass(moment - time.Since(w.began)) }
		at(5100 * time.Millisecond) // it has renewed its lease at 5 s
		one.set(hangs)
		at(7700 * time.Millisecond)
		all[0].lag = 50 * time.Millisecond
		all[0].ask()
		at(8600 * time.Millisecond) // the other has taken over
		one.set(nothing)
		at(9500 * time.Millisecond)
		if one.hall.Lobbies() > 0 || !one.alive() {
			t.Error("the node has not lost the lobby, or does not go on")
		}
		if w.plays(all, 3); all[0].unsure > 0 {
			t.Error("it has told what it may yet lose")
		}
	})
}

// TestAloneWithoutTheDatabase: a node for which alone the database is away is silent when another one takes
// its lobbies over, also one that has come since and that it does not know.
func TestAloneWithoutTheDatabase(t *testing.T) {
	inWorld(t, 1, 2, func(w *world) {
		one, two := w.nodes[0], w.nodes[1]
		w.nodes = w.nodes[:1]
		all := w.begin(1, 2)
		one.set(away)
		if w.pass(10300 * time.Millisecond); !one.alive() {
			t.Error("a node that is alone does not go on while the database is away")
		}
		w.nodes = append(w.nodes, two)
		two.start()
		for range 100 {
			w.pass(100 * time.Millisecond)
		}
		if _, err := two.hall.Find(all[0].code); err != nil || one.alive() {
			t.Errorf("the new node goes on with it: %v; the old one may speak: %v", err, one.alive())
		}
	})
}
