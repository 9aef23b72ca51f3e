package safe_test

import (
	"log/slog"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/live/safe"
)

// TestFaultsStay: a fault goes no further, is counted, and is logged with what was being done and where.
func TestFaultsStay(t *testing.T) {
	logged := make(lines, 9)
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(logged, nil)))
	defer slog.SetDefault(was)
	before := safe.Faults()
	if safe.Do("count the oars", func() { panic("one is missing") }) || !safe.Do("row", func() {}) {
		t.Error("what failed is said to have been done, or the other way round")
	}
	var group sync.WaitGroup
	safe.In(&group, "steer", func() { panic("no rudder") })
	group.Wait()
	safe.Go("bail", func() { panic("no bucket") })
	safe.After(time.Microsecond, "moor", func() { panic("no rope") })
	out := <-logged + <-logged + <-logged + <-logged
	if n := safe.Faults() - before; n != 4 {
		t.Errorf("%d faults are counted", n)
	}
	for _, want := range []string{"count the oars", "one is missing", "safe_test.go", "no rudder", "bail", "no bucket",
		"moor", "no rope"} {
		if !strings.Contains(out, want) {
			t.Errorf("the log does not say %q:\n%s", want, out)
		}
	}
}

// lines takes what is logged, a line at a time.
type lines chan string

func (l lines) Write(line []byte) (int, error) {
	l <- string(line)
	return len(line), nil
}

// TestVitalFaults: a fault in what a node must not be without ends the process, with an exit status that says so.
func TestVitalFaults(t *testing.T) {
	if os.Getenv("SINK") != "" {
		var group sync.WaitGroup
		safe.Vital(&group, "keep afloat", func() { panic("a leak") })
		group.Wait()
		return // it has not ended
	}
	c := exec.Command(os.Args[0], "-test.run", "TestVitalFaults")
	c.Env = append(os.Environ(), "SINK=yes")
	out, err := c.CombinedOutput()
	if err == nil || !strings.Contains(string(out), "keep afloat") || !strings.Contains(string(out), "panic: a leak") {
		t.Errorf("it ended with %v, and said:\n%s", err, out)
	}
}
