package hall

import (
	"maps"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
)

// CheckOptions tells whether a rulebook has these options, with these values.
func CheckOptions(book *rulebook.Book, given map[string]any) error {
	_, err := readOptions(book, given)
	return err
}

// readOptions turns the options of an opening into fields of the lobby sheet.
func readOptions(book *rulebook.Book, given map[string]any) ([]step.Named, error) {
	var out []step.Named
	for _, name := range slices.Sorted(maps.Keys(given)) {
		i := slices.IndexFunc(book.Options, func(f *sheet.Field) bool { return f.Name == name })
		if i < 0 {
			var known []string
			for _, f := range book.Options {
				known = append(known, f.Name)
			}
			return nil, fault.New(code.BadOption, "%s has no option %q; it has: %s", book.Name, name,
				strings.Join(known, ", "))
		}
		f := book.Options[i]
		v, err := readSent(f, given[name])
		if err == nil {
			err = f.Check(v)
		}
		if err != nil {
			return nil, fault.New(code.BadOption, "the option %s: %s", name, err)
		}
		out = append(out, step.Named{Name: name, Value: v})
	}
	return out, nil
}
