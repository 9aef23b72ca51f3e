package safe_test

import (
	"bytes"
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
	var out bytes.Buffer
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&out, nil)))
	defer slog.SetDefault(was)
	before := safe.Faults()
	if safe.Do("count the oars", func() { panic("one is missing") }) || !safe.Do("row", func() {}) {
		t.Error("what failed is said to have been done, or the other way round")
	}
	var group sync.WaitGroup
	safe.In(&group, "steer", func() { panic("no rudder") })
	group.Wait()
	done := make(chan bool)
	safe.Go("bail", func() { defer close(done); panic("no bucket") })
	<-done
	timed := make(chan bool)
	safe.After(time.Microsecond, "moor", func() { defer close(timed); panic("no rope") })
	<-timed
	for safe.Faults() < before+4 { // what was deferred comes before what is caught
		time.Sleep(time.Millisecond)
	}
	for _, want := range []string{"count the oars", "one is missing", "safe_test.go", "no rudder"} {
		if !strings.Contains(out.String(), want) {
			t.Errorf("the log does not say %q:\n%s", want, out.String())
		}
	}
}

// TestVitalFaults: a fault in what a node must not be without ends the process, with an exit status that says so.
func TestVitalFaults(t *testing.T) {
	if os.Getenv("SINK") != "" {
		var group sync.WaitGroup
		safe.Vital(&group, "keep afloat", func() { panic("a leak") })
		group.Wait()
		time.Sleep(time.Minute)
	}
	c := exec.Command(os.Args[0], "-test.run", "TestVitalFaults")
	c.Env = append(os.Environ(), "SINK=yes")
	out, err := c.CombinedOutput()
	if err == nil || !strings.Contains(string(out), "keep afloat") || !strings.Contains(string(out), "a leak") {
		t.Errorf("it ended with %v, and said:\n%s", err, out)
	}
}
