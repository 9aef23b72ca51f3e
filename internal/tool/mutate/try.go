package mutate

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/tools/cover"
)

// verdict says what came of a mutant.
type verdict string

// The verdicts. What does not compile counts for nothing.
const (
	killed   verdict = "killed"
	survived verdict = "survived"
	unseen   verdict = "survived: no test comes here"
	invalid  verdict = "invalid"
	late     verdict = "killed by time" // a loop that does not end is noticed too
)

// tests are packages that are run together over a mutant.
type tests struct {
	packages []string
	within   time.Duration // ten times as long as they take over the code as it is
	reached  []*cover.Profile
}

// try runs these tests as they are: how long they take, and which code of the room they reach.
func (t *tests) try(ctx context.Context, r *room) error {
	dir, err := os.MkdirTemp("", "mutant")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	profile := filepath.Join(dir, "reached")
	t.within = 5 * time.Minute
	began := time.Now()
	out, err := t.run(ctx, "-count=1", "-coverpkg", "./internal/"+r.name, "-coverprofile", profile)
	if err != nil {
		return fmt.Errorf("the tests of %s fail over the code as it is: %w\n%s", r.name, err, out)
	}
	t.within = max(10*time.Second, 10*time.Since(began))
	t.reached, err = cover.ParseProfiles(profile)
	return err
}

// reach tells whether a test of these comes to where a mutant is. What belongs to no function counts as reached.
func (t *tests) reach(m *mutant) bool {
	inside := false
	for _, p := range t.reached {
		if !strings.HasSuffix(p.FileName, m.file) {
			continue
		}
		for _, b := range p.Blocks {
			after := m.line > b.StartLine || m.line == b.StartLine && m.column >= b.StartCol
			before := m.line < b.EndLine || m.line == b.EndLine && m.column < b.EndCol
			if after && before {
				if b.Count > 0 {
					return true
				}
				inside = true
			}
		}
	}
	return !inside
}

func (t *tests) run(ctx context.Context, flags ...string) ([]byte, error) {
	args := []string{"test", "-short", "-failfast", "-vet=off", "-ldflags=-s -w", "-timeout", t.within.String()}
	args = append(args, flags...)
	for _, p := range t.packages {
		args = append(args, "./internal/"+p)
	}
	return exec.CommandContext(ctx, "go", args...).CombinedOutput()
}

// try runs the tests over a mutant, those of the room first.
func (m *mutant) try(ctx context.Context) verdict {
	dir, err := os.MkdirTemp("", "mutant")
	if err != nil {
		return invalid
	}
	defer os.RemoveAll(dir)
	path, _ := filepath.Abs(m.file)
	changed := filepath.Join(dir, "changed.go")
	overlay, _ := json.Marshal(map[string]any{"Replace": map[string]string{path: changed}})
	os.WriteFile(changed, m.source(), 0o644)
	os.WriteFile(filepath.Join(dir, "overlay.json"), overlay, 0o644)
	build := exec.CommandContext(ctx, "go", "build", "-overlay", filepath.Join(dir, "overlay.json"),
		"./"+filepath.Dir(m.file))
	if build.Run() != nil {
		return invalid
	}
	came := unseen
	for _, t := range m.room.tests {
		if !t.reach(m) {
			continue
		}
		out, err := t.run(ctx, "-overlay", filepath.Join(dir, "overlay.json"))
		switch {
		case ctx.Err() != nil:
			return invalid
		case err == nil:
			came = survived
		case bytes.Contains(out, []byte("test timed out")):
			return late
		default:
			return killed
		}
	}
	return came
}
