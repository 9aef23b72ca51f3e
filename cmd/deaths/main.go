// Command deaths kills a node under load, again and again, and checks after each start that
// nothing that was acknowledged is lost: ./dev deaths calls it. The argument is how often.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"turnvex.example/turnvex/internal/tool/deaths"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := deaths.Main(ctx, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "deaths:", err)
		os.Exit(1)
	}
}
