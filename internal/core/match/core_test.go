package match_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// The core's packages, and what they may import beside each other.
var (
	core    = []string{"sheet", "expr", "ground", "code", "rulebook", "match", "replica"}
	outside = []string{"net", "os", "io/ioutil", "log", "database", "sync", "context", "syscall", "testing", "runtime", "embed"}
	modules = []string{"cel.dev/cel-go", "github.com/goccy/go-yaml", "github.com/cespare/xxhash", "github.com/agnivade/levenshtein"}
)

// TestCoreKeepsToItself holds the core to its rule: nothing of sockets, databases,
// goroutines, clocks, logging or chance from outside.
func TestCoreKeepsToItself(t *testing.T) {
	for _, pkg := range core {
		files, err := filepath.Glob("../" + pkg + "/*.go")
		if err != nil || len(files) == 0 {
			t.Fatalf("%s has no files: %v", pkg, err)
		}
		for _, file := range files {
			if !strings.HasSuffix(file, "_test.go") {
				checkCoreFile(t, file)
			}
		}
	}
}

func checkCoreFile(t *testing.T, file string) {
	fs := token.NewFileSet()
	f, err := parser.ParseFile(fs, file, nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	for _, im := range f.Imports {
		path, _ := strconv.Unquote(im.Path.Value)
		first, _, _ := strings.Cut(path, "/")
		own, isOwn := strings.CutPrefix(path, "turnvex/internal/")
		switch {
		case isOwn && !slices.Contains(core, own):
			t.Errorf("%s imports %s, which is not of the core", fs.Position(im.Pos()), path)
		case !isOwn && strings.Contains(first, ".") && !slices.ContainsFunc(modules, func(m string) bool { return strings.HasPrefix(path, m) }):
			t.Errorf("%s imports the module %s", fs.Position(im.Pos()), path)
		case slices.Contains(outside, path), slices.Contains(outside, first) && !strings.Contains(first, "."):
			t.Errorf("%s imports %s", fs.Position(im.Pos()), path)
		}
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.GoStmt:
			t.Errorf("%s starts a goroutine", fs.Position(n.Pos()))
		case *ast.SelectorExpr:
			x, ok := n.X.(*ast.Ident)
			if !ok || x.Obj != nil {
				return true
			}
			what := x.Name + "." + n.Sel.Name
			clock := x.Name == "time" && !slices.Contains([]string{"ParseDuration", "Duration", "Millisecond", "Second"}, n.Sel.Name)
			chance := x.Name == "rand" && !slices.Contains([]string{"New", "NewPCG", "Rand", "PCG"}, n.Sel.Name)
			if clock || chance {
				t.Errorf("%s uses %s", fs.Position(n.Pos()), what)
			}
		}
		return true
	})
}
