package handover_test

import (
	"context"
	"flag"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/hall"
)

var write = flag.Bool("write", false, "write the table of outages into docs/operations.md instead of comparing it")

// The parts of the table of outages: for whom the database is away, whether messages go, what becomes of the other
// node, and how the nodes are set.
var (
	outageOf     = []string{"this node", "all nodes"}
	outagePeers  = []string{"stays", "stops", "is killed"}
	outageSets   = []string{"", "-publish-kept", "-play-on"}
	outageLasts  = 8 * time.Second
	outagePage   = "../../../docs/operations.md"
	outageBegins = "| database away for | messages | the other node | no setting | `-publish-kept` | `-play-on` |\n" +
		"|---|---|---|---|---|---|\n"
)

// TestOutages measures, with two nodes in virtual time, what somebody sees of a match in each kind of outage, for how
// long, and what of it is lost. The documentation has the table.
func TestOutages(t *testing.T) {
	table := outageBegins
	for _, whose := range outageOf {
		for _, messages := range []string{"arrive", "do not"} {
			for _, peer := range outagePeers {
				table += fmt.Sprintf("| %s | %s | %s |", whose, messages, peer)
				for _, set := range outageSets {
					table += " " + outage(t, whose, messages, peer, set) + " |"
				}
				table += "\n"
			}
		}
	}
	t.Log("\n" + table)
	page, err := os.ReadFile(outagePage)
	if err != nil {
		t.Fatal(err)
	}
	before, rest, found := strings.Cut(string(page), outageBegins)
	if !found {
		t.Fatalf("%s has no table that begins with\n%s", outagePage, outageBegins)
	}
	_, after, _ := strings.Cut(rest, "\n\n")
	if *write {
		if err := os.WriteFile(outagePage, []byte(before+table+"\n"+after), 0o644); err != nil {
			t.Fatal(err)
		}
	} else if string(page) != before+table+"\n"+after {
		t.Errorf("%s says something else than is measured; write it with\n"+
			"go test ./internal/node/handover -run Outages -args -write", outagePage)
	}
}

// outage plays a match through one, and says what became of it.
func outage(t *testing.T, whose, messages, peer, set string) (says string) {
	inWorld(t, 1, 2, func(w *world) {
		w.sets = func(cfg *hall.Config, voice *cluster.Voice) {
			cfg.PublishKept, voice.PlayOn = set == "-publish-kept", set == "-play-on"
		}
		all := w.begin(1, 1)
		p, one, two := all[0], w.nodes[0], w.nodes[1]
		w.pass(5 * time.Second) // each holds its lease for long enough to take over
		began, last := time.Now(), time.Duration(0)
		if one.set(away); whose == "all nodes" {
			two.set(away)
		}
		one.mute.Store(messages == "do not")
		switch peer {
		case "stops":
			two.stop()
		case "is killed":
			two.kill()
		}
		first, why, where, elsewhere := time.Duration(0), "", one, false
		for time.Since(began) < outageLasts {
			if p.come() {
				p.ask()
			}
			time.Sleep(100 * time.Millisecond)
			p.mu.Lock()
			if where = p.at; where == one {
				if now := p.shown.Sub(began); now > last {
					last = now
				}
				if p.still != "" && why == "" {
					first, why = time.Since(began), p.still
				}
			}
			elsewhere = elsewhere || where != one && p.shown.After(began)
			p.mu.Unlock()
		}
		one.mute.Store(false)
		one.set(nothing)
		time.Sleep(2 * time.Second) // it learns what has become of its lobbies
		w.heal(all)
		says = told(last, first, why, elsewhere, p.lost)
	})
	return says
}

// told says what somebody saw: until when play was shown at the first node, when they were told that it stands still,
// whether it went on at the other one, and how many intents, ten a second, had been told to be taken and were not.
func told(last, still time.Duration, why string, elsewhere bool, lost int) string {
	if last >= outageLasts-500*time.Millisecond {
		return goes("plays on", elsewhere, lost)
	}
	says := fmt.Sprintf("up to %.1f s, then stands still", half(last).Seconds())
	switch {
	case why == "":
		says = "silent without a word"
	case last < 100*time.Millisecond:
		says = fmt.Sprintf("nothing unkept; stands still after %.1f s", still.Round(time.Second/2).Seconds())
	}
	return goes(says, elsewhere, lost)
}

// TestStalls: a database that stalls for 400 ms for one node, or for a while for all of them, silences nobody.
func TestStalls(t *testing.T) {
	for at := time.Duration(0); at < 100*time.Millisecond; at += 10 * time.Millisecond {
		for whose, long := range map[string]time.Duration{"one": 400 * time.Millisecond, "all": 2 * time.Second} {
			inWorld(t, 1, 2, func(w *world) {
				w.sets = func(cfg *hall.Config, _ *cluster.Voice) { cfg.PublishKept = false }
				p := w.begin(1, 1)[0]
				w.pass(at)
				for i, n := range w.nodes {
					if whose == "all" || i == 0 {
						n.set(hangs)
					}
				}
				for end := time.Now().Add(long); time.Now().Before(end); {
					time.Sleep(20 * time.Millisecond)
					p.ask()
				}
				for _, n := range w.nodes {
					n.set(nothing)
				}
				w.pass(3 * time.Second)
				if p.still != "" || p.refused > 0 || !p.settled() {
					t.Errorf("a stall of %s for %s at %s: %q, %d are refused", long, whose, at, p.still, p.refused)
				}
			})
		}
	}
}

// TestKilled: a node that is killed loses of what it has shown at most what came within 40 ms, or while a commit lasts,
// and the commit that was under way.
func TestKilled(t *testing.T) {
	for _, takes := range []time.Duration{5 * time.Millisecond, 50 * time.Millisecond} {
		most := 0
		for at := range 30 {
			inWorld(t, 1, 2, func(w *world) {
				w.sets = func(cfg *hall.Config, _ *cluster.Voice) { cfg.PublishKept = false }
				p := w.begin(1, 1)[0]
				w.pass(5 * time.Second)
				x := w.nodes[0].run
				x.link.Gate = func(ctx context.Context, call string) error {
					time.Sleep(takes)
					return x.before(ctx, call)
				}
				for range 300 + 5*at {
					p.ask()
					time.Sleep(time.Millisecond)
				}
				w.nodes[0].kill()
				w.heal([]*person{p})
				most = max(most, p.lost)
			})
		}
		bound := int((max(40*time.Millisecond, takes) + takes).Milliseconds())
		if t.Logf("where a commit takes %s, %d ms are lost at most", takes, most); most == 0 || most > bound+5 {
			t.Errorf("where a commit takes %s, %d ms are lost, not at most %d", takes, most, bound)
		}
	}
}

func goes(says string, elsewhere bool, lost int) string {
	if elsewhere {
		says += "; goes on at the other node"
	}
	if lost > 0 {
		of := (time.Duration(lost) * time.Second / 10).Round(time.Second / 2)
		says += fmt.Sprintf("; up to %.1f s lost", of.Seconds())
	}
	return says
}

// half rounds up to half a second.
func half(d time.Duration) time.Duration { return (d + time.Second/2 - 1).Truncate(time.Second / 2) }
