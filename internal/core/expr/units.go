package expr

import (
	"math/big"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"turnvex.example/turnvex/internal/core/sheet"
)

// units are what stands behind a number, and how many milliseconds, millimetres, or millimetres a second, one is.
var units = map[string]int64{"ms": 1, "s": 1000, "min": 60_000, "h": 3_600_000, "mm": 1, "m": 1000, "mm/s": 1,
	"m/s": 1000, "deg": 1}

// literal is a number with its unit in an expression.
type literal struct {
	begin, end int    // in characters of the whole text
	plain      string // the integer that it is
	measure    sheet.Measure
}

// Quantity reads one number with its unit.
func Quantity(text string) (n int64, what sheet.Measure, ok bool) {
	digits, negative := strings.CutPrefix(text, "-")
	s := &scan{src: []rune(digits)}
	if len(s.src) == 0 || !unicode.IsDigit(s.src[0]) || s.number() != nil || len(s.units) != 1 || s.at < len(s.src) {
		return 0, 0, false
	}
	n, err := strconv.ParseInt(s.units[0].plain, 10, 64)
	if negative {
		n = -n
	}
	return n, s.units[0].measure, err == nil
}

// unitsAt tells by where a number begins, in the text without units, what it measures.
func unitsAt(all []literal) map[int32]sheet.Measure {
	if len(all) == 0 {
		return nil
	}
	at, shift := map[int32]sheet.Measure{}, 0
	for _, l := range all {
		at[int32(l.begin+shift)] = l.measure
		shift += len([]rune(l.plain)) - (l.end - l.begin)
	}
	return at
}

// number takes a number, with its unit where one stands behind it.
func (s *scan) number() *Issue {
	begin := s.at
	for s.at < len(s.src) && (unicode.IsDigit(s.src[s.at]) || s.src[s.at] == '.') {
		s.at++
	}
	end := s.at
	for s.at < len(s.src) && unicode.IsLetter(s.src[s.at]) {
		s.at++
	}
	number, unit := string(s.src[begin:end]), string(s.src[end:s.at])
	if (unit == "m" || unit == "mm") && s.peek(0) == '/' && s.peek(1) == 's' && !inWord(s.peek(2)) {
		unit, s.at = unit+"/s", s.at+2
	}
	switch {
	case unit == "", unit == "e", unit == "x", unit == "u": // other ways of writing a number
		return nil
	case units[unit] == 0:
		return s.issue(end, "there is no unit %s: a time is in ms, s, min or h, a length in mm or m, a speed in mm/s "+
			"or m/s, an angle in deg", unit)
	}
	plain, whole := times(number, units[unit])
	if !whole {
		return s.issue(begin, "%s%s is not a whole number of %s", number, unit, smallest(unit))
	}
	s.units = append(s.units, literal{begin, s.at, plain, measureOf(unit)})
	return nil
}

// measureOf is what a unit is one of.
func measureOf(unit string) sheet.Measure {
	switch smallest(unit) {
	case "degrees":
		return sheet.Angle
	case "millimetres a second":
		return sheet.Speed
	case "millimetres":
		return sheet.Length
	}
	return sheet.Duration
}

func inWord(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_' || r == '.' }

// times multiplies a decimal, and tells whether the product is an integer.
func times(number string, by int64) (string, bool) {
	x, ok := new(big.Rat).SetString(number)
	if !ok {
		return "", false
	}
	x.Mul(x, new(big.Rat).SetInt64(by))
	return x.Num().String(), x.IsInt()
}

// smallest is the unit of which a quantity is a whole number.
func smallest(unit string) string {
	switch {
	case unit == "deg":
		return "degrees"
	case strings.HasSuffix(unit, "/s"):
		return "millimetres a second"
	case strings.HasPrefix(unit, "m") && unit != "ms" && unit != "min":
		return "millimetres"
	}
	return "milliseconds"
}

// withoutUnits is an expression in which numbers with units are the integers that they are, and what tells where
// something was that is found in it.
func withoutUnits(src []rune, all []literal) (plain string, was func(line, column int) (int, int)) {
	if len(all) == 0 {
		return string(src), func(line, column int) (int, int) { return line, column }
	}
	var out []rune
	var from []int // by character of what comes out, in the text
	at := 0
	for _, l := range all {
		for ; at < l.begin; at++ {
			out, from = append(out, src[at]), append(from, at)
		}
		out = append(out, []rune(l.plain)...)
		from = append(from, slices.Repeat([]int{l.begin}, len([]rune(l.plain)))...)
		at = l.end
	}
	for ; at < len(src); at++ {
		out, from = append(out, src[at]), append(from, at)
	}
	return string(out), func(line, column int) (int, int) {
		begin := 0 // of the line, in what came out
		for n := 0; n < line && begin < len(out); begin++ {
			if out[begin] == '\n' {
				n++
			}
		}
		i, at := begin+column, len(src)
		if i < len(from) {
			at = from[i]
		}
		column = 0
		for k := at; k > 0 && src[k-1] != '\n'; k-- {
			column++
		}
		return line, column
	}
}
