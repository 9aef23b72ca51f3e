// Command regatta runs the demo: ./dev demo builds and starts it.
package main

import (
	"cmp"
	"context"
	"flag"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"turnvex.example/turnvex/internal/tool/demo"
)

func main() {
	o := demo.Options{Root: ".", Out: os.Stdout,
		Log: slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))}
	flag.StringVar(&o.Listen, "listen", cmp.Or(os.Getenv("TURNVEX_LISTEN"), "127.0.0.1:7420"),
		"the `address` of the service (environment TURNVEX_LISTEN)")
	flag.StringVar(&o.Data, "data", "", "the `folder` of the database and the operator's key; default: .turnvex")
	flag.BoolVar(&o.Short, "short", false, "stop as soon as a match has ended and its result is saved")
	flag.Usage = func() {
		fmt.Println("./dev demo [flags]: start the Lantern Regatta and keep it running until Ctrl-C")
		flag.CommandLine.SetOutput(os.Stdout)
		flag.PrintDefaults()
	}
	flag.Parse()
	if flag.NArg() > 0 {
		fmt.Fprintf(os.Stderr, "the demo: %q is too much: no arguments are expected\n", flag.Args())
		os.Exit(2)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := demo.Run(ctx, o); err != nil {
		fmt.Fprintln(os.Stderr, "the demo:", err)
		os.Exit(1)
	}
}
