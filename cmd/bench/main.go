// Command bench runs the benchmarks: ./dev bench calls it. Arguments choose some
// by the beginning of their names.
package main

import (
	"fmt"
	"os"
	"testing"

	"turnvex.example/turnvex/internal/tool/bench"
)

func main() {
	if bench.Child() {
		return
	}
	testing.Init()
	if err := bench.Run(os.Stdout, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}
