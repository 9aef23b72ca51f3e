// Command turnvex is the service and its command line.
package main

import (
	"os"

	"turnvex.example/turnvex/internal/tool/cli"
)

func main() {
	os.Exit(cli.Main(os.Args[1:], &cli.Terminal{In: os.Stdin, Out: os.Stdout, Err: os.Stderr}))
}
