package handover_test

import (
	"context"
	"fmt"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/tool/trial"
)

// begin starts every node, and opens lobbies on them in which people play.
func (w *world) begin(lobbies, each int) (all []*person) {
	w.t.Helper()
	for _, n := range w.nodes {
		if !n.start() {
			w.t.Fatalf("%s does not start", n.name)
		}
	}
	for i := range lobbies {
		l, err := w.nodes[i%len(w.nodes)].hall.Open(context.Background(), w.book, hall.Opening{})
		if err != nil {
			w.t.Fatal(err)
		}
		for range each {
			p := &person{w: w, name: fmt.Sprint("p", len(all)+1), code: l.Code, open: map[uint64]bool{}}
			all = append(all, p)
			p.come()
		}
	}
	w.pass(time.Second)
	for range 2 { // ready, and the first that counts
		for _, p := range all {
			p.ask()
			w.pass(200 * time.Millisecond)
		}
	}
	for _, p := range all {
		if !p.settled() || p.refused > 0 {
			w.t.Fatalf("%s does not play", p.name)
		}
	}
	return all
}

// pass lets time go by. No lobby is alive at two nodes that may speak, at any moment that is looked at.
func (w *world) pass(d time.Duration) {
	w.t.Helper()
	time.Sleep(d)
	synctest.Wait()
	at := map[string]string{}
	for _, n := range w.nodes {
		if !n.alive() {
			continue
		}
		for _, l := range n.hall.All() {
			if other, there := at[l.ID]; there {
				w.notef("the lobby %s is alive at %s and at %s", l.Code, other, n.name)
				w.t.Errorf("the lobby %s is alive at %s and at %s", l.Code, other, n.name)
			}
			at[l.ID] = n.name
		}
	}
}

// happens lets something happen to a node.
func (w *world) happens() {
	n := w.nodes[w.r.IntN(len(w.nodes))]
	kind := w.r.IntN(12)
	if n.run == nil {
		w.notef("%s starts: %v", n.name, n.start())
		return
	}
	switch {
	case kind < 2:
		w.notef("%s is killed", n.name)
		n.kill()
	case kind < 7:
		n.set(wrong(int(away) + w.r.IntN(4)))
		what, _ := n.now()
		w.notef("%s: its database is %s", n.name, what)
	case kind < 10:
		w.notef("%s: its database is well", n.name)
		n.set(nothing)
	default:
		w.gives(n)
	}
}

// gives hands a lobby of a node to another.
func (w *world) gives(n *node) {
	all, others := n.hall.All(), n.cluster.Others("here")
	if len(all) == 0 || len(others) == 0 {
		return
	}
	l, to := all[w.r.IntN(len(all))], others[w.r.IntN(len(others))]
	w.notef("%s gives %s to %s", n.name, l.Code, to.Name)
	go n.hands.Give(context.Background(), l, hall.Destination{Node: to.Name, Address: to.Address})
}

// heal lets everything be well again, and waits until everybody knows what became of what they asked.
func (w *world) heal(all []*person) {
	w.t.Helper()
	w.notef("everything is well")
	for range 120 {
		well := true
		for _, n := range w.nodes {
			if well = n.start() && well; n.run != nil {
				n.set(nothing)
			}
		}
		for _, p := range all {
			well = p.come() && p.settled() && well
		}
		if w.pass(time.Second); well {
			return
		}
	}
	for _, p := range all {
		if !p.settled() {
			w.t.Errorf("%s of %s does not come back, or waits for %d verdicts", p.name, p.code, len(p.open))
			for _, e := range w.db.Entries() {
				w.notef("the row of %s says %s, epoch %d, %s", e.Code, e.Node, e.Epoch, e.State)
			}
		}
	}
}

// TestHistories: whatever happens to nodes and to their ways to the database, a lobby is alive at one place, everybody
// comes back to their seat, and each intent counts once: exactly those that were taken, but for what a node told while
// its database was away and then died with, and, where it tells play before it is kept, what it took in last.
func TestHistories(t *testing.T) {
	seed := trial.Seed(t)
	for round := range trial.Rounds(300, 40) {
		if t.Failed() {
			return
		}
		inWorld(t, seed+uint64(round), 3, func(w *world) {
			w.notef("seed %d", seed+uint64(round))
			w.sets = func(cfg *hall.Config, _ *cluster.Voice) { cfg.PublishKept = round%2 == 0 }
			all := w.begin(3, 2)
			for range 60 {
				w.pass(time.Duration(10+w.r.IntN(900)) * time.Millisecond)
				if w.r.IntN(3) == 0 {
					w.happens()
				}
				for range 4 {
					p := all[w.r.IntN(len(all))]
					if p.come() {
						p.ask()
					}
				}
			}
			w.heal(all)
			for _, p := range all {
				w.counts(all, p)
			}
		})
	}
}

// counts compares what somebody has with what they were told.
func (w *world) counts(all []*person, p *person) {
	w.t.Helper()
	most := int64(p.asked) - 1 - int64(p.refused) // but the first
	for _, other := range all {
		if other.code != p.code {
			continue
		}
		if got := other.sees(p); got > most || got < most-int64(p.unsure+p.lost) {
			w.t.Errorf("%s sees %d points of %s, who has asked for %d; %d may be lost", other.name, got, p.name, most,
				p.unsure+p.lost)
		}
	}
}
