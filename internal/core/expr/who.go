package expr

import (
	"slices"

	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Who is a compiled expression for one sheet, or for several.
type Who struct {
	Several bool
	Kind    sheet.Kind
	Vars    Vars
	Reads   Reads
	one     *Prog
	list    list
}

// CompileWho compiles an expression that gives a sheet of one of these kinds, such as me, or a list of them, such as
// players.filter(p, p.alive).
func (c *Checker) CompileWho(src string, scope Scope, kinds ...sheet.Kind) (*Who, []Issue) {
	k, issues := c.parse(src, scope)
	if k == nil {
		return nil, issues
	}
	if e := k.ast.Expr(); k.typeOf(e).Kind() == types.ListKind {
		l, ok := k.list(e)
		if ok && !slices.Contains(kinds, l.kind) {
			k.fail(e, "this gives a list of %ss, but %ss are needed here", l.kind, kinds[0])
		}
		if len(k.issues) > 0 {
			return nil, k.issues[:1]
		}
		return &Who{Several: true, Kind: l.kind, Vars: k.prog.Vars, Reads: k.prog.Reads, list: l}, nil
	}
	want := Want{Type: sheet.Ref, Ref: kinds[0]}
	if t, ok := k.plainType(k.ast.Expr()); ok && t.Of == sheet.Ref && slices.Contains(kinds, t.Kind) {
		want.Ref = t.Kind
	}
	p, issues := c.Compile(src, scope, want)
	if p == nil {
		return nil, issues
	}
	return &Who{Kind: want.Ref, Vars: p.Vars, Reads: p.Reads, one: p}, issues
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
