package rulebook

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/agnivade/levenshtein"
)

// Severity tells an error, which keeps a rulebook from being used, from a warning, which names something legal but
// surely wrong.
type Severity string

// The severities.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
)

// Problem is one finding about a rulebook.
type Problem struct {
	Severity Severity `json:"severity"`
	Code     string   `json:"code"`             // stable, e.g. "unknown-key"
	File     string   `json:"file,omitempty"`   // where it is in another file than the rulebook's own
	Line     int      `json:"line"`             // from 1
	Column   int      `json:"column"`           // from 1, in characters
	At       string   `json:"at,omitempty"`     // where in the document, e.g. actions.ram.cost
	Message  string   `json:"message"`          // what was found
	Wanted   string   `json:"wanted,omitempty"` // what is expected there
	Nearest  string   `json:"nearest,omitempty"`

	word string // the name that was not known, if that is the problem
	swap swap   // what to write in place of what rulebooks said before, if that is the problem
}

// swap is a text where a problem is, and what stands for it now.
type swap struct{ old, now string }

// String writes the problem on one line, without the file's name.
func (p Problem) String() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%d:%d: %s: %s", p.Line, p.Column, p.Severity, p.Message)
	if p.At != "" {
		fmt.Fprintf(&b, " (at %s)", p.At)
	}
	if p.Wanted != "" {
		fmt.Fprintf(&b, "; expected %s", p.Wanted)
	}
	if p.Nearest != "" {
		fmt.Fprintf(&b, "; did you mean %q?", p.Nearest)
	}
	fmt.Fprintf(&b, " [%s]", p.Code)
	return b.String()
}

// Problems is a list of findings. As an error it shows every one.
type Problems []Problem

// Error writes the problems, one on a line.
func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for i, p := range ps {
		lines[i] = p.String()
	}
	return strings.Join(lines, "\n")
}

// Errors returns those that keep the rulebook from being used.
func (ps Problems) Errors() Problems {
	var out Problems
	for _, p := range ps {
		if p.Severity == Error {
			out = append(out, p)
		}
	}
	return out
}

// maxProblems bounds how many findings are kept of one document.
const maxProblems = 500

func (ps Problems) sorted() Problems {
	slices.SortStableFunc(ps, func(a, b Problem) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
	})
	ps = slices.Compact(ps)
	if len(ps) > maxProblems {
		ps = append(ps[:maxProblems], Problem{Severity: Error, Code: "too-many", Line: ps[maxProblems].Line, Column: 1,
			Message: fmt.Sprintf("more than %d problems; the rest is not shown", maxProblems)})
	}
	return ps
}

// Nearest returns the known word that is closest to a mistyped one, or "" when none is close. The word itself is no
// help: it is known, but not there.
func Nearest(word string, known []string) string {
	best, dist := "", len(word)/2+1
	for _, k := range known {
		if d := levenshtein.ComputeDistance(word, k); d > 0 && d < dist || d == dist && best != "" && k < best {
			best, dist = k, d
		}
	}
	return best
}
