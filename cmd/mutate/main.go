// Command mutate sees whether tests notice small changes: ./dev mutate calls it.
package main

import (
	"context"
	"fmt"
	"os"

	"turnvex.example/turnvex/internal/tool/mutate"
)

func main() {
	if err := mutate.Run(context.Background(), os.Stdout, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "mutate:", err)
		os.Exit(1)
	}
}
