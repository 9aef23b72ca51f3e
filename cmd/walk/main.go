// Command walk plays the match of which the walk of one intent is counted, over the database and into the folder that
// it is given. It is built with go build -cover.
package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"turnvex.example/turnvex/internal/tool/walk"
)

func main() {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	if err := walk.Run(ctx, os.Args[1], os.Args[2]); err != nil {
		fmt.Fprintln(os.Stderr, "walk:", err)
		os.Exit(1)
	}
}
