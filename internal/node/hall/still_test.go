package hall_test

import (
	"context"
	"slices"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// TestNothingUnkeptIsTold: where a node tells only what is kept, nothing that is not leaves a lobby by any door,
// however long the database is away. Play stands still and says so, what is asked for meanwhile is refused, and then
// everything is told, and play goes on from where it was.
func TestNothingUnkeptIsTold(t *testing.T) {
	withLedgerSet(t, harbour, 0, func(cfg *hall.Config) { cfg.PublishKept = true }, func(k *kept) {
		k.ledger.OnAway(k.hall.Outage)
		ctx, l := context.Background(), k.open(hall.Opening{})
		ada, bo := k.join(l, hall.Joining{Account: "ada"}), k.join(l, hall.Joining{Account: "bo"})
		seer := k.join(l, hall.Joining{Watch: true})
		say := func(p *player, n uint64, in wire.Intent) {
			in.Is, in.N, in.Seat = "intent", n, uint32(p.First())
			p.Receive(&in)
		}
		say(ada, 1, wire.Intent{Do: "ready"})
		say(bo, 1, wire.Intent{Do: "ready"})
		pass(10 * time.Second)
		say(ada, 2, wire.Intent{Do: "act", Name: "score"})
		pass(time.Second)
		if got := bo.see(uint32(ada.First()), "points"); got != 1 || len(ada.all("verdict")) != 2 {
			t.Fatalf("with the database, %d points and %v", got, ada.kinds())
		}
		listed := k.dir.Entries()[0]
		left := func() int64 { // of the phase, in ticks, by what the lobby would say to a ping
			at, _ := ada.Now()
			return at
		}
		k.away = true
		for _, p := range []*player{ada, bo, seer} {
			p.forget()
		}
		say(ada, 3, wire.Intent{Do: "act", Name: "score"})
		pass(3 * time.Second)
		stood := left()
		say(ada, 4, wire.Intent{Do: "act", Name: "score"})
		pass(time.Minute)
		if left() != stood {
			t.Errorf("a minute later it stands at %d, not at %d", left(), stood)
		}
		for name, p := range map[string]*player{"ada": ada, "bo": bo, "who watches": seer} {
			still := p.all("still")
			if len(still) != 1 || still[0]["ms"].(float64) < 1000 || still[0]["why"] == "" {
				t.Errorf("%s is told %v", name, still)
			}
			for _, is := range []string{"delta", "notice", "snapshot"} {
				if len(p.all(is)) > 0 && p != seer { // who sees everything later
					t.Errorf("%s is sent %v", name, p.all(is))
				}
			}
		}
		if cheers := seer.all("notice"); len(cheers) != 1 {
			t.Errorf("who watches is told of %v", cheers)
		}
		if v := ada.all("verdict"); len(v) != 1 || v[0]["n"] != 4.0 || v[0]["code"] != string(code.NotKept) {
			t.Errorf("the verdicts are %v", v)
		}
		if _, err := l.Info(ctx); fault.CodeOf(err) != code.NotKept {
			t.Errorf("what it is: %v", err)
		}
		if _, err := k.tryJoin(l, hall.Joining{Account: "joss"}); fault.CodeOf(err) != code.NotKept {
			t.Errorf("who joins: %v", err)
		}
		if _, err := l.Sit(ctx, hall.Joining{Account: "joss", Name: "Joss"}); fault.CodeOf(err) != code.NotKept {
			t.Errorf("who takes a seat: %v", err)
		}
		if now := k.dir.Entries()[0]; now != listed {
			t.Errorf("listed is %+v", now)
		}
		k.away = false
		pass(2 * time.Second)
		if still := ada.all("still"); len(still) != 2 || still[1]["over"] != true {
			t.Errorf("in the end it is told %v", still)
		}
		if v := ada.all("verdict"); len(v) != 2 || v[1]["n"] != 3.0 || v[1]["ok"] != true {
			t.Errorf("the verdicts are %v", v)
		}
		if got := bo.see(uint32(ada.First()), "points"); got != 2 {
			t.Errorf("it has %d points", got)
		}
		if now := left(); now < stood || now > stood+60 {
			t.Errorf("it goes on at %d, and stood at %d", now, stood)
		}
		if info, err := l.Info(ctx); err != nil || info.Seats != 2 {
			t.Errorf("%+v, %v", info, err)
		}
	})
}

// TestStoppedWhileItStands: a node that stops while the database is away tells nothing of what is not kept.
func TestStoppedWhileItStands(t *testing.T) {
	withLedgerSet(t, harbour, 0, func(cfg *hall.Config) { cfg.PublishKept = true }, func(k *kept) {
		l := k.open(hall.Opening{})
		ada := k.join(l, hall.Joining{Account: "ada"})
		pass(time.Second)
		k.away = true
		ada.forget()
		ada.Receive(&wire.Intent{Is: "intent", N: 1, Seat: uint32(ada.First()), Do: "settings",
			Args: map[string]any{"title": "Quay"}})
		pass(100 * time.Millisecond)
		k.hall.Stop()
		pass(time.Second)
		if got := ada.kinds(); len(got) > 0 || ada.ended() != string(code.Stopping) {
			t.Errorf("it is told %v, and the end is %s", got, ada.ended())
		}
	})
}

// TestStuckLobby: a lobby whose loop does not come back from a job is given up: its people are told, its place and
// their seats are free, whoever waits for it is answered, and what it does when it comes back is written nowhere. An
// operator who closes it does not wait so long. One that is only slow goes on.
func TestStuckLobby(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		slow, bo, _ := r.two()
		release := slow.Stick()
		pass(25 * time.Second)
		release()
		if pass(10 * time.Second); bo.ended() != "" || r.hall.Lobbies() != 1 {
			t.Fatalf("a lobby that was busy for 25 s is gone: %q", bo.ended())
		}
		for _, byHand := range []bool{false, true} {
			l, ada, _ := r.two()
			release := l.Stick()
			asked := make(chan error, 1)
			go func() { _, err := l.Info(context.Background()); asked <- err }()
			if pass(4 * time.Second); byHand {
				l.Close("an operator has closed the lobby")
			} else {
				pass(40 * time.Second)
			}
			pass(aTick)
			if err := <-asked; fault.CodeOf(err) != code.LobbyGone || ada.ended() != string(code.Internal) {
				t.Errorf("who waits is told %v, who is in it %q", err, ada.ended())
			}
			entries := r.dir.Entries()
			e := entries[len(entries)-1]
			if r.hall.Lobbies() != 1 || e.State != directory.Closed || !r.log.has("stuck") ||
				slices.Contains(r.hall.Where("ada"), l) {
				t.Errorf("%d lobbies are alive; the row says %s; ada is in %v", r.hall.Lobbies(), e.State,
					r.hall.Where("ada"))
			}
			release()
			if pass(time.Second); r.dir.Entries()[len(entries)-1] != e || r.hall.Lobbies() != 1 {
				t.Error("the loop that came back has written something")
			}
		}
	})
}
