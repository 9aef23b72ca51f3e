package client

import (
	"turnvex.example/turnvex/internal/core/sheet"
)

// Expected is a value that the client shows until the verdict is there.
type Expected struct {
	Sheet uint32 // the sheet's number, such as a seat; the own player's if 0
	Field string // by its name in the rulebook
	Value Value  // of the field's type
}

// Expect is an expectation for a field of the own player. Whole, Thousandths, TextValue, FlagValue and Point make
// values.
func Expect(field string, v Value) Expected { return Expected{Field: field, Value: v} }

// Whole is the value of an integer field.
func Whole(n int64) Value { return Value{Type: TypeInteger, N: [3]int64{n}} }

// Thousandths is the value of a number field, in thousandths.
func Thousandths(n int64) Value { return Value{Type: TypeNumber, N: [3]int64{n}} }

// TextValue is the value of a text field.
func TextValue(s string) Value { return Value{Type: TypeText, S: s} }

// FlagValue is the value of a flag.
func FlagValue(on bool) Value {
	v := Value{Type: TypeFlag}
	if on {
		v.N[0] = 1
	}
	return v
}

// Point is the value of a position, in millimetres.
func Point(x, y int64) Value { return Value{Type: TypePosition, N: [3]int64{x, y}} }

// Point3 is the value of a position on tall ground, in millimetres.
func Point3(x, y, z int64) Value { return Value{Type: TypePosition3, N: [3]int64{x, y, z}} }

// expectLocked shows what an intent is expected to do. Either all is shown or, with an error, nothing.
func (c *Conn) expectLocked(p *Pending, list []Expected) error {
	for _, e := range list {
		id := e.Sheet
		if id == 0 {
			id = p.msg.Seat
		}
		x, ch, err := c.view.copy.Expect(sheet.ID(id), e.Field, e.Value.inner())
		if err != nil {
			c.undoLocked(p)
			return err
		}
		p.expects = append(p.expects, x)
		c.changedLocked(c.view.change(ch))
	}
	return nil
}

// undoLocked ends what an intent was expected to do. Where the service has decided otherwise that is told as a change.
func (c *Conn) undoLocked(p *Pending) {
	for _, e := range p.expects {
		if ch, differs := e.End(); differs {
			c.changedLocked(c.view.change(ch))
		}
	}
	p.expects = nil
}
