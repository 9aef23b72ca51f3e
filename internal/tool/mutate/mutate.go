// Package mutate changes the code on purpose, one small thing at a time, and sees whether a test notices. What is
// changed is drawn by chance, from a seed that is printed; the tree itself stays as it is.
package mutate

import (
	"cmp"
	"context"
	"flag"
	"fmt"
	"io"
	"iter"
	"math/rand/v2"
	"os"
	"runtime"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/tool/field"
)

// room is where code is changed, and what tests it: each list of packages is run only if the one before has noticed
// nothing.
type room struct {
	name  string // below internal
	tests []*tests
}

func in(packages ...string) *tests { return &tests{packages: packages} }

// rooms are the rooms of the core and of a node, each with its own tests: the acceptance suite does not count.
var rooms = []room{
	{"core/sheet", []*tests{in("core/sheet"), in("core/replica", "core/lobby")}},
	{"core/state", []*tests{in("core/state", "core/lobby")}},
	{"core/expr", []*tests{in("core/expr"), in("core/lobby")}},
	{"core/ground", []*tests{in("core/ground"), in("core/lobby")}},
	{"core/names", []*tests{in("core/names"), in("node/hall")}},
	{"core/rulebook", []*tests{in("core/rulebook"), in("core/lobby")}},
	{"core/match", []*tests{in("core/match", "core/lobby")}},
	{"core/lobby", []*tests{in("core/lobby"), in("node/hall")}},
	{"core/replica", []*tests{in("core/replica", "wire/spec"), in("node/hall")}},
	{"core/ranking", []*tests{in("core/ranking")}},
	{"node/hall", []*tests{in("node/hall"), in("node/handover")}},
	{"node/handover", []*tests{in("node/handover")}},
	{"node/ledger", []*tests{in("node/handover"), in("node/ledger", "node/memdb")}},
	{"node/cluster", []*tests{in("node/cluster", "node/handover"), in("node/memdb")}},
	{"node/feed", []*tests{in("node/feed")}},
	{"node/directory", []*tests{in("node/directory", "node/memdb")}},
	{"node/board", []*tests{in("node/board")}},
	{"node/keep", []*tests{in("node/keep"), in("node/memdb")}},
	{"node/account", []*tests{in("node/account")}},
	{"node/journal", []*tests{in("node/journal"), in("node/hall")}},
	{"node/series", []*tests{in("node/series")}},
	{"node/api", []*tests{in("node/api")}},
}

// run is how a run was asked for.
type run struct {
	seed   uint64
	number int           // of mutants
	least  int           // in each room
	within time.Duration // in all
	only   string        // a room
	out    io.Writer
	list   string // a file for what survived
}

// Setup declares the flags, and returns what draws mutants and tries them.
func Setup(fs *flag.FlagSet) func(context.Context, *field.Field) error {
	var r run
	fs.Uint64Var(&r.seed, "seed", uint64(time.Now().UnixNano()), "the `seed` that mutants are drawn with")
	fs.IntVar(&r.number, "n", 0, "how `many` mutants at least, in all; drawn from all rooms alike beyond -least")
	fs.IntVar(&r.least, "least", 60, "how `many` in each room, where it has so many")
	fs.DurationVar(&r.within, "within", 2*time.Hour, "how `long` at most")
	fs.StringVar(&r.only, "room", "", "only this `room`, such as core/match")
	fs.StringVar(&r.list, "survivors", "", "a `file` for what survived")
	return func(ctx context.Context, f *field.Field) error {
		r.out = f.Out
		if f.Short {
			r.only, r.least, r.number, r.seed = "core/ground", 2, 0, 1
		}
		return r.all(ctx)
	}
}

func (r *run) all(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, r.within)
	defer cancel()
	plan, err := r.draw()
	if err != nil {
		return err
	}
	fmt.Fprintf(r.out, "seed %d: %d mutants\n", r.seed, len(plan))
	for _, room := range touched(plan) {
		for _, t := range room.tests {
			if err := t.try(ctx, room); err != nil {
				return err
			}
		}
	}
	counts := map[string]map[verdict]int{}
	var left []mutant
	for i, v := range r.verdicts(ctx, plan) {
		m := &plan[i]
		if counts[m.room.name] == nil {
			counts[m.room.name] = map[verdict]int{}
		}
		counts[m.room.name][v]++
		if v == survived || v == unseen {
			left = append(left, *m)
			fmt.Fprintf(r.out, "%4d/%d %s  %s\n", i+1, len(plan), v, m)
		}
	}
	if ctx.Err() != nil {
		fmt.Fprintln(r.out, "time was up before all were tried")
	}
	return r.report(counts, left)
}

// verdicts yields what came of each mutant, in their order; several are tried at once.
func (r *run) verdicts(ctx context.Context, plan []mutant) iter.Seq2[int, verdict] {
	return func(yield func(int, verdict) bool) {
		answers := make([]chan verdict, len(plan))
		// Tests wait for a database about half of their time.
		turn := make(chan struct{}, 2*runtime.NumCPU())
		for i := range plan {
			answers[i] = make(chan verdict, 1)
		}
		go func() {
			for i := range plan {
				turn <- struct{}{}
				go func() { answers[i] <- plan[i].try(ctx); <-turn }()
			}
		}()
		for i, a := range answers {
			if !yield(i, <-a) {
				return
			}
		}
	}
}

// touched are the rooms that mutants are drawn from.
func touched(plan []mutant) (out []*room) {
	for i := range plan {
		if r := plan[i].room; !slices.Contains(out, r) {
			out = append(out, r)
		}
	}
	return out
}

// draw picks mutants: from each room as many as it must have, the rest from all alike.
func (r *run) draw() ([]mutant, error) {
	chance := rand.New(rand.NewPCG(r.seed, 0))
	var plan, rest []mutant
	for i := range rooms {
		if r.only != "" && rooms[i].name != r.only {
			continue
		}
		all, err := find(&rooms[i])
		if err != nil {
			return nil, err
		}
		chance.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		n := min(r.least, len(all))
		plan, rest = append(plan, all[:n]...), append(rest, all[n:]...)
	}
	chance.Shuffle(len(rest), func(i, j int) { rest[i], rest[j] = rest[j], rest[i] })
	plan = append(plan, rest[:min(max(r.number-len(plan), 0), len(rest))]...)
	slices.SortStableFunc(plan, func(a, b mutant) int { return cmp.Compare(a.file, b.file) })
	return plan, nil
}

func (r *run) report(counts map[string]map[verdict]int, left []mutant) error {
	fmt.Fprintf(r.out, "%-16s %8s %9s %8s\n", "room", "killed", "survived", "share")
	all := map[verdict]int{}
	for _, room := range rooms {
		c := counts[room.name]
		if c == nil {
			continue
		}
		for v, n := range c {
			all[v] += n
		}
		line(r.out, room.name, c)
	}
	line(r.out, "all", all)
	if r.list == "" {
		return nil
	}
	var b strings.Builder
	for _, m := range left {
		fmt.Fprintln(&b, m)
	}
	return os.WriteFile(r.list, []byte(b.String()), 0o644)
}

func line(w io.Writer, name string, c map[verdict]int) {
	k, left := c[killed]+c[late], c[survived]+c[unseen]
	share := "-"
	if k+left > 0 {
		share = fmt.Sprintf("%.1f %%", 100*float64(k)/float64(k+left))
	}
	fmt.Fprintf(w, "%-16s %8d %9d %8s\n", name, k, left, share)
}
