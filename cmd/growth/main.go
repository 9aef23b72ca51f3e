// Command growth fills databases with results and prints what lists read of each.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"strconv"

	"turnvex.example/turnvex/internal/tool/growth"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	sizes := []int{100_000, 1_000_000}
	if len(os.Args) > 1 {
		sizes = nil
	}
	for _, a := range os.Args[1:] {
		n, err := strconv.Atoi(a)
		if err != nil || n < 1000 || n > 100_000_000 {
			fmt.Fprintf(os.Stderr, "growth: %q is not a number of results from 1000 to 100000000\n", a)
			os.Exit(2)
		}
		sizes = append(sizes, n)
	}
	if err := growth.Run(ctx, os.Stdout, sizes); err != nil {
		fmt.Fprintln(os.Stderr, "growth:", err)
		os.Exit(1)
	}
}
