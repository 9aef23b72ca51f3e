package code

import (
	"fmt"
	"strings"
)

// Page writes docs/errors.md.
func Page() string {
	var b strings.Builder
	b.WriteString("# Errors\n\n<!-- Written by ./dev docs from internal/core/code; change it there. -->\n\n" +
		"Everything that Turnvex refuses has a code that never changes its meaning. Over HTTP it\n" +
		"stands in the problem document (RFC 9457) as `code`, on the live socket in a verdict's or\n" +
		"a bye's `code`, and the command line writes it in brackets. The text beside it is for\n" +
		"people and may change. Nothing is half-done after a refusal.\n\n" +
		"| code | HTTP | what was wrong, what to do |\n|---|---|---|\n")
	for _, e := range All {
		fmt.Fprintf(&b, "| `%s` | %d | %s |\n", e.Code, e.Status, e.Meaning)
	}
	return b.String()
}
