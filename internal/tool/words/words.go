// Package words counts what somebody has to learn who writes rulebooks: keys, what they say, the words that they take,
// and functions.
package words

import (
	"fmt"
	"io"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
)

// Print writes how many keys, meanings, words and functions there are, and then every key that is explained in more
// than one way, with all that it says.
func Print(w io.Writer) error {
	functions, err := expr.Functions()
	if err != nil {
		return err
	}
	all := rulebook.Meanings()
	keys := map[string][]rulebook.Meaning{}
	texts := map[string]map[string]bool{}
	for _, m := range all {
		if texts[m.Key] == nil {
			texts[m.Key] = map[string]bool{}
		}
		keys[m.Key] = append(keys[m.Key], m)
		texts[m.Key][m.Says] = true
	}
	explanations, several := 0, 0
	for _, t := range texts {
		if explanations += len(t); len(t) > 1 {
			several++
		}
	}
	fmt.Fprintf(w, "%d keys with %d places and %d explanations, %d words, %d functions\n", len(keys), len(all),
		explanations, len(rulebook.Words()), len(functions))
	fmt.Fprintf(w, "%d keys have more than one explanation:\n", several)
	for i, m := range all {
		if len(texts[m.Key]) < 2 {
			continue
		}
		if i == 0 || all[i-1].Key != m.Key {
			fmt.Fprintf(w, "\n%s\n", m.Key)
		}
		fmt.Fprintf(w, "  %-18s %s\n", m.Of, m.Says)
	}
	return nil
}
