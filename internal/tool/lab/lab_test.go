package lab

import (
	"bytes"
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/tool/demo"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/trial"
)

func TestMain(m *testing.M) {
	if len(os.Args) > 1 && os.Args[1] == "-part" { // of a work that a test tries
		os.Exit(Main(context.Background(), os.Args[1:], os.Stdout, os.Stderr))
	}
	if err := os.Chdir("../../.."); err != nil {
		panic(err)
	}
	os.Exit(m.Run())
}

// TestEveryWorkRuns: the short form of every work, and of each row of it, comes to its end.
func TestEveryWorkRuns(t *testing.T) {
	t.Parallel()
	wants := map[string][]string{
		"bench":  {"core-tick", "joins and leaves a second", "heap ten minutes later"},
		"scale":  {"leases: renewals", "take-over of a node's lobbies"},
		"growth": {"2000 results", "board_entries          1000        500            0", "one device made 1 rows"},
		"siege":  {"bodies"},
		"deaths": {"2 deaths", "0 wrong", "are alive there"},
		"mutate": {"core/ground"},
		"count":  {"internal/tool/lab", "all"},
		"words":  {"keys with", "update"},
		"docs":   {"docs/protocol.md"},
		"size":   {"turnvex.example/turnvex ", "github.com/nats-io/nats-server/v2", "all"},
	}
	for _, w := range works {
		if w.name == "shots" { // which needs the demo, and a while until it shows enough
			continue
		}
		t.Run(w.name, func(t *testing.T) {
			t.Parallel()
			args := []string{w.name, "-short"}
			switch w.name {
			case "docs":
				args = append(args, "-root", copyOfDocs(t))
			case "size":
				args = append(args, regatta(t))
			}
			var out, errs bytes.Buffer
			began := time.Now()
			if Main(trial.Within(t, 2*time.Minute), args, &out, &errs) != 0 {
				t.Fatalf("%s%s", &out, &errs)
			}
			t.Logf("%s took %s", w.name, time.Since(began).Round(time.Millisecond))
			for _, want := range wants[w.name] {
				if !strings.Contains(out.String(), want) {
					t.Errorf("%q is missing in:\n%s", want, &out)
				}
			}
		})
	}
}

// copyOfDocs is a folder into which pages can be written; what is written must be what is there.
func copyOfDocs(t *testing.T) string {
	root := t.TempDir()
	pages := []string{"docs", "clients/typescript/src", "internal/node/store"}
	for _, dir := range append(pages, "internal/core/lobby/testdata", "internal/node/service/testdata") {
		if err := os.MkdirAll(filepath.Join(root, dir), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	read, _ := filepath.Glob("internal/core/lobby/testdata/*")
	for _, file := range append(read, "internal/node/service/testdata/duel.yaml", "internal/node/store/models.go",
		"internal/node/store/settings.go") {
		if data, err := os.ReadFile(file); err != nil || os.WriteFile(filepath.Join(root, file), data, 0o644) != nil {
			t.Fatal(err)
		}
	}
	t.Cleanup(func() {
		for _, dir := range pages {
			files, _ := os.ReadDir(filepath.Join(root, dir))
			for _, f := range files {
				got, _ := os.ReadFile(filepath.Join(root, dir, f.Name()))
				if is, err := os.ReadFile(filepath.Join(dir, f.Name())); err != nil || !bytes.Equal(got, is) {
					t.Errorf("%s/%s is not what ./dev docs writes: %v", dir, f.Name(), err)
				}
			}
		}
	})
	return root
}

// TestHelpOnlyPrints: -h of each program and work prints what it is for, and does nothing.
func TestHelpOnlyPrints(t *testing.T) {
	for _, w := range works {
		var out, errs bytes.Buffer
		if s := Main(t.Context(), []string{w.name, "-h"}, &out, &errs); s != 0 || errs.Len() > 0 ||
			!strings.Contains(out.String(), w.what) || !strings.Contains(out.String(), "-short") {
			t.Errorf("%s -h: %d, %s%s", w.name, s, &out, &errs)
		}
		if s := Main(t.Context(), []string{w.name, "-nope"}, &out, &errs); s != 2 {
			t.Errorf("%s -nope: %d", w.name, s)
		}
	}
	cmd := exec.CommandContext(t.Context(), regatta(t), "-h")
	dir := filepath.Dir(cmd.Path)
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	if err != nil || !bytes.Contains(out, []byte("-listen")) {
		t.Errorf("regatta -h: %v\n%s", err, out)
	}
	if files, _ := os.ReadDir(dir); len(files) != 1 {
		t.Errorf("regatta -h left %v", files)
	}
}

// regatta builds the demo's program, in a folder of its own.
func regatta(t *testing.T) string {
	program := filepath.Join(t.TempDir(), "regatta")
	build := exec.CommandContext(t.Context(), "go", "build", "-o", program, "./cmd/regatta")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	return program
}

// TestDemoIsPlayed: the demo starts, its skiffs play a match to its saved end, and it stops.
func TestDemoIsPlayed(t *testing.T) {
	t.Parallel()
	root, err := filepath.Abs(".")
	if err != nil {
		t.Fatal(err)
	}
	data, err := os.MkdirTemp(pgbox.Folder(root), "demo-test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(data) })
	os.Chmod(data, 0o755)
	var out bytes.Buffer
	if err := demo.Run(trial.Within(t, 5*time.Minute), demo.Options{Root: root, Data: data, Short: true,
		Listen: "127.0.0.1:0", Out: &out}); err != nil {
		t.Fatalf("%v\n%s", err, &out)
	}
	for _, want := range []string{"The Lantern Regatta is running", "/#key=", "Stopping PostgreSQL"} {
		if !strings.Contains(out.String(), want) {
			t.Errorf("%q is missing in:\n%s", want, &out)
		}
	}
}

// TestNumbers: what is not a number in range is refused, and so is one too many.
func TestNumbers(t *testing.T) {
	a, b := 1, 2
	if err := field.Numbers([]string{"7"}, 1, 9, &a, &b); err != nil || a != 7 || b != 2 {
		t.Error(a, b, err)
	}
	for _, bad := range [][]string{{"0"}, {"10"}, {"x"}, {"1", "2", "3"}} {
		if field.Numbers(bad, 1, 9, &a, &b) == nil {
			t.Errorf("%q is taken", bad)
		}
	}
}
