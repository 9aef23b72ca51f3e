package hall

import (
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
)

// checkOptions turns the options of an opening into fields of the lobby sheet.
func checkOptions(book *rulebook.Book, given map[string]any) ([]step.Named, error) {
	var out []step.Named
	for name, raw := range given {
		i := slices.IndexFunc(book.Options, func(f *sheet.Field) bool { return f.Name == name })
		if i < 0 {
			var known []string
			for _, f := range book.Options {
				known = append(known, f.Name)
			}
			return nil, fault.New(code.BadOption, "%s has no option %q; it has: %s", book.Name, name, strings.Join(known, ", "))
		}
		v, err := sheet.Read(book.Options[i], raw)
		if err != nil {
			return nil, fault.New(code.BadOption, "the option %s: %s", name, err)
		}
		out = append(out, step.Named{Name: name, Value: v})
	}
	slices.SortFunc(out, func(a, b step.Named) int { return strings.Compare(a.Name, b.Name) })
	return out, nil
}
