// Package mutate changes the code on purpose, one small thing at a time, and sees
// whether a test notices. What is changed is drawn by chance, from a seed that is
// printed; the tree itself stays as it is.
package mutate

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/tool/field"
)

// room is where code is changed, and what tests it: each list of packages is run only
// if the one before has noticed nothing.
type room struct {
	name  string // below internal
	tests [][]string
}

// rooms are the rooms of the core and of a node, each with its own tests: the acceptance suite does not count.
var rooms = []room{
	{"core/sheet", [][]string{{"core/sheet"}, {"core/replica", "core/lobby"}}},
	{"core/state", [][]string{{"core/state", "core/lobby"}}},
	{"core/expr", [][]string{{"core/expr"}, {"core/lobby"}}},
	{"core/ground", [][]string{{"core/ground"}, {"core/lobby"}}},
	{"core/names", [][]string{{"core/names"}, {"node/hall"}}},
	{"core/rulebook", [][]string{{"core/rulebook"}, {"core/lobby"}}},
	{"core/match", [][]string{{"core/match", "core/lobby"}}},
	{"core/lobby", [][]string{{"core/lobby"}, {"node/hall"}}},
	{"core/replica", [][]string{{"core/replica", "wire/spec"}, {"node/hall"}}},
	{"core/ranking", [][]string{{"core/ranking"}}},
	{"node/hall", [][]string{{"node/hall"}, {"node/handover"}}},
	{"node/handover", [][]string{{"node/handover"}}},
	{"node/ledger", [][]string{{"node/handover"}, {"node/ledger", "node/memdb"}}},
	{"node/cluster", [][]string{{"node/cluster", "node/handover"}, {"node/memdb"}}},
	{"node/feed", [][]string{{"node/feed"}}},
	{"node/directory", [][]string{{"node/directory", "node/memdb"}}},
	{"node/board", [][]string{{"node/board"}}},
	{"node/keep", [][]string{{"node/memdb"}}},
	{"node/account", [][]string{{"node/account"}}},
	{"node/journal", [][]string{{"node/journal"}, {"node/hall"}}},
	{"node/series", [][]string{{"node/series"}}},
	{"node/api", [][]string{{"node/api"}}},
}

// verdict says what came of a mutant.
type verdict string

// The verdicts. What does not compile counts for nothing.
const (
	killed   verdict = "killed"
	survived verdict = "survived"
	invalid  verdict = "invalid"
	late     verdict = "killed by time" // a loop that does not end is noticed too
)

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
	counts := map[string]map[verdict]int{}
	var left []mutant
	for i, m := range plan {
		if ctx.Err() != nil {
			fmt.Fprintf(r.out, "time is up after %d mutants\n", i)
			break
		}
		v := m.try(ctx)
		if counts[m.room.name] == nil {
			counts[m.room.name] = map[verdict]int{}
		}
		counts[m.room.name][v]++
		if v == survived {
			left = append(left, m)
			fmt.Fprintf(r.out, "%4d/%d survived  %s\n", i+1, len(plan), m)
		}
	}
	return r.report(counts, left)
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
	k := c[killed] + c[late]
	share := "-"
	if k+c[survived] > 0 {
		share = fmt.Sprintf("%.1f %%", 100*float64(k)/float64(k+c[survived]))
	}
	fmt.Fprintf(w, "%-16s %8d %9d %8s\n", name, k, c[survived], share)
}

// try runs the tests over a mutant.
func (m *mutant) try(ctx context.Context) verdict {
	dir, err := os.MkdirTemp("", "mutant")
	if err != nil {
		return invalid
	}
	defer os.RemoveAll(dir)
	path, _ := filepath.Abs(m.file)
	changed := filepath.Join(dir, "changed.go")
	overlay, _ := json.Marshal(map[string]any{"Replace": map[string]string{path: changed}})
	os.WriteFile(changed, m.source(), 0o644)
	os.WriteFile(filepath.Join(dir, "overlay.json"), overlay, 0o644)
	for _, tests := range m.room.tests {
		args := []string{"test", "-short", "-failfast", "-timeout", "60s", "-overlay",
			filepath.Join(dir, "overlay.json")}
		for _, t := range tests {
			args = append(args, "./internal/"+t)
		}
		out, err := exec.CommandContext(ctx, "go", args...).CombinedOutput()
		switch {
		case ctx.Err() != nil:
			return invalid
		case err == nil:
		case bytes.Contains(out, []byte("[build failed]")) || bytes.Contains(out, []byte("[setup failed]")):
			return invalid
		case bytes.Contains(out, []byte("test timed out")):
			return late
		default:
			return killed
		}
	}
	return survived
}
