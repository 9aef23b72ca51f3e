package demo

import (
	"os"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/memdb"
)

// TestTheCrewsCanPutOut: every lobby of the demo opens, as it asks for it, and has seats for its crew.
func TestTheCrewsCanPutOut(t *testing.T) {
	h := hall.New(
		hall.Config{Directory: memdb.NewDirectory(), Keeper: memdb.NewKeeper(), Names: memdb.NewNames(), Node: "n"})
	defer h.Stop()
	for _, crew := range crews {
		src, err := os.ReadFile("../../../demo/rulebooks/" + crew.rulebook + ".yaml")
		if err != nil {
			t.Fatal(err)
		}
		book, problems := rulebook.Compile(src)
		if book == nil {
			t.Fatal(problems.Errors())
		}
		l, err := h.Open(t.Context(), book, hall.Opening{Title: crew.title, Options: crew.options})
		if err != nil {
			t.Fatalf("%s: %v", crew.title, err)
		}
		for _, name := range crew.names {
			if _, err := l.Sit(t.Context(), hall.Joining{Account: name, Name: name}); err != nil {
				t.Errorf("%s in %s: %v", name, crew.title, err)
			}
		}
	}
}
