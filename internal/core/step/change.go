package step

import (
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// ChangeKind says what a change does to a field of a record.
type ChangeKind uint8

// The changes. Two lobbies, two nodes or two versions of a rulebook that change one record at the same time cannot undo
// each other: totals add up, the best of both stays, and of two that set the later one counts.
const (
	ChangeAdd   ChangeKind = iota // add Value, which may be negative
	ChangeSet                     // set to Value
	ChangeRaise                   // raise to Value where less is kept, or nothing
	ChangeLower                   // lower to Value where more is kept, or nothing

	ChangeKinds int = iota
)

// ChangeWords are the words of the changes, in their order.
var ChangeWords = [ChangeKinds]string{"add", "set", "raise", "lower"}

func (k ChangeKind) String() string { return ChangeWords[k] }

// ChangeNamed returns the change of that word.
func ChangeNamed(word string) (ChangeKind, bool) {
	i := slices.Index(ChangeWords[:], word)
	return ChangeKind(max(i, 0)), i >= 0
}

// Change is what happens to one field of a record, by name.
type Change struct {
	Field string
	Kind  ChangeKind
	Value sheet.Value
}

// most is how far a total goes either way, in the unit of its field.
const most = 1 << 53 * 1000

// On returns what becomes of a field's value; kept tells whether one was kept at all. The result lies within the
// field's bounds.
func (c *Change) On(f *sheet.Field, had sheet.Value, kept bool) sheet.Value {
	now := c.Value
	switch {
	case c.Kind == ChangeAdd:
		by := min(max(now.N[0], -most), most)
		now = sheet.IntValue(f.Type, min(max(had.N[0]+by, -most), most))
	case c.Kind == ChangeRaise && kept && had.N[0] > now.N[0], c.Kind == ChangeLower && kept && had.N[0] < now.N[0]:
		now = had
	}
	if f.Type == sheet.Integer || f.Type == sheet.Number {
		now.N[0] = f.Clamp(now.N[0])
	}
	return now
}

// Join makes one change of two of a field that follow each other, where that comes to the same whatever was kept
// before; ok is false where it does not: what is added and taken again may have met a bound between.
func (c Change) Join(f *sheet.Field, next Change) (one Change, ok bool) {
	switch {
	case next.Kind == ChangeSet:
		return next, true
	case c.Kind != next.Kind:
		return c, false
	case c.Kind == ChangeAdd && (c.Value.N[0] < 0) != (next.Value.N[0] < 0) && narrow(f):
		return c, false
	case c.Kind == ChangeAdd:
		c.Value.N[0] = min(max(c.Value.N[0]+next.Value.N[0], -most), most)
	case c.Kind == ChangeRaise:
		c.Value.N[0] = max(c.Value.N[0], next.Value.N[0])
	case c.Kind == ChangeLower:
		c.Value.N[0] = min(c.Value.N[0], next.Value.N[0])
	}
	return c, true
}

// narrow tells whether a field has bounds that are soon met.
func narrow(f *sheet.Field) bool { return f.Min > -1<<53 || f.Max < 1<<53 }
