package sheet

import (
	"fmt"
	"strconv"
)

// Value is one field's value, comparable with ==. N holds what the type needs: an integer, thousandths, a choice's
// index, a sheet number, 0 or 1 for a flag; x, y and, where a ground has
// height, z of a position in millimetres; ticks, rate and anchor tick of a
// clock.
type Value struct {
	Type Type
	N    [3]int64
	S    string
}

// IntValue returns a value of a one-slot type.
func IntValue(t Type, n int64) Value { return Value{Type: t, N: [3]int64{n}} }

// TextValue returns a text value.
func TextValue(s string) Value { return Value{Type: Text, S: s} }

// UnreadableValue is what stands in place of a value that could not be read.
func UnreadableValue(why string) Value { return Value{Type: Unreadable, S: why} }

// Show writes the value as a person reads it. f may be nil, which leaves choices as numbers; rate is ticks a second and
// now the present tick, both for clocks.
func (v Value) Show(f *Field, rate int, now Tick) string {
	switch v.Type {
	case Text:
		return v.S
	case List:
		return showList(f, v.S)
	case Flag:
		if v.N[0] != 0 {
			return "yes"
		}
		return "no"
	case Choice:
		if f != nil && v.N[0] >= 0 && int(v.N[0]) < len(f.Choices) {
			return f.Choices[v.N[0]]
		}
	case Number:
		return ShowThousandths(v.N[0])
	case Position:
		return fmt.Sprintf("(%s, %s) m", ShowThousandths(v.N[0]), ShowThousandths(v.N[1]))
	case Position3:
		return fmt.Sprintf("(%s, %s, %s) m", ShowThousandths(v.N[0]), ShowThousandths(v.N[1]), ShowThousandths(v.N[2]))
	case Clock:
		return FormatClock(v.ClockMillis(rate, now))
	case Ref:
		if v.N[0] == 0 {
			return "nobody"
		}
		return "#" + strconv.FormatInt(v.N[0], 10)
	}
	return strconv.FormatInt(v.N[0], 10)
}

// Plain returns the value as messages carry it: text, a flag, an integer, for a position and a clock a list of
// integers, for a list one of integers or texts.
func (v Value) Plain() any {
	switch v.Type {
	case Text:
		return v.S
	case List:
		return plainList(v.S)
	case Flag:
		return v.N[0] != 0
	case Position, Position3, Clock:
		return append([]int64(nil), v.N[:v.Type.Width()]...)
	}
	return v.N[0]
}

// ShowThousandths writes thousandths as a decimal without needless zeros.
func ShowThousandths(n int64) string {
	sign := ""
	u := uint64(n)
	if n < 0 {
		sign, u = "-", -u
	}
	s := sign + strconv.FormatUint(u/1000, 10)
	if r := u % 1000; r != 0 {
		frac := fmt.Sprintf("%03d", r)
		for frac[len(frac)-1] == '0' {
			frac = frac[:len(frac)-1]
		}
		s += "." + frac
	}
	return s
}

// Bit is 1 for true and 0 for false, as a flag is kept.
func Bit(b bool) int64 {
	if b {
		return 1
	}
	return 0
}

// Cut returns at most so many characters of a text.
func Cut(s string, most int) string {
	n := 0
	for i := range s {
		if n == most {
			return s[:i]
		}
		n++
	}
	return s
}
