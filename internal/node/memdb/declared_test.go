package memdb_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

// TestDeclarations: a record of many fields through every change of its declaration, with the old version beside the
// new: what each reads, before the new one writes and after, and what is told of it before anything happens.
func TestDeclarations(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	cases := []struct {
		name, was, is string // its declarations, "" for none
		kept          any    // by the old version
		reads         string // the new version, of that
		sets          any    // the new version then, nil for nothing
		then, old     string // what each reads afterwards
		told          string // which difference, and how many records it concerns
	}{
		{"same", "{}", "{}", 7, "7", 8, "8", "8", ""},
		{"wider", "{max: 10}", "{max: 99}", 9, "9", 50, "50", "10", ""},
		{"narrower", "{max: 99}", "{max: 10}", 50, "10", nil, "10", "50", "bounds 1"},
		{"narrowed", "{max: 99}", "{max: 10}", 50, "10", 3, "3", "3", "bounds 1"},
		{"below", "{min: 0, max: 99}", "{min: 5, max: 99, start: 5}", 2, "5", nil, "5", "2", "bounds 1, start 0"},
		{"within", "{max: 99}", "{max: 10}", 5, "5", nil, "5", "5", "bounds 0"},
		{"new_name", "{}", "{was: [new_name_before]}", 7, "7", 8, "8", "8", "renamed 1"},
		{"added", "", "{start: 4}", nil, "4", 5, "5", "", "added 0"},
		{"removed", "{}", "", 7, "", nil, "", "7", "removed 1"},
		{"started", "{start: 1}", "{start: 2}", nil, "2", nil, "2", "1", "start 1"},
		{"to_number", "{}", "{type: number}", 7, "7", 2.5, "2.5", "0", "type 1"},
		{"to_integer", "{type: number}", "{}", 3, "3", 4, "4", "4", "type 1"},
		{"to_whole", "{type: number}", "{}", 2.5, "0", 4, "4", "2.5", "type 1"},
		{"to_text", "{}", "{type: text, max: 9}", 7, "", "ahoy", "ahoy", "7", "type 1"},
		{"to_flag", "{type: text, max: 9}", "{type: flag}", "ahoy", "no", true, "yes", "ahoy", "type 1"},
		{"shorter", "{type: text, max: 9}", "{type: text, max: 3}", "ahoy", "aho", nil, "aho", "ahoy", "bounds 1"},
		{"words", "{type: choice, words: [mate, captain]}", "{type: choice, words: [deckhand, mate, " +
			"captain]}", "captain",
			"captain", "mate", "mate", "mate", "start 0"},
		{"fewer", "{type: choice, words: [mate, captain]}", "{type: choice, words: " +
			"[mate]}", "captain", "mate", nil, "mate",
			"captain", "words 1"},
		{"place", "{type: position}", "{type: position}", []any{int64(3), int64(4)}, "[3 4]", nil, "[3 4]", "[3 4]",
			""},
	}
	var old, young strings.Builder
	for _, s := range []*strings.Builder{&old, &young} {
		s.WriteString("turnvex: 1\nname: declared\nground: {width: 9m, height: 9m}\nphases: {play: {lasts: " +
			"60s}}\nrecord:\n")
	}
	before := func(name string) string {
		if name == "new_name" {
			return name + "_before"
		}
		return name
	}
	for _, c := range cases {
		if c.was != "" {
			fmt.Fprintf(&old, "  %s: %s\n", before(c.name), c.was)
		}
		if c.is != "" {
			fmt.Fprintf(&young, "  %s: %s\n", c.name, c.is)
		}
	}
	was, is := compile(t, old.String()), compile(t, young.String())
	k, ada, lobby := newKeeper(time.Now), person(t, "Ada"), uuid.NewString()
	n := int64(0)
	save := func(book *rulebook.Book, name string, v any) {
		t.Helper()
		n++
		field := book.Schema.Field(sheet.Record, name)
		if i, is := v.(int); is {
			v = int64(i)
		}
		value, err := sheet.Read(field, v)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		job := &keep.Job{Lobby: lobby, Book: book, Records: []keep.Record{{Player: ada, Number: n,
			Changes: []step.Change{{Field: name, Kind: step.ChangeSet, Value: value}}}}}
		if _, err := k.Save(t.Context(), job); err != nil {
			t.Fatal(err)
		}
	}
	reads := func(what string, book *rulebook.Book, name, want string) {
		t.Helper()
		field := book.Schema.Field(sheet.Record, name)
		if field == nil {
			return
		}
		stand, _, err := k.Load(t.Context(), ada, book)
		got := field.Start
		for _, v := range stand.Fields.Values(book) {
			if v.Name == name {
				got = v.Value
			}
		}
		text := strings.Trim(got.Show(field, 0, 0), `"`)
		if field.Type == sheet.Position {
			text = fmt.Sprint(got.N[:2])
		}
		if err != nil || text != want {
			t.Errorf("%s: %s reads %s, wanted %s (%v)", name, what, text, want, err)
		}
	}
	for _, c := range cases {
		if c.kept != nil {
			save(was, before(c.name), c.kept)
		}
	}
	told := map[string]string{}
	list := keep.Differences(was, is)
	if err := k.Count(t.Context(), "declared", list); err != nil {
		t.Fatal(err)
	}
	for _, d := range list {
		if told[d.Field] != "" {
			told[d.Field] += ", "
		}
		told[d.Field] += fmt.Sprint(d.What, " ", *d.Concerned)
	}
	for _, c := range cases {
		if told[c.name] != c.told {
			t.Errorf("%s: told is %q, wanted %q", c.name, told[c.name], c.told)
		}
		reads("the new version", is, c.name, c.reads)
	}
	for _, c := range cases {
		if c.sets != nil {
			save(is, c.name, c.sets)
		}
		reads("the new version afterwards", is, c.name, c.then)
		reads("the old version", was, before(c.name), c.old)
	}
	wrong := compile(t, "turnvex: 1\nname: declared\nphases: {play: {lasts: 60s}}\nrecord: {third: {was: "+
		"[new_name]}}\n")
	for _, d := range keep.Differences(is, wrong) {
		if d.Field == "third" && !strings.Contains(d.Means, "[new_name, new_name_before]") {
			t.Errorf("a name that was forgotten: %s", d.Means)
		}
	}
}
