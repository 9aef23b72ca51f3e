// Package bench measures what Turnvex promises. Each benchmark measures both sides of a comparison in one run on one
// machine and prints the ratio; none is a test with a time limit.
package bench

import (
	"context"
	"flag"
	"fmt"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/tool/field"
)

// Benchmark is one measurement.
type Benchmark struct {
	Name string
	What string
	Run  func(*Table) error
}

// Table collects the lines of a benchmark.
type Table struct{ *field.Field }

// Row prints what was measured: a name, a value, and what is promised of it.
func (t *Table) Row(name, value, promise string) {
	if promise != "" {
		promise = "goal " + promise
	}
	fmt.Fprintf(t.Out, "  %-52s %16s   %s\n", name, value, promise)
}

// All lists the benchmarks in their order.
func All() []Benchmark {
	return slices.Concat(coreBenchmarks(), lobbyBenchmarks(), liveBenchmarks(), boardBenchmarks(), ledgerBenchmarks(),
		consoleBenchmarks())
}

// Run runs those whose name begins with one of the given words, or all.
func Run(ctx context.Context, f *field.Field, only []string) error {
	testing.Init()
	if f.Short {
		if err := flag.Set("test.benchtime", "1x"); err != nil {
			return err
		}
	}
	ran := 0
	for _, b := range All() {
		wanted := len(only) == 0 ||
			slices.ContainsFunc(only, func(w string) bool { return strings.HasPrefix(b.Name, w) })
		if !wanted {
			continue
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		ran++
		fmt.Fprintf(f.Out, "%s: %s\n", b.Name, b.What)
		if err := b.Run(&Table{f}); err != nil {
			return fmt.Errorf("%s: %w", b.Name, err)
		}
	}
	if ran == 0 {
		var names []string
		for _, b := range All() {
			names = append(names, b.Name)
		}
		return fmt.Errorf("there is no such benchmark; there are: %s", strings.Join(names, ", "))
	}
	return nil
}

// best runs a benchmark several times and returns the fastest, which the noise of the machine has disturbed least.
func best(times int, f func(b *testing.B)) testing.BenchmarkResult {
	var out testing.BenchmarkResult
	for i := range times {
		r := testing.Benchmark(f)
		if i == 0 || r.NsPerOp() < out.NsPerOp() {
			out = r
		}
	}
	return out
}

func micros(ns float64) string { return fmt.Sprintf("%.2f µs", ns/1000) }

func times(ratio float64) string {
	if ratio >= 100 {
		return fmt.Sprintf("%.0f ×", ratio)
	}
	return fmt.Sprintf("%.2f ×", ratio)
}
