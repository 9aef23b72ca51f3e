// Package siege attacks a running node on loopback, each attack for a bounded time, with a match beside it, and says
// for each what it cost the node and what the match felt. It fails when a promise of the doors is broken, or when fewer
// of the match's deliveries are in time than beside the same traffic sent to a listener that refuses everything.
package siege

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"text/tabwriter"
	"time"

	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/load"
)

// least is the part of the deliveries in time beside the bare listener that must be in time beside the node that is
// attacked.
const least = 0.95

// Run attacks a node in all ways whose names begin with one of the given words, or in all. A short run tries each and
// judges nothing.
func Run(ctx context.Context, lab *field.Field, only []string) error {
	load.Quiet()
	f, err := build(ctx, lab)
	if err != nil {
		return err
	}
	defer f.stop()
	var failed []string
	for _, a := range attacks {
		if len(only) > 0 && !chosen(a.name, only) {
			continue
		}
		broken, err := f.try(ctx, a, lab.Out)
		if err != nil {
			return fmt.Errorf("%s: %w", a.name, err)
		}
		for _, b := range broken {
			failed = append(failed, a.name+": "+b)
		}
	}
	switch {
	case lab.Short:
	case len(failed) > 0:
		return errors.New("the doors did not hold:\n  " + strings.Join(failed, "\n  "))
	default:
		fmt.Fprintln(lab.Out, "\nThe doors held.")
	}
	return nil
}

func chosen(name string, args []string) bool {
	for _, a := range args {
		if strings.HasPrefix(name, a) {
			return true
		}
	}
	return false
}

// felt is what a match felt in one phase, and what the attack came to.
type felt struct {
	match  *load.Report
	attack *tally
	cpu    time.Duration // of the node's processor
	peak   int64         // bytes of memory that the node had at most
}

// try attacks the node and then, with the same traffic, the bare listener, twice in turns.
func (f *ground) try(ctx context.Context, a *attack, out io.Writer) (broken []string, err error) {
	fmt.Fprintf(out, "\n%s: %s\n", a.name, a.what)
	var sums [2]struct{ within, n float64 }
	w := tabwriter.NewWriter(out, 4, 0, 2, ' ', 0)
	fmt.Fprintln(w, "  sent to\trequests\tanswers\tnode's processor\tnode's memory\tin time\t99 of 100 verdicts\tlost")
	for range f.lab.Size(2, 1) {
		for i, target := range []string{f.node.Address, f.bare.Address} {
			x, err := f.phase(ctx, a, target)
			if err != nil {
				return nil, err
			}
			if i == 0 {
				broken = append(broken, x.attack.Broken...)
			}
			if x.match.Lost > 0 {
				broken = append(broken, fmt.Sprintf("%d of the match's connections were lost", x.match.Lost))
			}
			sums[i].within += x.match.WithinTick * float64(x.match.Replica.Count)
			sums[i].n += float64(x.match.Replica.Count)
			fmt.Fprintf(w, "  %s\t%d\t%s\t%.1f s in %.0f s\t%d MiB\t%.1f %%\t%.0f ms\t%d\n", []string{"the " +
				"node", "nothing"}[i],
				x.attack.Sent, x.attack.answers(), x.cpu.Seconds(), x.match.Seconds, x.peak>>20, 100*x.match.WithinTick,
				x.match.Verdict.Most, x.match.Lost)
		}
	}
	w.Flush()
	node, bare := sums[0].within/max(sums[0].n, 1), sums[1].within/max(sums[1].n, 1)
	if !f.lab.Short && (node < least*bare || sums[0].n == 0) {
		broken = append(broken, fmt.Sprintf("%.1f %% of the deliveries are in time, beside the bare listener %.1f %%",
			100*node, 100*bare))
	}
	for _, b := range broken {
		fmt.Fprintln(out, "  BROKEN:", b)
	}
	return broken, nil
}

// phase lets a match of four play while an attack goes on.
func (f *ground) phase(ctx context.Context, a *attack, target string) (*felt, error) {
	long := a.long
	if long == 0 {
		long = 6 * time.Second
	}
	long = f.lab.For(long, 200*time.Millisecond)
	ctx, cancel := context.WithTimeout(ctx, long+time.Minute)
	defer cancel()
	attacker, err := f.attack(ctx, a, target, long+f.lab.For(2*time.Second, 0))
	if err != nil {
		return nil, err
	}
	watch := f.node.watch()
	report := &load.Report{}
	if !f.lab.Short || a == attacks[0] { // a short siege has a match beside the first attack alone
		report, err = load.Run(ctx, load.Config{Service: f.node.Address, Rulebook: "clash", Clients: 4, Lobby: 4,
			Rate: 4, Warmup: time.Second, For: max(long, time.Second)})
	}
	x := &felt{match: report}
	x.cpu, x.peak = watch()
	if err != nil {
		return nil, err
	}
	x.attack, err = attacker()
	return x, err
}
