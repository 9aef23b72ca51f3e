// Command siege attacks a node of its own and says what it cost and what a match felt:
// ./dev siege calls it. Arguments choose some attacks by the beginning of their names.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"turnvex.example/turnvex/internal/tool/siege"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := siege.Main(ctx, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "siege:", err)
		os.Exit(1)
	}
}
