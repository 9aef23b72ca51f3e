package rulebook

import (
	"maps"
	"slices"
)

// Meaning is what a key says in one object, or beside one effect.
type Meaning struct{ Key, Of, Says string }

// Meanings lists all that keys say, by key. Where a key of one object is that of another, it says it once.
func Meanings() (all []Meaning) {
	for _, o := range objects() {
		for i := range o.keys {
			if k := &o.keys[i]; o != effectObject && k.of == nil {
				all = append(all, Meaning{k.name, o.name, k.doc})
			}
		}
	}
	for i := range effectDecls {
		d := &effectDecls[i]
		for _, k := range append([]key{d.key}, d.with...) {
			all = append(all, Meaning{k.name, "effect " + d.key.name, k.doc})
		}
	}
	slices.SortStableFunc(all, func(a, b Meaning) int {
		return slices.Compare([]string{a.Key}, []string{b.Key})
	})
	return all
}

// Words lists the words of which keys take one.
func Words() []string {
	words := map[string]bool{}
	var note func(s *spec)
	note = func(s *spec) {
		for _, w := range s.words {
			words[w] = true
		}
		if s.elem != nil {
			note(s.elem)
		}
	}
	for _, o := range objects() {
		for i := range o.keys {
			note(&o.keys[i].spec)
		}
	}
	return slices.Sorted(maps.Keys(words))
}
