// Command lab measures, attacks and documents Turnvex: ./dev calls it.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"turnvex.example/turnvex/internal/tool/lab"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	os.Exit(lab.Main(ctx, os.Args[1:], os.Stdout, os.Stderr))
}
