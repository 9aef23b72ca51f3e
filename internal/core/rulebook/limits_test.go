package rulebook_test

import (
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// TestGreatestByField: a field's greatest value is told by a field of its own sheet alone, not by one of the same name
// on another.
func TestGreatestByField(t *testing.T) {
	book, problems := rulebook.Compile([]byte(`turnvex: 1
name: caps
ground: {width: 20m, height: 20m}
sheets:
  match: {cap: {type: integer, start: 7}}
  player:
    cap: {type: integer, start: 5}
    hull: {type: integer, min: 0, max: me.cap}
    pull: {type: integer, min: 0, max: match.cap}
creatures: {rat: {fields: {cap: {type: integer}, hull: {type: integer, max: creature.cap}}}}
phases: {play: {length: 30s}}
`))
	if book == nil {
		t.Fatal(problems)
	}
	for _, c := range []struct {
		kind        sheet.Kind
		field, want string
	}{{sheet.Player, "hull", "cap"}, {sheet.Player, "pull", ""}, {sheet.Creature, "hull", "cap"}} {
		if f := book.Schema.Field(c.kind, c.field); f.MaxBy != c.want {
			t.Errorf("%s %s: the greatest value is told by %q, expected %q", c.kind, c.field, f.MaxBy, c.want)
		}
	}
}
