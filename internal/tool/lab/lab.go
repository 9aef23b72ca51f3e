// Package lab is the program that measures, attacks and documents Turnvex: one table of works, which ./dev calls by
// their names.
package lab

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"

	"turnvex.example/turnvex/internal/tool/bench"
	"turnvex.example/turnvex/internal/tool/count"
	"turnvex.example/turnvex/internal/tool/deaths"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/growth"
	"turnvex.example/turnvex/internal/tool/mutate"
	"turnvex.example/turnvex/internal/tool/pages"
	"turnvex.example/turnvex/internal/tool/scale"
	"turnvex.example/turnvex/internal/tool/shots"
	"turnvex.example/turnvex/internal/tool/siege"
	"turnvex.example/turnvex/internal/tool/size"
	"turnvex.example/turnvex/internal/tool/words"
)

// work is what the lab can do. Its setup declares flags and returns what does it.
type work struct {
	name, args, what string
	setup            func(*flag.FlagSet) runner
}

type runner func(ctx context.Context, f *field.Field, args []string) error

// plain is a work without flags of its own.
func plain(run runner) func(*flag.FlagSet) runner { return func(*flag.FlagSet) runner { return run } }

// alone is a work that takes no arguments.
func alone(setup func(*flag.FlagSet) func(context.Context, *field.Field) error) func(*flag.FlagSet) runner {
	return func(fs *flag.FlagSet) runner {
		run := setup(fs)
		return func(ctx context.Context, f *field.Field, args []string) error {
			if err := field.Numbers(args, 0, 0); err != nil {
				return err
			}
			return run(ctx, f)
		}
	}
}

var works = []work{
	{"bench", "[NAME ...]", "run the benchmarks, or those whose names begin like this; each compares two things",
		plain(bench.Run)},
	{"scale", "[NODES [LOBBIES]]", "measure what one node bears, and what many ask of a database",
		plain(func(ctx context.Context, f *field.Field, args []string) error {
			nodes, lobbies := f.Size(200, 5), f.Size(1_000_000, 2000)
			if err := field.Numbers(args, 2, 10_000_000, &nodes, &lobbies); err != nil {
				return err
			}
			return scale.Run(ctx, f, nodes, lobbies)
		})},
	{"growth", "[RESULTS [RESULTS]]", "fill databases, and print what lists read of each and what goes when it is old",
		plain(func(ctx context.Context, f *field.Field, args []string) error {
			sizes := [2]int{f.Size(100_000, 1000), f.Size(1_000_000, 2000)}
			if err := field.Numbers(args, 1000, 100_000_000, &sizes[0], &sizes[1]); err != nil {
				return err
			}
			if err := growth.Run(ctx, f, sizes[:]); err != nil {
				return err
			}
			return growth.Ages(ctx, f, f.Size(100_000, 1000))
		})},
	{"siege", "[NAME ...]", "attack a node beside a match, and print what it cost and what the match felt",
		plain(siege.Run)},
	{"deaths", "[TIMES [LOBBIES]]", "kill nodes under load, at named points and at random, and check every fact",
		plain(func(ctx context.Context, f *field.Field, args []string) error {
			times, lobbies := f.Size(100, 2), f.Size(1000, 16)
			if err := field.Numbers(args, 1, 100_000, &times, &lobbies); err != nil {
				return err
			}
			return deaths.Run(ctx, f, times, lobbies)
		})},
	{"mutate", "", "change the code on purpose and see whether a test notices", alone(mutate.Setup)},
	{"count", "", "count lines of code and of tests in each folder", alone(
		func(*flag.FlagSet) func(context.Context, *field.Field) error {
			return func(_ context.Context, f *field.Field) error { return count.Print(f.Out) }
		})},
	{"size", "[PROGRAM]", "say what each megabyte of the program is for",
		plain(func(_ context.Context, f *field.Field, args []string) error {
			if len(args) == 0 {
				args = []string{"bin/turnvex"}
			}
			return size.Print(f.Out, args[0])
		})},
	{"words", "", "count the keys, meanings, words and functions of rulebooks", alone(
		func(*flag.FlagSet) func(context.Context, *field.Field) error {
			return func(_ context.Context, f *field.Field) error { return words.Print(f.Out) }
		})},
	{"docs", "", "write the pages that are made from the code", alone(
		func(fs *flag.FlagSet) func(context.Context, *field.Field) error {
			root := fs.String("root", ".", "the `folder` of the project")
			return func(_ context.Context, f *field.Field) error { return pages.Write(f.Out, *root) }
		})},
	{"shots", "", "take the documentation's pictures of the console; the demo must run", alone(shots.Setup)},
}

// parts are what processes that works start are, by name.
func parts() map[string]field.Part {
	all := map[string]field.Part{"node": field.RunNode}
	maps.Copy(all, bench.Parts())
	maps.Copy(all, siege.Parts())
	return all
}

// Main does a work, or is a part of one, and returns the exit status: 0 when all is well, 1 when something failed, 2
// when it was called wrongly.
func Main(ctx context.Context, args []string, out, errs io.Writer) int {
	if len(args) == 0 || args[0] == "-h" {
		fmt.Fprint(out, "Usage: lab NAME [-short] [arguments]\n\n")
		for _, w := range works {
			fmt.Fprintf(out, "  %-8s %s\n", w.name, w.what)
		}
		return 0
	}
	if args[0] == "-part" && len(args) > 1 {
		part := parts()[args[1]]
		if part == nil {
			fmt.Fprintf(errs, "lab: there is no part %q\n", args[1])
			return 2
		}
		return status(errs, args[1], part(ctx, args[2:]))
	}
	for _, w := range works {
		if w.name == args[0] {
			return w.run(ctx, args[1:], out, errs)
		}
	}
	fmt.Fprintf(errs, "lab: there is no work %q; lab -h lists them\n", args[0])
	return 2
}

func (w *work) run(ctx context.Context, args []string, out, errs io.Writer) int {
	f := &field.Field{Out: out}
	fs := flag.NewFlagSet(w.name, flag.ContinueOnError)
	fs.SetOutput(errs)
	fs.BoolVar(&f.Short, "short", false, "try everything on a small scale, and judge nothing")
	fs.Usage = func() {
		fmt.Fprintf(out, "./dev %s [flags] %s: %s\n", w.name, w.args, w.what)
		fs.SetOutput(out)
		fs.PrintDefaults()
	}
	run := w.setup(fs)
	if err := fs.Parse(args); errors.Is(err, flag.ErrHelp) {
		return 0
	} else if err != nil {
		return 2
	}
	return status(errs, w.name, run(ctx, f, fs.Args()))
}

func status(errs io.Writer, name string, err error) int {
	if err != nil {
		fmt.Fprintf(errs, "%s: %v\n", name, err)
		return 1
	}
	return 0
}
