package client

import (
	"math"
	"slices"
	"time"
)

// FieldOf is a field of which the compiler knows what it holds. `turnvex types -lang go` writes those of a rulebook.
type FieldOf[T any] struct {
	Kind Kind   // of sheet
	Name string // of the field

	read  func(Value) T
	value func(T) Value
}

// Of returns what the field of a sheet holds; the zero value where it is not to be seen.
func (f FieldOf[T]) Of(s *Sheet) T {
	v, _ := s.Get(f.Name)
	return f.read(v)
}

// Watch calls do for each change of the field on any sheet, until stop is called; what is there already is told at
// once: see Conn.Watch.
func (f FieldOf[T]) Watch(c *Conn, do func(s *Sheet, old, now T)) (stop func()) {
	return c.Watch(On{Kind: f.Kind.String(), Field: f.Name}, func(ch Change) {
		if ch.Field != nil {
			do(ch.Sheet, f.read(ch.Old), f.read(ch.New))
		}
	})
}

// Expect is an expectation for the field of the own player.
func (f FieldOf[T]) Expect(v T) Expected { return Expected{Field: f.Name, Value: f.value(v)} }

// ExpectOn is an expectation for the field of a sheet.
func (f FieldOf[T]) ExpectOn(sheet uint32, v T) Expected {
	return Expected{Sheet: sheet, Field: f.Name, Value: f.value(v)}
}

// IntegerField is a field of integers.
func IntegerField(k Kind, name string) FieldOf[int64] {
	return FieldOf[int64]{k, name, func(v Value) int64 { return v.N[0] }, Whole}
}

// NumberField is a field of decimals with three places.
func NumberField(k Kind, name string) FieldOf[float64] {
	return FieldOf[float64]{k, name, func(v Value) float64 { return float64(v.N[0]) / 1000 },
		func(x float64) Value { return Thousandths(int64(math.Round(x * 1000))) }}
}

// TextField is a field of text.
func TextField(k Kind, name string) FieldOf[string] {
	return FieldOf[string]{k, name, func(v Value) string { return v.S }, TextValue}
}

// FlagField is a flag.
func FlagField(k Kind, name string) FieldOf[bool] {
	return FieldOf[bool]{k, name, func(v Value) bool { return v.N[0] != 0 }, FlagValue}
}

// RefField is a field that refers to a sheet, by its number; 0 is nobody.
func RefField(k Kind, name string) FieldOf[uint32] {
	return FieldOf[uint32]{k, name, func(v Value) uint32 { return uint32(v.N[0]) },
		func(id uint32) Value { return Value{Type: TypeRef, N: [3]int64{int64(id)}} }}
}

// PositionField is a field of positions, in millimetres: east, south, and on tall ground up.
func PositionField(k Kind, name string, tall bool) FieldOf[[3]int64] {
	t := TypePosition
	if tall {
		t = TypePosition3
	}
	return FieldOf[[3]int64]{k, name, func(v Value) [3]int64 { return v.N },
		func(at [3]int64) Value { return Value{Type: t, N: at} }}
}

// WordField is a field that is one of some words.
func WordField[T ~string](k Kind, name string, words ...T) FieldOf[T] {
	return FieldOf[T]{k, name, func(v Value) T { return Word(v.N[0], words...) },
		func(w T) Value { return Value{Type: TypeChoice, N: [3]int64{int64(slices.Index(words, w))}} }}
}

// Word is the word at a place among some, "" where there is none.
func Word[T ~string](n int64, words ...T) (w T) {
	if n >= 0 && n < int64(len(words)) {
		w = words[n]
	}
	return w
}

// ItemsField is a list of integers, places of words, or numbers of sheets.
func ItemsField(k Kind, name string) ListOf[int64] { return ListOf[int64]{k, name, Value.Items} }

// TextsField is a list of texts.
func TextsField(k Kind, name string) ListOf[string] { return ListOf[string]{k, name, Value.Texts} }

// ListOf is a field that is a list.
type ListOf[T any] struct {
	Kind Kind   // of sheet
	Name string // of the field
	read func(Value) []T
}

// Of returns the list of a sheet.
func (f ListOf[T]) Of(s *Sheet) []T {
	v, _ := s.Get(f.Name)
	return f.read(v)
}

// ClockField is a clock.
type ClockField struct {
	Kind Kind   // of sheet
	Name string // of the field
}

// Of returns what the clock of a sheet shows now.
func (f ClockField) Of(c *Copy, s *Sheet) time.Duration { return millis(c.Clock(s, f.Name)) }

// Int returns an integer that a notice says, in thousandths of a number.
func (n *Notice) Int(name string) int64 { v, _ := n.With[name].(int64); return v }

// Text returns a text that a notice says.
func (n *Notice) Text(name string) string { v, _ := n.With[name].(string); return v }

// Flag returns a flag that a notice says.
func (n *Notice) Flag(name string) bool { v, _ := n.With[name].(bool); return v }

// Pos returns a position that a notice says, in millimetres: two lengths, or three on tall ground.
func (n *Notice) Pos(name string) []int64 { v, _ := n.With[name].([]int64); return v }
