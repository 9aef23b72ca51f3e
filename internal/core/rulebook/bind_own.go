package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Begin is what a field begins with on the sheets of one kind of piece, creature or zone, where that is not what its
// declaration by another kind says.
type Begin struct {
	Field *sheet.Field
	Value sheet.Value
}

// ownKey is a field of a kind of piece or creature.
type ownKey struct {
	kind sheet.Kind
	no   int // of the kind of piece, creature or zone
	name string
}

// ownFields declares the own fields of a kind of piece, creature or zone. Kinds may share a name where they declare it
// alike, but for its start.
func (b *fielder) ownFields(k sheet.Kind, no int, e entry) {
	for _, fe := range e.value.fields("fields") {
		b.bendable = true
		f := b.field(k, fe)
		b.bendable = false
		if slices.Contains(expr.ReservedMembers(k), fe.key) {
			b.failEntry(fe, "taken", "the name %q is used by expressions on a %s", fe.key, k)
			continue
		}
		if b.begin == nil {
			b.begin = map[ownKey]sheet.Value{}
		}
		b.begin[ownKey{k, no, fe.key}] = f.Start
		if old := b.book.Schema.Field(k, fe.key); old != nil {
			if old.BuiltIn || old.Derived != f.Derived || old.Type != f.Type || old.Of != f.Of || old.Min != f.Min ||
				old.Max != f.Max || old.See != f.See || old.Reset != f.Reset || !slices.Equal(old.Choices, f.Choices) {
				b.failEntry(fe, "taken", "%q is a field of %ss already, with another type, bounds, reset or audience",
					fe.key, k)
			}
			continue
		}
		if _, err := b.book.Schema.Add(k, f); err != nil {
			b.failEntry(fe, "too-many", "%s", err)
		}
	}
}

// starts are the fields of a kind of piece, creature or zone that begin otherwise than declared first: with its own
// start, and with nothing where it does not have them.
func (b *fielder) starts(k sheet.Kind, no int) (out []Begin) {
	for _, f := range b.book.Schema.Fields(k) {
		if f.BuiltIn || f.Derived {
			continue
		}
		v := b.begin[ownKey{k, no, f.Name}]
		if v.Type = f.Type; f.Bounded && !b.has(k, no, f) {
			v.N[0] = f.Clamp(0)
		}
		if v != f.Start {
			out = append(out, Begin{f, v})
		}
	}
	return out
}

// has tells whether a kind of piece, creature or zone declares a field.
func (b *fielder) has(k sheet.Kind, no int, f *sheet.Field) bool {
	_, has := b.begin[ownKey{k, no, f.Name}]
	return has || f.BuiltIn
}

// kindsOf are the keys under which the kinds of a kind of sheet stand.
var kindsOf = map[sheet.Kind]string{sheet.Piece: "pieces", sheet.Creature: "creatures", sheet.Zone: "zones"}

// having are those of some kinds of creature or zone that have every field of their own that a condition reads.
func (b *fielder) having(k sheet.Kind, kinds uint64, conditions ...*expr.Prog) uint64 {
	for no := range b.mapKeys(kindsOf[k]) {
		for _, p := range conditions {
			if p == nil {
				continue
			}
			for _, f := range b.book.Schema.Fields(k) {
				if p.Reads.Own[k].Has(f.No) && !b.has(k, no, f) {
					kinds &^= 1 << no
				}
			}
		}
	}
	return kinds
}
