package deaths_test

import (
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/live/point"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestEveryPoint: a node that dies between any two of deciding, keeping, carrying out and telling loses nothing that
// was acknowledged, and nothing counts twice.
func TestEveryPoint(t *testing.T) {
	root, err := filepath.Abs("../../..")
	if err != nil {
		t.Fatal(err)
	}
	ctx := trial.Within(t, 8*time.Minute)
	run := func(args ...string) string {
		cmd := exec.CommandContext(ctx, args[0], args[1:]...)
		cmd.Dir = root
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("%v: %v\n%s", args, err, out)
		}
		return string(out)
	}
	bin := filepath.Join(t.TempDir(), "lab")
	run("go", "build", "-tags", "points", "-o", bin, "./cmd/lab")
	out := run(bin, "deaths", "-short", "1", "1")
	for _, at := range point.All {
		if !strings.Contains(out, "  "+at) {
			t.Errorf("it did not die at %s:\n%s", at, out)
		}
	}
}
