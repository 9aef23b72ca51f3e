// Command docs writes the pages that are made from the code: ./dev docs calls it.
package main

import (
	"fmt"
	"os"

	"turnvex.example/turnvex/internal/tool/pages"
)

func main() {
	if err := pages.Write(); err != nil {
		fmt.Fprintln(os.Stderr, "docs:", err)
		os.Exit(1)
	}
}
