package internal

import (
	"go/types"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/go/packages"
)

// What a type may have, so that one can hold it in the head: methods, promoted ones and functions that take it as an
// argument counted; and fields, where it has methods that change it.
const (
	mostMethods = 60
	mostFields  = 25
)

// plainData are types whose methods only read.
var plainData = []string{"core/sheet.Field", "core/rulebook.Book"}

// TestTypesCanBeHeldInTheHead counts methods and fields of every type of the core and of a node.
func TestTypesCanBeHeldInTheHead(t *testing.T) {
	for _, p := range loaded(t, "./core/...", "./node/...") {
		takes := map[*types.TypeName]int{} // functions of the package that take the whole
		for _, name := range p.Types.Scope().Names() {
			f, is := p.Types.Scope().Lookup(name).(*types.Func)
			if !is {
				continue
			}
			for v := range f.Signature().Params().Variables() {
				if n := named(v.Type()); n != nil && n.Obj().Pkg() == p.Types {
					takes[n.Obj()]++
				}
			}
		}
		for _, name := range p.Types.Scope().Names() {
			obj, is := p.Types.Scope().Lookup(name).(*types.TypeName)
			if !is || obj.IsAlias() {
				continue
			}
			n, is := obj.Type().(*types.Named)
			if !is || types.IsInterface(n) {
				continue
			}
			methods := takes[obj]
			for m := range types.NewMethodSet(types.NewPointer(n)).Methods() { // those of a library it embeds aside
				if strings.HasPrefix(m.Obj().Pkg().Path(), module) {
					methods++
				}
			}
			fields := 0
			at := strings.TrimPrefix(p.PkgPath, "turnvex.example/turnvex/internal/") + "." + name
			s, is := n.Underlying().(*types.Struct)
			if is && n.NumMethods() > 0 && !slices.Contains(plainData, at) {
				fields = s.NumFields()
			}
			if methods > mostMethods || fields > mostFields {
				t.Errorf("%s has %d methods and %d fields, at most %d and %d are allowed", at, methods, fields,
					mostMethods, mostFields)
			}
		}
	}
}

// TestNoPartReachesTheWhole: no part of a match, or of a lobby in the core or in a hall, leads, over its fields, to the
// whole or to a part that stands behind it: those it knows as interfaces alone.
func TestNoPartReachesTheWhole(t *testing.T) {
	reachesNot(t, "./core/match", "Match", "stage", 20)
	reachesNot(t, "./core/lobby", "Lobby", "room", 8)
	reachesNot(t, "./node/hall", "Lobby", "room", 7)
}

func reachesNot(t *testing.T, pkg, name, first string, least int) {
	t.Helper()
	p := loaded(t, pkg)[0]
	whole := p.Types.Scope().Lookup(name).Type().(*types.Named)
	order := []string{}
	s := whole.Underlying().(*types.Struct)
	for f := range s.Fields() { // the parts stand first
		n := named(f.Type())
		if n == nil || n.Obj().Pkg() != p.Types {
			break
		}
		order = append(order, n.Obj().Name())
	}
	if len(order) < least || order[0] != first {
		t.Fatalf("the parts of %s are %v", name, order)
	}
	for i, name := range order {
		part := p.Types.Scope().Lookup(name).Type().(*types.Named)
		var reach func(n *types.Named, seen map[*types.Named]bool)
		reach = func(n *types.Named, seen map[*types.Named]bool) {
			if seen[n] {
				return
			}
			seen[n] = true
			st, is := n.Underlying().(*types.Struct)
			if !is {
				return
			}
			for f := range st.Fields() {
				to := named(f.Type())
				if to == nil || to.Obj().Pkg() != p.Types || to.Obj().Name() == "Hall" { // which all lobbies share
					continue
				}
				if to == whole || slices.Index(order, to.Obj().Name()) >= i && to != part {
					t.Errorf("%s reaches %s by the field %s of %s", name, to.Obj().Name(), f.Name(), n.Obj().Name())
				}
				reach(to, seen)
			}
		}
		reach(part, map[*types.Named]bool{})
	}
}

// loaded are packages with their types.
func loaded(t *testing.T, patterns ...string) []*packages.Package {
	t.Helper()
	all, err := packages.Load(&packages.Config{Mode: packages.NeedName | packages.NeedTypes | packages.NeedImports |
		packages.NeedDeps | packages.NeedExportFile}, patterns...)
	if err != nil || packages.PrintErrors(all) > 0 {
		t.Fatal(err)
	}
	return all
}

// named is the type behind pointers, lists and maps, if it has a name.
func named(t types.Type) *types.Named {
	switch x := t.(type) {
	case *types.Named:
		return x
	case interface{ Elem() types.Type }:
		return named(x.Elem())
	}
	return nil
}

// TestContributingNamesWhatThereIs: files, folders and tests that CONTRIBUTING.md names are there.
func TestContributingNamesWhatThereIs(t *testing.T) {
	page, err := os.ReadFile("../CONTRIBUTING.md")
	if err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile("`((?:internal|console|docs)/[a-zA-Z0-9_/.]+)`|\\]\\((docs/[a-z.]+)\\)").
		FindAllStringSubmatch(string(page), -1)
	for _, m := range named {
		if name := m[1] + m[2]; name != "" {
			if _, err := os.Stat("../" + name); err != nil {
				t.Errorf("CONTRIBUTING.md names %s: %v", name, err)
			}
		}
	}
	if len(named) < 15 {
		t.Errorf("CONTRIBUTING.md names %d files", len(named))
	}
}
