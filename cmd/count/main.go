// Command count counts lines of code and of tests: ./dev count calls it.
package main

import (
	"fmt"
	"os"

	"turnvex.example/turnvex/internal/tool/count"
)

func main() {
	if err := count.Print(); err != nil {
		fmt.Fprintln(os.Stderr, "count:", err)
		os.Exit(1)
	}
}
