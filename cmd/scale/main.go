// Command scale measures what one node bears, and what many nodes would ask of a database.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"strconv"

	"turnvex.example/turnvex/internal/tool/scale"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	nodes, lobbies := 200, 1_000_000
	for i, into := range []*int{&nodes, &lobbies} {
		if len(os.Args) <= i+1 {
			break
		}
		n, err := strconv.Atoi(os.Args[i+1])
		if err != nil || n < 2 || n > 10_000_000 {
			fmt.Fprintf(os.Stderr, "scale: %q is not how many nodes, or lobbies, from 2 to 10000000\n", os.Args[i+1])
			os.Exit(2)
		}
		*into = n
	}
	if err := scale.Run(ctx, os.Stdout, nodes, lobbies); err != nil {
		fmt.Fprintln(os.Stderr, "scale:", err)
		os.Exit(1)
	}
}
