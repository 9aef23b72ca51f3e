package rulebook

import "testing"

// TestTablesAreWhole says what is missing in what is declared of an effect, an aim or an event, or declared twice.
func TestTablesAreWhole(t *testing.T) {
	by := map[Verb]string{}
	for i := range effectDecls {
		d := &effectDecls[i]
		if d.key.name == "" || d.key.doc == "" || d.bind == nil || len(d.verbs) == 0 {
			t.Errorf("the effect %q has no word, documentation, binding or verb", d.key.name)
		}
		for _, v := range d.verbs {
			if by[v] != "" {
				t.Errorf("%q and %q have the same verb", by[v], d.key.name)
			}
			by[v] = d.key.name
		}
	}
	for v := range Verbs {
		if by[Verb(v)] == "" {
			t.Errorf("no effect in effects.go has verb number %d", v)
		}
	}
	words := map[string]bool{}
	for i, d := range aimDecls {
		if d.word == "" || d.doc == "" || words[d.word] {
			t.Errorf("aim number %d has no word or documentation, or another's: %+v", i, d)
		}
		words[d.word] = true
	}
	for i, d := range eventDecls {
		if own := Event(i) == OnWhen ||
			Event(i) == OnEvery; own != (d.word == "") || own != (d.doc == "") ||
			words["on "+d.word] && !own {
			t.Errorf("event number %d has no word or documentation, or another's: %+v", i, d)
		}
		words["on "+d.word] = true
	}
}
