// Package values reads values of fields as people and programs write them:
// numbers as decimals, choices by their word.
package values

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"turnvex/internal/rulebook"
	"turnvex/internal/sheet"
)

// Read reads a value and holds it against the field's bounds.
func Read(f *sheet.Field, raw any) (sheet.Value, error) { return read(f, raw, true) }

// ReadLoose reads a value without regard to bounds, for what the authority
// itself checks.
func ReadLoose(f *sheet.Field, raw any) (sheet.Value, error) { return read(f, raw, false) }

func read(f *sheet.Field, raw any, bounded bool) (sheet.Value, error) {
	v := sheet.Value{Type: f.Type}
	text := fmt.Sprint(raw)
	if n, ok := raw.(float64); ok { // never with an exponent
		text = strconv.FormatFloat(n, 'f', -1, 64)
	}
	switch f.Type {
	case sheet.Text:
		if bounded && utf8.RuneCountInString(text) > int(f.Max) {
			return v, fmt.Errorf("a text of at most %d characters is allowed", f.Max)
		}
		v.S = text
	case sheet.Flag:
		if text != "true" && text != "false" {
			return v, fmt.Errorf("true or false is expected, not %q", text)
		}
		if text == "true" {
			v.N[0] = 1
		}
	case sheet.Choice:
		i := slices.Index(f.Choices, text)
		if i < 0 {
			return v, fmt.Errorf("one of %s is expected, not %q", strings.Join(f.Choices, ", "), text)
		}
		v.N[0] = int64(i)
	default:
		n, ok := rulebook.ParseThousandths(text)
		if f.Type != sheet.Number {
			ok, n = ok && n%sheet.Thousand == 0, n/sheet.Thousand
		}
		if !ok {
			return v, fmt.Errorf("a value of type %s is expected, not %q", f.Type, text)
		}
		if bounded && f.Clamp(n) != n {
			return v, fmt.Errorf("a value from %s to %s is expected, not %s", sheet.IntValue(f.Type, f.Min).Show(f, 0, 0),
				sheet.IntValue(f.Type, f.Max).Show(f, 0, 0), text)
		}
		v.N[0] = n
	}
	return v, nil
}
