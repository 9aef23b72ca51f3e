package expr

import (
	"slices"
	"strconv"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// List is a compiled list of sheets, or of values, that an effect walks through.
type List struct {
	Source string
	Kind   sheet.Kind
	Item   *sheet.Field // of values: the list that they are of
	Vars   Vars
	Reads  Reads
	list   list
	values textFn
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
	if l := k.listField(k.ast.Expr()); l != nil && l.field.Item != sheet.Ref && len(k.issues) == 0 {
		return &List{Source: src, Item: l.field, Vars: k.prog.Vars, Reads: k.prog.Reads, values: l.list}, nil
	}
	l, ok := k.list(k.ast.Expr())
	if !ok || len(k.issues) > 0 {
		return nil, k.issues[:min(len(k.issues), 1)]
	}
	return &List{Source: src, Kind: l.kind, Vars: k.prog.Vars, Reads: k.prog.Reads, list: l}, nil
}

// Values are the values of a list of values, as a sheet holds them.
func (l *List) Values(v *Env) string { return l.values(v) }

// Whole is a compiled expression for all that a list holds.
type Whole struct {
	Vars  Vars
	Reads Reads
	text  textFn
}

// CompileWhole compiles what a list is set to: another list of its kind, a part of one, or items written out.
func (c *Checker) CompileWhole(src string, scope Scope, f *sheet.Field) (*Whole, []Issue) {
	k, issues := c.parse(src, scope)
	if k == nil {
		return nil, issues
	}
	text := wholeList(k, k.ast.Expr(), f)
	if len(k.issues) > 0 {
		return nil, k.issues[:1]
	}
	return &Whole{k.prog.Vars, k.prog.Reads, text}, nil
}

// Value evaluates to a list as a sheet holds it; a fault is kept in e.Fault.
func (w *Whole) Value(e *Env) string {
	e.Fault = OK
	return w.text(e)
}

// wholeList compiles a list of what f holds.
func wholeList(k *compiler, e ast.Expr, f *sheet.Field) textFn {
	none := func(*Env) string { return "" }
	if k.typeOf(e).Kind() != types.ListKind {
		k.fail(e, "a list is needed here, such as [1, 2], another list, or a part of one by filter")
		return none
	}
	if e.Kind() == ast.ListKind {
		return writtenOut(k, e.AsList().Elements(), f)
	}
	if c := e.AsCall(); e.Kind() == ast.CallKind && c.FunctionName() == operators.Conditional {
		cond, a, b := k.num(c.Args()[0]), wholeList(k, c.Args()[1], f), wholeList(k, c.Args()[2], f)
		return func(v *Env) string {
			if cond(v) != 0 {
				return a(v)
			}
			return b(v)
		}
	}
	if l := k.listField(e); l != nil && l.field.Item != sheet.Ref {
		if l.field.Item != f.Item || f.Item == sheet.Choice && !slices.Equal(l.field.Choices, f.Choices) {
			k.fail(e, "%s holds other values", l.field.Name)
		}
		return l.list
	}
	l, ok := k.list(e)
	if ok && (f.Item != sheet.Ref || f.Of != l.kind) {
		k.fail(e, "this gives a list of %ss, but a list of %ss is needed here", l.kind, itemWord(f))
	}
	if !ok || len(k.issues) > 0 {
		return none
	}
	return func(v *Env) string {
		var ids []string
		of := l.owner(v)
		for _, r := range l.looked(v) {
			if l.has(v, of, r) {
				ids = append(ids, strconv.FormatInt(int64(r.ID), 10))
			}
		}
		return sheet.ListOf(ids, false)
	}
}

// writtenOut compiles items between brackets.
func writtenOut(k *compiler, items []ast.Expr, f *sheet.Field) textFn {
	one := *f
	one.Type = f.Item
	var texts []textFn
	for _, x := range items {
		t, ok := k.plainType(x)
		switch {
		case f.Item == sheet.Text && t.Of == sheet.Text:
			texts = append(texts, k.text(x))
		case f.Item == sheet.Choice && t.Of == sheet.Text:
			texts = append(texts, decimal(k.choice(x, &one)))
		case ok && t.Of == f.Item && (f.Item != sheet.Ref || t.Kind == f.Of):
			texts = append(texts, decimal(k.num(x)))
		default:
			k.fail(x, "this gives %s, but the list holds %ss", typeWords(k.typeOf(x)), itemWord(f))
		}
	}
	return func(v *Env) string {
		out := make([]string, len(texts))
		for i, text := range texts {
			out[i] = text(v)
		}
		return sheet.ListOf(out, f.Item == sheet.Text)
	}
}

// itemWord is what a list holds.
func itemWord(f *sheet.Field) string {
	if f.Item == sheet.Ref {
		return f.Of.String()
	}
	return f.Item.String()
}

func decimal(n numFn) textFn { return func(v *Env) string { return strconv.FormatInt(n(v), 10) } }

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
