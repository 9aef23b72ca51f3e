package match

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
)

// TestTablesHaveNoGap says what is missing when an effect, an aim or an event has been declared and nothing here does
// it.
func TestTablesHaveNoGap(t *testing.T) {
	for verb, does := range doers {
		if does == nil {
			t.Errorf("doers in effects.go has nothing that does %q", rulebook.Verb(verb))
		}
	}
	for aim, finds := range aimers {
		if finds == nil && rulebook.AimAt(aim) != rulebook.AimSelf {
			t.Errorf("aimers in aim.go has nothing that finds whom %q hits", rulebook.AimAt(aim))
		}
	}
	var source strings.Builder
	files, err := filepath.Glob("*.go")
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		data, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		source.Write(data)
	}
	declared, err := os.ReadFile("../rulebook/events.go")
	if err != nil {
		t.Fatal(err)
	}
	events := regexp.MustCompile(`(?m)^\t(On[A-Z]\w+)(?: Event = iota)?$`).FindAllSubmatch(declared, -1)
	if len(events) != rulebook.Events {
		t.Fatalf("%d of %d events were found in events.go", len(events), rulebook.Events)
	}
	for _, e := range events[2:] { // behind OnWhen and OnEvery, which settle.go looks at
		if name := string(e[1]); !strings.Contains(source.String(), "m.emit(rulebook."+name+",") {
			t.Errorf("nothing emits rulebook.%s", name)
		}
	}
}
