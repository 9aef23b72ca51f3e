package sheet

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Read reads a value and holds it against the field's bounds.
func Read(f *Field, raw any) (Value, error) { return read(f, raw, true) }

// ReadLoose reads a value without regard to bounds, for what the authority
// itself checks.
func ReadLoose(f *Field, raw any) (Value, error) { return read(f, raw, false) }

func read(f *Field, raw any, bounded bool) (Value, error) {
	v := Value{Type: f.Type}
	text := fmt.Sprint(raw)
	if n, ok := raw.(float64); ok { // never with an exponent
		text = strconv.FormatFloat(n, 'f', -1, 64)
	}
	switch f.Type {
	case Text:
		if bounded && utf8.RuneCountInString(text) > int(f.Max) {
			return v, fmt.Errorf("a text of at most %d characters is allowed", f.Max)
		}
		v.S = text
	case Flag:
		if text != "true" && text != "false" {
			return v, fmt.Errorf("true or false is expected, not %q", text)
		}
		if text == "true" {
			v.N[0] = 1
		}
	case Choice:
		i := slices.Index(f.Choices, text)
		if i < 0 {
			return v, fmt.Errorf("one of %s is expected, not %q", strings.Join(f.Choices, ", "), text)
		}
		v.N[0] = int64(i)
	default:
		n, ok := ParseThousandths(text)
		if f.Type != Number {
			ok, n = ok && n%Thousand == 0, n/Thousand
		}
		if !ok {
			return v, fmt.Errorf("a value of type %s is expected, not %q", f.Type, text)
		}
		if bounded && f.Clamp(n) != n {
			return v, fmt.Errorf("a value from %s to %s is expected, not %s", IntValue(f.Type, f.Min).Show(f, 0, 0),
				IntValue(f.Type, f.Max).Show(f, 0, 0), text)
		}
		v.N[0] = n
	}
	return v, nil
}

var numberForm = regexp.MustCompile(`^-?[0-9]+(\.[0-9]{1,3})?$`)

// ParseThousandths reads a decimal with at most three decimals.
func ParseThousandths(s string) (int64, bool) {
	if !numberForm.MatchString(s) {
		return 0, false
	}
	whole, frac, _ := strings.Cut(s, ".")
	n, err := strconv.ParseInt(whole, 10, 64)
	if err != nil || n > math.MaxInt64/1000-1 || n < math.MinInt64/1000+1 {
		return 0, false
	}
	for len(frac) < 3 {
		frac += "0"
	}
	f, _ := strconv.ParseInt(frac, 10, 64)
	if strings.HasPrefix(whole, "-") {
		f = -f
	}
	return n*1000 + f, true
}
