package expr

import (
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// List is a compiled list of sheets that an effect walks through.
type List struct {
	Source string
	Kind   sheet.Kind
	Vars   Vars
	Reads  Reads
	list   list
}

// Reserved are the names that a walk may not give, because they mean something else.
var Reserved = []string{"lobby", "match", "me", "it", "target", "piece", "creature", "zone", "aim", "arg", "team",
	"record", "players", "teams", "pieces", "creatures", "zones", "nobody", "noteam", "nocreature", "true", "false",
	"null", "in"}

// CompileList compiles an expression that gives a list of sheets, such as me.rivals.filter(p, p.alive) or match.queue.
func (c *Checker) CompileList(src string, scope Scope) (*List, []Issue) {
	k, issues := c.parse(src, scope)
	if k == nil {
		return nil, issues
	}
	l, ok := k.list(k.ast.Expr())
	if !ok || len(k.issues) > 0 {
		return nil, k.issues[:min(len(k.issues), 1)]
	}
	return &List{src, l.kind, k.prog.Vars, k.prog.Reads, l}, nil
}

// Append adds the sheets of the list to others.
func (l *List) Append(v *Env, dst []*sheet.Row) []*sheet.Row {
	of := l.list.owner(v)
	for _, r := range l.list.looked(v) {
		if l.list.has(v, of, r) {
			dst = append(dst, r)
		}
	}
	return dst
}

// IsReserved tells whether a walk may not give a name.
func IsReserved(name string) bool { return slices.Contains(Reserved, name) }
