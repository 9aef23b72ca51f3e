package client

import (
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Kind says what thing a sheet describes.
type Kind uint8

// The kinds of sheet: one of the lobby, one of the match while there is one, one of each team, one of each player and
// one of their record, and one of each piece, creature and zone.
const (
	KindLobby Kind = iota
	KindMatch
	KindTeam
	KindPlayer
	KindRecord
	KindPiece
	KindCreature
	KindZone
)

// String returns the kind's name as the protocol has it: lobby, match, team, player, record, piece, creature or zone.
func (k Kind) String() string { return sheet.Kind(k).String() }

// Type says what a field holds.
type Type uint8

// The types of field, and what Value.N holds of each.
const (
	TypeInteger   Type = iota // the number
	TypeNumber                // thousandths
	TypeText                  // nothing: the text is in S
	TypeFlag                  // 0 or 1
	TypeChoice                // the index of the word in Field.Choices
	TypePosition              // x and y in millimetres
	TypeRef                   // the number of a sheet, 0 for nobody
	TypeClock                 // ticks shown, rate (1 up, -1 down, 0 standing), and at which tick; see Copy.Clock
	TypeList                  // nothing: see Items and Texts
	TypePosition3             // x, y and z in millimetres
)

// String returns the type's name as the protocol has it.
func (t Type) String() string { return sheet.Type(t).String() }

// Value is a field's value. Values can be compared with ==.
type Value struct {
	Type Type     // the field's type
	N    [3]int64 // by Type
	S    string   // of a text
}

// Show writes the value as a person reads it. f may be nil, which leaves choices as numbers; rate is ticks a second and
// tick the present one, both for clocks.
func (v Value) Show(f *Field, rate int, tick int64) string {
	var known *sheet.Field
	if f != nil {
		known = &sheet.Field{Choices: f.Choices, Item: sheet.Type(f.Item)}
	}
	return v.inner().Show(known, rate, sheet.Tick(tick))
}

// Plain returns the value as messages carry it: text, a flag, an integer, or for a position and a clock a list of
// integers.
func (v Value) Plain() any { return v.inner().Plain() }

// Items returns the items of a list: integers, indexes of words in Field.Choices, or numbers of sheets.
func (v Value) Items() []int64 { items, _ := v.Plain().([]int64); return items }

// Texts returns the items of a list of texts.
func (v Value) Texts() []string { items, _ := v.Plain().([]string); return items }

func (v Value) inner() sheet.Value { return sheet.Value{Type: sheet.Type(v.Type), N: v.N, S: v.S} }

func valueOf(v sheet.Value) Value { return Value{Type: Type(v.Type), N: v.N, S: v.S} }

// Field is one field of the sheets of a kind, as the service has described it.
type Field struct {
	No       int      // its number, by which the protocol speaks of it
	Name     string   // unique within its kind
	Title    string   // what people read in place of the name; may be empty
	Type     Type     // what it holds
	Choices  []string // the words of a choice, or of a list of choices
	Item     Type     // of a list: what it holds
	Most     int      // of a list: how many at most
	See      string   // who sees it: everyone, team, owner or referees
	Bounded  bool     // Min and Max hold
	Min, Max int64    // in the unit of Value.N; Max is 0 where the sheet's field MaxBy says it
	Show     string   // how to draw it: bar, number, time (of milliseconds), aside, or any
	MaxBy    string   // the field of the same sheet that holds the greatest value; "" for none
	Wall     bool     // of a clock: it follows wall time, which goes on in a pause
	Declared bool     // by the rulebook; otherwise it is built in
}

func fieldOf(f *sheet.Field) *Field {
	return &Field{
		No:       f.No,
		Name:     f.Name,
		Title:    f.Title,
		Type:     Type(f.Type),
		Choices:  f.Choices,
		Item:     Type(f.Item),
		Most:     f.Most,
		See:      f.SeenBy(),
		Bounded:  f.Bounded,
		Min:      f.Min,
		Max:      f.Max,
		Show:     f.Show.String(),
		MaxBy:    f.MaxBy,
		Wall:     f.Wall,
		Declared: !f.BuiltIn,
	}
}

// Sheet is one sheet of a copy. It is the same one for as long as the copy has it, and may be read only while the copy
// may. A nil Sheet reads as empty.
type Sheet struct {
	ID    uint32 // its number; of a player the seat
	Kind  Kind   // what it describes
	Owner uint32 // the seat that it belongs to: of a player itself, of a record its player; 0 of others
	copy  *Copy
	last  *replica.Sheet // as it was when it was met last; one that has gone stays as it was
}

func (s *Sheet) inner() *replica.Sheet {
	if s == nil {
		return nil
	}
	if now := s.copy.copy.Sheet(sheet.ID(s.ID)); now != nil {
		return now
	}
	return s.last
}

// Get returns a field's value, and whether it is to be seen.
func (s *Sheet) Get(name string) (Value, bool) {
	v, ok := s.inner().Get(name)
	return valueOf(v), ok
}

// Int returns a field's number (see Type), 0 where it is not to be seen.
func (s *Sheet) Int(name string) int64 { return s.inner().Int(name) }

// Pos returns a position field's value in millimetres, 0 where it is not to be seen; z is how high above 0 it is on
// tall ground. To draw something, see Frame.Place.
func (s *Sheet) Pos(name string) (x, y, z int64) {
	v, _ := s.Get(name)
	return v.N[0], v.N[1], v.N[2]
}

// Text returns a text field's value, or a choice's word; "" where it is not to be seen.
func (s *Sheet) Text(name string) string { return s.inner().Text(name) }

// Flag returns a flag's value, false where it is not to be seen.
func (s *Sheet) Flag(name string) bool { return s.inner().Flag(name) }

// Fields returns the fields that are to be seen, in their order.
func (s *Sheet) Fields() []*Field {
	r := s.inner()
	if r == nil {
		return nil
	}
	var out []*Field
	for _, f := range r.Fields() {
		out = append(out, s.copy.fields[s.Kind][f.No])
	}
	return out
}

// Change tells of one thing that changed, with its old and its new value. The first value of a field is told the same
// way, with First set.
type Change struct {
	Sheet    *Sheet // which
	Field    *Field // nil when the sheet itself came or went
	Old, New Value  // zero where there is none
	First    bool   // the field was not there before
	Seen     bool   // the field is there now; otherwise it was withdrawn
	Appeared bool   // the sheet is new
	Gone     bool   // the sheet is no more
	Expected bool   // New is not the service's value but an expectation
	Undone   bool   // an expectation has ended, and the service's value is another one
}
