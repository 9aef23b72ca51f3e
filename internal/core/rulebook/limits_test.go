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
phases: {play: {lasts: 30s}}
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

// TestMeasuredFields: fields that measure something are kept in its smallest unit, and durations are shown as times.
func TestMeasuredFields(t *testing.T) {
	book, problems := rulebook.Compile([]byte("turnvex: 1\nname: sizes\nsheets:\n  player:\n" +
		"    until: {type: duration, start: 1m30s, max: 2min}\n    far: {type: length, start: -1.5m}\n" +
		"    pace: {type: speed, start: 2m/s, show: number}\n    bend: {type: angle, start: 0}\n" +
		"phases: {play: {lasts: 30s}}\n"))
	if book == nil {
		t.Fatal(problems)
	}
	for name, want := range map[string]struct {
		start int64
		show  sheet.Show
	}{"until": {90_000, sheet.ShowTime}, "far": {-1500, sheet.ShowAny}, "pace": {2000, sheet.ShowNumber},
		"bend": {0, sheet.ShowAny}} {
		f := book.Schema.Field(sheet.Player, name)
		if f.Type != sheet.Integer || f.Start.N[0] != want.start || f.Show != want.show {
			t.Errorf("%s starts at %d and is shown as %v", name, f.Start.N[0], f.Show)
		}
	}
}
