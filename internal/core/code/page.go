package code

import (
	"fmt"
	"strings"
)

// Page writes docs/errors.md.
func Page() string {
	var b strings.Builder
	b.WriteString("# Errors\n\n<!-- Written by ./dev docs from internal/core/code; change it there. -->\n\n" +
		"Every refusal has a `code` whose meaning never changes. Over HTTP it is the `code` of the\n" +
		"problem document (RFC 9457), on the live socket the `code` of a verdict or a bye, and the\n" +
		"command line prints it in brackets. The text beside it is for people and may change. After a\n" +
		"refusal, nothing is left half-done.\n\n" +
		"| code | HTTP | what was wrong, what to do |\n" +
		"|---|---|---|\n")
	for _, e := range All {
		fmt.Fprintf(&b, "| `%s` | %d | %s |\n", e.Code, e.Status, e.Meaning)
	}
	return b.String()
}
