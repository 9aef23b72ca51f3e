package walk_test

import (
	"context"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/walk"
)

var database string

func TestMain(m *testing.M) {
	os.Exit(pgbox.Tests(m.Run, func(_ context.Context, address string) error {
		database = address
		return nil
	}))
}

// TestOneIntentsWalk counts what one intent runs through, and holds docs/architecture.md to it.
func TestOneIntentsWalk(t *testing.T) {
	dir := t.TempDir()
	program := filepath.Join(dir, "walk")
	const module = "turnvex.example/turnvex/"
	const rooms = module + "internal/core/...," + module + "internal/wire/...," + module + "internal/live/...," +
		module + "internal/node/...," + module + "cmd/walk"
	build := exec.CommandContext(t.Context(), "go", "build", "-cover", "-covermode=atomic", "-coverpkg="+rooms, "-o",
		program, "turnvex.example/turnvex/cmd/walk")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%s: %v", out, err)
	}
	if out, err := exec.CommandContext(t.Context(), program, database, dir).CombinedOutput(); err != nil {
		t.Fatalf("%s: %v", out, err)
	}
	all, err := walk.Beyond(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	files, functions := map[string]bool{}, map[string]bool{}
	for _, f := range all {
		files[f.File] = true
		functions[path.Base(path.Dir(f.File))+"/"+path.Base(f.File)+" "+f.Name] = true
	}
	if len(files) > 14 || len(functions) > 45 {
		t.Errorf("one intent runs through %d files and %d functions", len(files), len(functions))
	}
	told := inArchitecture(t)
	for f := range functions {
		if !told[f] {
			t.Errorf("docs/architecture.md does not name %s", f)
		}
	}
	for f := range told {
		if !functions[f] {
			t.Errorf("docs/architecture.md names %s, which an intent does not run through", f)
		}
	}
}

// inArchitecture reads the walk from docs/architecture.md: lines that begin with a file, and the functions in it.
func inArchitecture(t *testing.T) map[string]bool {
	page, err := os.ReadFile("../../../docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	_, section, _ := strings.Cut(string(page), "\n## The walk of one intent\n")
	section, _, _ = strings.Cut(section, "\n## ")
	told := map[string]bool{}
	for _, line := range regexp.MustCompile(`(?m)^   - (\S+\.go):((?:\s+`+"`[^`]+`"+`,?)+)`).FindAllStringSubmatch(section, -1) {
		for _, f := range strings.Split(line[2], ",") {
			told[line[1]+" "+strings.Trim(f, " \n`")] = true
		}
	}
	return told
}
