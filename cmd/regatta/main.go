// Command regatta runs the demo: ./dev demo builds and starts it.
package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"turnvex.example/turnvex/internal/tool/demo"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root, err := os.Getwd()
	if err == nil {
		listen := os.Getenv("TURNVEX_LISTEN")
		if listen == "" {
			listen = "127.0.0.1:7420"
		}
		log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
		err = demo.Run(ctx, demo.Options{Root: root, Listen: listen, Out: os.Stdout, Log: log})
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "the demo:", err)
		os.Exit(1)
	}
}
