package hall

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"turnvex/internal/code"
	"turnvex/internal/fault"
	"turnvex/internal/match"
	"turnvex/internal/rulebook"
	"turnvex/internal/sheet"
)

// checkOptions turns the options of an opening into fields of the lobby sheet.
func checkOptions(book *rulebook.Book, given map[string]any) ([]match.Named, error) {
	var out []match.Named
	for name, raw := range given {
		i := slices.IndexFunc(book.Options, func(f *sheet.Field) bool { return f.Name == name })
		if i < 0 {
			var known []string
			for _, f := range book.Options {
				known = append(known, f.Name)
			}
			return nil, fault.New(code.BadOption, "%s has no option %q; it has: %s", book.Name, name, strings.Join(known, ", "))
		}
		v, err := ReadValue(book.Options[i], raw)
		if err != nil {
			return nil, fault.New(code.BadOption, "the option %s: %s", name, err)
		}
		out = append(out, match.Named{Name: name, Value: v})
	}
	slices.SortFunc(out, func(a, b match.Named) int { return strings.Compare(a.Name, b.Name) })
	return out, nil
}

// ReadValue reads a value as a person or a program writes it (numbers as
// decimals, choices by word) and holds it against the field's bounds.
func ReadValue(f *sheet.Field, raw any) (sheet.Value, error) {
	v := sheet.Value{Type: f.Type}
	text := fmt.Sprint(raw)
	switch f.Type {
	case sheet.Text:
		if utf8.RuneCountInString(text) > int(f.Max) {
			return v, fmt.Errorf("a text of at most %d characters is allowed", f.Max)
		}
		v.S = text
	case sheet.Flag:
		switch text {
		case "true":
			v.N[0] = 1
		case "false":
		default:
			return v, fmt.Errorf("true or false is expected, not %q", text)
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
		if f.Clamp(n) != n {
			return v, fmt.Errorf("a value from %s to %s is expected, not %s", sheet.IntValue(f.Type, f.Min).Show(f, 0, 0),
				sheet.IntValue(f.Type, f.Max).Show(f, 0, 0), text)
		}
		v.N[0] = n
	}
	return v, nil
}
