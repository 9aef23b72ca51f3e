// Command shots takes the pictures of the console: ./dev shots calls it.
package main

import (
	"fmt"
	"os"

	"turnvex.example/turnvex/internal/tool/shots"
)

func main() {
	if err := shots.Run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}
