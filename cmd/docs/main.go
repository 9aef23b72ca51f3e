// Command docs writes the pages of the documentation that are made from the
// code: ./dev docs calls it.
package main

import (
	"fmt"
	"os"

	"turnvex/internal/api"
	"turnvex/internal/code"
	"turnvex/internal/rulebook"
	"turnvex/internal/wire"
)

func main() {
	schema, err := wire.Schema()
	if err != nil {
		fmt.Fprintln(os.Stderr, "docs:", err)
		os.Exit(1)
	}
	for file, text := range map[string]string{"docs/protocol.md": wire.Page(), "docs/protocol.schema.json": string(schema) + "\n", "docs/rulebook.md": rulebook.Reference(), "docs/errors.md": code.Page(), "docs/http.md": string(api.Page())} {
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			fmt.Fprintln(os.Stderr, "docs:", err)
			os.Exit(1)
		}
		fmt.Println(file)
	}
}
