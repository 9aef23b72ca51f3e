package walk_test

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
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

// TestOneIntentsWalk counts what one intent runs through.
func TestOneIntentsWalk(t *testing.T) {
	dir := t.TempDir()
	program := filepath.Join(dir, "walk")
	const rooms = "turnvex.example/turnvex/internal/core/...,turnvex.example/turnvex/internal/wire/...,turnvex.example/turnvex/internal/live/...,turnvex.example/turnvex/internal/node/...,turnvex.example/turnvex/cmd/walk"
	build := exec.CommandContext(t.Context(), "go", "build", "-cover", "-covermode=atomic", "-coverpkg="+rooms, "-o", program, "turnvex.example/turnvex/cmd/walk")
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
	files := map[string]bool{}
	for _, f := range all {
		files[f.File] = true
		t.Log(f.File, f.Name)
	}
	t.Log(len(files), len(all))
}
