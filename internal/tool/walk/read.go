package walk

import (
	"context"
	"fmt"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

// Function is a function of the service.
type Function struct {
	File string // below the module
	Name string // with its receiver's type
}

// Beyond returns the functions that ran in dir's "intent" and not in its "idle".
func Beyond(ctx context.Context, dir string) ([]Function, error) {
	idle, err := ran(ctx, filepath.Join(dir, "idle"))
	if err != nil {
		return nil, err
	}
	intent, err := ran(ctx, filepath.Join(dir, "intent"))
	return slices.DeleteFunc(intent, func(f Function) bool { return slices.Contains(idle, f) }), err
}

// ran reads what ran from what coverage wrote.
func ran(ctx context.Context, dir string) (all []Function, err error) {
	out, err := exec.CommandContext(ctx, "go", "tool", "covdata", "func", "-i="+dir).CombinedOutput()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", out, err)
	}
	for _, line := range strings.Split(string(out), "\n") {
		words := strings.Fields(line) // path/file.go:12: Receiver.Name 83.3%
		if len(words) != 3 || words[2] == "0.0%" || !strings.Contains(words[0], ".go:") {
			continue
		}
		file, _, _ := strings.Cut(words[0], ":")
		_, file, _ = strings.Cut(file, "/internal/")
		all = append(all, Function{file, strings.TrimPrefix(words[1], "*")})
	}
	return all, nil
}
