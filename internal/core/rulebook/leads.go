package rulebook

import (
	"regexp"
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Lead is where a phase leads: to a phase, to the end of the match, or where an expression says.
type Lead struct {
	No  int        // a phase, or EndOfMatch
	By  *expr.Prog // the place of a phase in their order, or one more for the end; nil for No
	May []int      // with By: where it may lead, as far as it is written out
}

// lead says of a number that By has given which phase it means.
func (l *Lead) lead(phases, n int) int {
	if n == phases {
		return EndOfMatch
	}
	return n
}

// To evaluates where it leads, among so many phases; false where that cannot be computed.
func (l *Lead) To(e *expr.Env, phases int) (int, bool) {
	if l.By == nil {
		e.Fault = expr.OK
		return l.No, true
	}
	n := l.By.Int(e)
	return l.lead(phases, int(n)), e.Fault == expr.OK
}

// all are the phases to which it may lead.
func (l *Lead) all() []int {
	if l.By == nil {
		return []int{l.No}
	}
	return l.May
}

var quotedWord = regexp.MustCompile(`['"]([a-z][a-z0-9_]*)['"]`)

// leadOf binds the name of a phase, end, or an expression that gives one of them.
func leadOf(b *terms, n *node, scope expr.Scope) Lead {
	if nameForm.MatchString(n.text) || n.kind != scalarNode {
		return Lead{No: b.phaseOrEnd(n)}
	}
	words := append(slices.Clone(b.phaseNames()), "end")
	choice := &sheet.Field{Name: "the match", Type: sheet.Choice, Choices: words}
	l := Lead{No: EndOfMatch, By: b.compile(n, scope, expr.Want{Field: choice})}
	for _, found := range quotedWord.FindAllStringSubmatch(n.text, -1) {
		if i := slices.Index(words, found[1]); i >= 0 {
			l.May = append(l.May, l.lead(len(words)-1, i))
		}
	}
	if len(l.May) == 0 { // by a field: anywhere
		for i := range words {
			l.May = append(l.May, l.lead(len(words)-1, i))
		}
	}
	return l
}
