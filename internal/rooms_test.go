// Package internal holds the rooms that docs/architecture.md explains. What follows holds them to their places.
package internal

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

const module = "turnvex.example/turnvex/"

// What the core may not import, and the modules that it may.
var (
	outside = []string{"net", "os", "io/ioutil", "log", "database", "sync", "context", "syscall", "testing", "runtime",
		"embed"}
	modules = []string{"cel.dev/cel-go", "github.com/goccy/go-yaml", "github.com/cespare/xxhash",
		"github.com/agnivade/levenshtein", "golang.org/x/text/unicode/norm"}
)

// room is a package and what of the project it imports.
type room struct {
	name    string // below the module
	imports []string
}

// rooms lists every package of the module.
func rooms(t *testing.T) (out []room) {
	t.Helper()
	list, err := exec.Command("go", "list", "-f", `{{.ImportPath}}{{range .Imports}} {{.}}{{end}}`, module+"...").
		Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, line := range strings.Split(strings.TrimSpace(string(list)), "\n") {
		words := strings.Fields(line)
		r := room{name: strings.TrimPrefix(words[0], module)}
		if strings.HasPrefix(r.name, "bin/") { // what another test is building now
			continue
		}
		for _, im := range words[1:] {
			if own, is := strings.CutPrefix(im, module); is {
				r.imports = append(r.imports, own)
			}
		}
		out = append(out, r)
	}
	return out
}

// TestArchitectureNamesEveryRoom compares docs/architecture.md with what there is: each package has a line, and each
// line a package.
func TestArchitectureNamesEveryRoom(t *testing.T) {
	page, err := os.ReadFile("../docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	var named []string
	for _, line := range strings.Split(string(page), "\n") {
		if cell, is := strings.CutPrefix(line, "| `"); is {
			name, _, _ := strings.Cut(cell, "`")
			named = append(named, name)
		}
	}
	for _, r := range rooms(t) {
		if r.name != "internal" && !slices.Contains(named, r.name) {
			t.Errorf("docs/architecture.md does not name the room %s", r.name)
		}
		named = slices.DeleteFunc(named, func(n string) bool { return n == r.name })
	}
	for _, n := range named {
		if strings.Contains(n, "/") && !strings.Contains(n, " ") {
			t.Errorf("docs/architecture.md names %s, which is no room", n)
		}
	}
}

// TestImportsGoDown: each layer imports only itself and what lies below it.
func TestImportsGoDown(t *testing.T) {
	below := map[string][]string{
		"internal/core": {"internal/core/"},
		"internal/wire": {"internal/core/", "internal/wire"},
		"internal/live": {"internal/core/", "internal/wire", "internal/live/"},
		"internal/node": {"internal/core/", "internal/wire", "internal/live/", "internal/node/"},
		"client":        {"internal/core/", "internal/wire", "internal/live/rough", "client"},
	}
	for _, r := range rooms(t) {
		for layer, allowed := range below {
			if !strings.HasPrefix(r.name, layer) {
				continue
			}
			for _, im := range r.imports {
				if !slices.ContainsFunc(allowed, func(a string) bool { return strings.HasPrefix(im, a) }) {
					t.Errorf("%s imports %s", r.name, im)
				}
			}
		}
		if strings.HasPrefix(r.name, "internal/core/match") && slices.Contains(r.imports, "internal/core/lobby") {
			t.Error("the match knows of its lobby")
		}
	}
}

// TestCoreKeepsToItself holds the core to its rule: nothing of sockets, databases, goroutines, clocks, logging or
// chance from outside.
func TestCoreKeepsToItself(t *testing.T) {
	files, err := filepath.Glob("core/*/*.go")
	if err != nil || len(files) < 50 {
		t.Fatalf("the core has %d files: %v", len(files), err)
	}
	for _, file := range files {
		if !strings.HasSuffix(file, "_test.go") {
			checkCoreFile(t, file)
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
		switch {
		case path == "embed" && strings.HasSuffix(fs.Position(im.Pos()).Filename, "core/zone/zone.go"): // data alone
		case strings.HasPrefix(path, module):
		case strings.Contains(first, ".") && !slices.ContainsFunc(modules,
			func(m string) bool { return strings.HasPrefix(path, m) }):
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
			clock := x.Name == "time" &&
				!slices.Contains([]string{"ParseDuration", "Duration", "Millisecond", "Second", "Parse", "DateOnly",
					"LoadLocationFromTZData", "Time", "Month", "Location", "Date", "UTC"}, n.Sel.Name)
			chance := x.Name == "rand" &&
				!slices.Contains([]string{"New", "NewPCG", "Rand", "PCG", "NewChaCha8", "ChaCha8"}, n.Sel.Name)
			if clock || chance {
				t.Errorf("%s uses %s.%s", fs.Position(n.Pos()), x.Name, n.Sel.Name)
			}
		}
		return true
	})
}

// TestGoroutinesAreSafe: what a node does in goroutines of their own begins in package safe, so that a fault in one of
// them does not end the process unasked. Timers count, too.
func TestGoroutinesAreSafe(t *testing.T) {
	for _, dir := range []string{"node", "live"} {
		err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") ||
				strings.Contains(path, "live/safe/") || strings.Contains(path, "memdb/") {
				return err
			}
			fset := token.NewFileSet()
			f, err := parser.ParseFile(fset, path, nil, 0)
			if err != nil {
				return err
			}
			ast.Inspect(f, func(n ast.Node) bool {
				bare := false
				switch n := n.(type) {
				case *ast.GoStmt:
					bare = true
				case *ast.SelectorExpr:
					x, _ := n.X.(*ast.Ident)
					bare = n.Sel.Name == "AfterFunc" || n.Sel.Name == "Go" && (x == nil || x.Name != "safe")
				}
				if bare {
					t.Errorf("%s begins a goroutine without package safe", fset.Position(n.Pos()))
				}
				return true
			})
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}

// TestLinesFit holds lines to 120 columns, a tab counting as 4; texts that are written as they are (in backquotes) and
// pages that are made from the code may be longer.
func TestLinesFit(t *testing.T) {
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if name := d.Name(); d.IsDir() {
			made := slices.Contains([]string{"node_modules", "dist", "assets"}, name)
			if made || name != ".." && strings.HasPrefix(name, ".") {
				return filepath.SkipDir
			}
			return nil
		}
		if !slices.Contains([]string{".go", ".ts", ".tsx", ".py"}, filepath.Ext(path)) || d.Name() == "messages.ts" {
			return nil
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		asItIs := false
		for i, line := range strings.Split(string(data), "\n") {
			text := asItIs || strings.Contains(line, "`")
			asItIs = asItIs != (strings.Count(line, "`")%2 == 1)
			if n := len([]rune(strings.ReplaceAll(line, "\t", "    "))); n > 120 && !text {
				t.Errorf("%s:%d has %d columns", path, i+1, n)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
