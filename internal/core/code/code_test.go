package code_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"strconv"
	"testing"

	"turnvex.example/turnvex/internal/core/code"
)

// TestEveryCodeIsExplained: no constant without an entry, no entry twice, and the page is the present one.
func TestEveryCodeIsExplained(t *testing.T) {
	f, err := parser.ParseFile(token.NewFileSet(), "code.go", nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	entries := map[code.Code]int{}
	for _, e := range code.All {
		if entries[e.Code]++; entries[e.Code] > 1 || e.Meaning == "" || e.Status < 400 {
			t.Errorf("the entry %+v", e)
		}
	}
	ast.Inspect(f, func(n ast.Node) bool {
		v, ok := n.(*ast.ValueSpec)
		if !ok || len(v.Values) != 1 {
			return true
		}
		if id, ok := v.Type.(*ast.Ident); !ok || id.Name != "Code" {
			return true
		}
		text, _ := strconv.Unquote(v.Values[0].(*ast.BasicLit).Value)
		if text != "" && entries[code.Code(text)] == 0 {
			t.Errorf("%s (%q) has no entry", v.Names[0].Name, text)
		}
		return true
	})
	if page, err := os.ReadFile("../../../docs/errors.md"); err != nil || string(page) != code.Page() {
		t.Errorf("docs/errors.md is not the present one; ./dev docs writes it (%v)", err)
	}
}
