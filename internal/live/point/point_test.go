package point_test

import (
	"bytes"
	"os"
	"testing"

	"turnvex.example/turnvex/internal/live/point"
)

// TestNoPoints: the program that is built for people has no points.
func TestNoPoints(t *testing.T) {
	if point.On {
		t.Error("there are points without the build tag")
	}
	program, err := os.ReadFile("../../../bin/turnvex")
	if os.IsNotExist(err) {
		t.Skip("bin/turnvex is not built; ./dev builds it")
	}
	if err != nil || len(program) == 0 || bytes.Contains(program, []byte("TURNVEX_POINT")) {
		t.Errorf("the program can be armed: %v", err)
	}
}
