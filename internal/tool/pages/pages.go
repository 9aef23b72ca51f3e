// Package pages writes the pages of the documentation that are made from the code.
package pages

import (
	_ "embed"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/api"
	"turnvex.example/turnvex/internal/tool/claims"
	"turnvex.example/turnvex/internal/wire/spec"
)

// database is the page on the database without its list of tables.
//
//go:embed database.md
var database string

// Write writes every page below a folder.
func Write(w io.Writer, root string) error {
	schema, err := spec.Schema()
	if err != nil {
		return err
	}
	openAPI, err := api.OpenAPI()
	if err != nil {
		return err
	}
	calls, err := spec.Routes(openAPI)
	if err != nil {
		return err
	}
	all, err := tables(root)
	if err != nil {
		return err
	}
	claimed, _, err := claims.Page(filepath.Join(root, "internal/core/lobby/testdata"))
	if err != nil {
		return err
	}
	for file, text := range map[string]string{"docs/protocol.md": spec.Page(),
		"docs/protocol.schema.json": string(schema) + "\n", "clients/typescript/src/messages.ts": spec.TypeScript(),
		"docs/rulebook.md": rulebook.Reference(), "docs/keys.md": claimed, "docs/errors.md": code.Page(),
		"docs/http.md":      string(api.Page()),
		"docs/openapi.json": string(openAPI) + "\n", "clients/typescript/src/routes.ts": calls,
		"docs/netcode-others.svg": othersPlot(), "docs/netcode-own.svg": ownPlot(),
		"docs/database.md": database + schemaPage(all), "internal/node/store/comments.sql": comments(all)} {
		if err := os.WriteFile(filepath.Join(root, file), []byte(text), 0o644); err != nil {
			return err
		}
		fmt.Fprintln(w, file)
	}
	return nil
}
