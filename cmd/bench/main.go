// Command bench runs the benchmarks: ./dev bench calls it. Arguments choose some
// by the beginning of their names.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"
	"testing"

	"turnvex.example/turnvex/internal/tool/bench"
	"turnvex.example/turnvex/internal/tool/deaths"
)

func main() {
	if bench.Child() {
		return
	}
	if len(os.Args) > 1 && os.Args[1] == "-node" { // a node of the benchmark recovery, which is killed
		ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
		defer stop()
		if err := deaths.Main(ctx, os.Args[1:]); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	testing.Init()
	if err := bench.Run(os.Stdout, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}
