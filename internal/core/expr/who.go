package expr

import (
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Who is a compiled expression for one sheet, or for several.
type Who struct {
	Several bool
	Vars    Vars
	Reads   Reads
	one     *Prog
	list    list
}

// CompileWho compiles an expression that gives a sheet of a kind, such as me, or a list of them, such as
// players.filter(p, p.alive).
func (c *Checker) CompileWho(src string, scope Scope, kind sheet.Kind) (*Who, []Issue) {
	k, issues := c.parse(src, scope)
	if k == nil {
		return nil, issues
	}
	if e := k.ast.Expr(); k.typeOf(e).Kind() == types.ListKind {
		l, ok := k.list(e)
		if ok && l.kind != kind {
			k.fail(e, "this gives a list of %ss, but %ss are needed here", l.kind, kind)
		}
		if len(k.issues) > 0 {
			return nil, k.issues[:1]
		}
		return &Who{Several: true, Vars: k.prog.Vars, Reads: k.prog.Reads, list: l}, nil
	}
	p, issues := c.Compile(src, scope, Want{Type: sheet.Ref, Ref: kind})
	if p == nil {
		return nil, issues
	}
	return &Who{Vars: p.Vars, Reads: p.Reads, one: p}, issues
}

// Append adds the sheets that are meant to others; none where nobody is meant. A fault is kept in e.Fault.
func (w *Who) Append(e *Env, dst []*sheet.Row) []*sheet.Row {
	if w.one != nil {
		if r := e.Store.Get(sheet.ID(w.one.Int(e))); r != nil {
			dst = append(dst, r)
		}
		return dst
	}
	e.Fault = OK
	of := w.list.owner(e)
	for _, r := range w.list.looked(e) {
		if w.list.has(e, of, r) {
			dst = append(dst, r)
		}
	}
	return dst
}
