package rulebook

import (
	"fmt"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/sheet"
)

// regroup looks for a field that is used several times under a name that nobody declares, while one of nearly that name
// is declared and never used: the slip is in the declaration then, and is reported there, once.
func (b *checks) regroup() {
	places := map[string][]int{} // of the problems, by unknown word
	for i, p := range b.problems {
		if p.word != "" && p.Code == "expression" {
			places[p.word] = append(places[p.word], i)
		}
	}
	var gone []int
	for word, found := range places {
		near := b.problems[found[0]].Nearest
		e, kind := b.declaration(near)
		if len(found) < 2 || e == nil || b.fieldUsed(kind, near) {
			continue
		}
		lines := []string{}
		for _, i := range found {
			if l := fmt.Sprint(b.problems[i].Line); !slices.Contains(lines, l) && len(lines) < 5 {
				lines = append(lines, l)
			}
			gone = append(gone, i)
		}
		b.failEntry(*e, "never-used", "%q is declared here and never used, and %q is used in line %s but declared "+
			"nowhere; did you mean %q here?", near, word, strings.Join(lines, ", "), word)
	}
	slices.Sort(gone)
	for _, i := range slices.Backward(gone) {
		b.problems = slices.Delete(b.problems, i, i+1)
	}
}

// declaration finds where the author has declared a field.
func (b *checks) declaration(name string) (*entry, sheet.Kind) {
	sheets := b.top.get("sheets")
	for _, k := range []sheet.Kind{sheet.Lobby, sheet.Match, sheet.Team, sheet.Player} {
		for _, e := range sheets.fields(k.String()) {
			if e.key == name {
				return &e, k
			}
		}
	}
	return nil, 0
}

// fieldUsed tells whether anything reads or writes a field, its own derivation aside.
func (b *checks) fieldUsed(k sheet.Kind, name string) bool {
	f := b.book.Schema.Field(k, name)
	return f == nil || b.uses.reads[k].Has(f.No) || b.uses.writes[k].Has(f.No) && !f.Derived
}
