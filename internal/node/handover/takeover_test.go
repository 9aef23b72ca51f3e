package handover_test

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// plays makes sure that somebody comes back to their lobby within some seconds, and that what they ask for counts.
func (w *world) plays(all []*person, points int64) {
	w.t.Helper()
	w.heal(all)
	all[0].ask()
	w.pass(time.Second)
	if got := all[1].sees(all[0]); got != points {
		w.t.Errorf("%s has %d points, wanted %d", all[0].name, got, points)
	}
}

// TestAnswerOfTakeoverIsLost: a lobby whose take-over was done, and told to have failed, goes on with everything that
// it took in, also when the log is made shorter meanwhile.
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

// TestGivingMeetsLoss: a node that is taken for dead while it hands a lobby over does not wait for that, and goes on
// taking lobbies up.
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

// TestTakenUpAgain: a lobby that could not be handed over, and is taken up again when the database is back, goes on
// with what it took in last and the ledger had not written.
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

// TestNothingIsToldOfLostPlay: what a node has taken in and another goes on without is not told to anybody, also not
// when the node has a new lease: clients ask for it again.
func TestNothingIsToldOfLostPlay(t *testing.T) {
	inWorld(t, 1, 2, func(w *world) {
		all := w.begin(1, 2)
		one := w.nodes[0]
		at := func(moment time.Duration) { w.pass(moment - time.Since(w.began)) }
		at(5100 * time.Millisecond) // it has renewed its lease at 5 s
		one.set(hangs)
		at(5600 * time.Millisecond) // play does not stand still yet
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

// TestCopiesAreOfOnePast: a client that comes back after its lobby's node has died, with the copy that it had, is sent
// a whole new one: the old one may show play that was lost. The time in which nobody ran the lobby is not played.
func TestCopiesAreOfOnePast(t *testing.T) {
	inWorld(t, 1, 2, func(w *world) {
		all := w.begin(1, 2)
		one, two, p := w.nodes[0], w.nodes[1], all[0]
		died, _ := p.conn.Now()
		one.kill()
		w.pass(6 * time.Second)
		all[1].come()
		w.pass(time.Second)
		all[1].ask() // the lobby tells somebody of a later tick
		w.pass(time.Second)
		l, err := two.hall.Find(p.code)
		if err != nil {
			t.Fatal(err)
		}
		c, err := l.Join(context.Background(), hall.Joining{Account: p.name, Name: p.name, Resume: p.key, Tick: &died,
			Branch: p.branch})
		if err != nil {
			t.Fatal(err)
		}
		var came []string
		c.Serve(func(list []*outbox.Frame, bye *wire.Bye) bool {
			for _, f := range list {
				var m struct {
					Is   string
					Kept bool
				}
				json.Unmarshal(f.Data, &m)
				came = append(came, fmt.Sprint(m.Is, m.Kept))
			}
			return bye == nil
		}, nil)
		lives, _ := c.Now()
		if lived := (lives - died) / int64(w.book.Rate); lived < 2 || lived > 6 { // it had a node for some of eight
			t.Errorf("the lobby has lived %d s since", lived)
		}
		w.pass(2 * time.Second)
		if len(came) < 2 || came[0] != "welcomefalse" || came[1] != "snapshotfalse" {
			t.Errorf("there came %v", came)
		}
	})
}

// TestTwoDeaths: the time in which nobody ran a lobby is not played, also not where its next node dies before it has
// kept a checkpoint.
func TestTwoDeaths(t *testing.T) {
	inWorld(t, 1, 3, func(w *world) {
		all := w.begin(1, 2)
		one, two, three, p := w.nodes[0], w.nodes[1], w.nodes[2], all[0]
		three.set(away) // the second one takes it
		taken, second := false, two.run
		second.link.Gate = func(ctx context.Context, call string) error {
			if taken && call == "together" {
				return errAway
			}
			return second.before(ctx, call)
		}
		second.link.Late = func(ctx context.Context, call string) error {
			taken = taken || call == "together" && w.db.Entries()[0].Node == "n2"
			return second.after(ctx, call)
		}
		died, _ := p.conn.Now()
		one.kill()
		w.pass(4 * time.Second)
		if !taken {
			t.Fatal("nobody has taken the lobby over")
		}
		two.kill()
		three.set(nothing)
		w.pass(8 * time.Second)
		w.plays(all, 2)
		lives, _ := p.conn.Now()
		if lived := (lives - died) / int64(w.book.Rate); lived < 2 || lived > 7 || p.at != three {
			t.Errorf("the lobby has lived %d s of 13 s, and is at %s", lived, p.at.name)
		}
	})
}

// TestAloneWithoutTheDatabase: a node for which alone the database is away is silent when another one takes its lobbies
// over, also one that has come since and that it does not know.
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
