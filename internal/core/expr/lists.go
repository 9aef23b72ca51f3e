package expr

import (
	"slices"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// listDecls declares the functions of lists of values.
func listDecls() []cel.EnvOption {
	i, s := types.IntType, types.StringType
	ints, texts := types.NewListType(i), types.NewListType(s)
	return []cel.EnvOption{
		cel.Function("first", cel.MemberOverload("first_ints", []*cel.Type{ints}, i),
			cel.MemberOverload("first_texts", []*cel.Type{texts}, s)),
		cel.Function("nth", cel.MemberOverload("nth_ints", []*cel.Type{ints, i}, i),
			cel.MemberOverload("nth_texts", []*cel.Type{texts, i}, s)),
	}
}

// values is a compiled list field: integers, words, texts or numbers of sheets.
type values struct {
	field *sheet.Field
	list  textFn
}

// listField compiles a field or an argument that is a list, and what filter leaves of one of values; nil for anything
// else.
func (k *compiler) listField(e ast.Expr) *values {
	if e.Kind() == ast.ComprehensionKind {
		return filteredValues(k, e.AsComprehension())
	}
	if e.Kind() != ast.SelectKind || k.typeOf(e).Kind() != types.ListKind {
		return nil
	}
	kind, ok := sheetOrArgs(k.typeOf(e.AsSelect().Operand()))
	if !ok {
		return nil
	}
	f := k.fieldNamed(kind, e.AsSelect().FieldName())
	if f == nil || f.Type != sheet.List {
		return nil
	}
	p, _ := k.field(e)
	slot := f.Slot()
	return &values{f, func(v *Env) string { return p.row(v).S[slot] }}
}

// sheetOrArgs is the kind of sheet of a type, or argKind.
func sheetOrArgs(t *types.Type) (sheet.Kind, bool) {
	if t.TypeName() == argsType.TypeName() {
		return argKind, true
	}
	return kindOf(t)
}

// filteredValues compiles list.filter(x, condition) over a list of values; nil for anything else.
func filteredValues(k *compiler, c ast.ComprehensionExpr) *values {
	step := c.LoopStep()
	if c.HasIterVar2() || step.Kind() != ast.CallKind || step.AsCall().FunctionName() != operators.Conditional ||
		k.typeOf(c.AccuInit()).Kind() != types.ListKind {
		return nil
	}
	l := k.listField(c.IterRange())
	slot := len(k.loops)
	if l == nil || l.field.Item == sheet.Ref || slot == maxRows {
		return nil
	}
	k.costs(int64(l.field.Most))
	k.loops = append(k.loops, loopVar{name: c.IterVar(), item: l.field, size: int64(l.field.Most)})
	holds, list, texts := k.num(step.AsCall().Args()[0]), l.list, l.field.Item == sheet.Text
	k.loops = k.loops[:slot]
	return &values{l.field, func(v *Env) string {
		items := sheet.Items(list(v))
		if !v.looks(len(items)) {
			return ""
		}
		before := v.Fault
		items = slices.DeleteFunc(items, func(item string) bool {
			v.Fault = OK
			if v.texts[slot] = item; !texts {
				v.items[slot], _ = sheet.NextItem(item)
			}
			return holds(v) == 0 || v.Fault != OK
		})
		v.Fault = before
		return sheet.ListOf(items, texts)
	}}
}

// valueList returns the list that a call picks a value from; nil for any other call.
func (k *compiler) valueList(e ast.Expr) *values {
	c := e.AsCall()
	if !c.IsMemberFunction() || c.FunctionName() != "first" && c.FunctionName() != "nth" {
		return nil
	}
	return k.listField(c.Target())
}

// itemVar is a name for one value of a list.
type itemVar struct {
	field *sheet.Field // the list
	num   numFn
	text  textFn
}

// itemVar returns what a name stands for that a walk gives to each value of a list; nil for any other name.
func (k *compiler) itemVar(e ast.Expr) *itemVar {
	if e.Kind() != ast.IdentKind {
		return nil
	}
	name := e.AsIdent()
	for i := len(k.loops) - 1; i >= k.floor; i-- {
		if k.loops[i].name == name {
			return itemOr(k.loops[i].item, func(v *Env) int64 { return v.items[i] },
				func(v *Env) string { return v.texts[i] })
		}
	}
	for i := len(k.scope.Named) - 1; i >= 0; i-- {
		if n := k.scope.Named[i]; n.Name == name {
			k.prog.Vars |= Walked
			return itemOr(n.Item, func(v *Env) int64 { return v.Named[i].N[0] },
				func(v *Env) string { return v.Named[i].S[0] })
		}
	}
	if name == "it" && k.scope.Item != nil {
		k.prog.Vars |= It
		return itemOr(k.scope.Item, func(v *Env) int64 { return v.It.N[0] }, func(v *Env) string { return v.It.S[0] })
	}
	return nil
}

func itemOr(of *sheet.Field, num numFn, text textFn) *itemVar {
	if of == nil {
		return nil
	}
	if words := of.Choices; of.Item == sheet.Choice {
		text = func(v *Env) string { return words[num(v)] }
	}
	return &itemVar{of, num, text}
}

// nth compiles which item a call picks, from 1.
func (k *compiler) nth(e ast.Expr) numFn {
	if c := e.AsCall(); c.FunctionName() == "nth" {
		return k.num(c.Args()[0])
	}
	return constant(1)
}

// number is the item that a call picks, 0 where there is none.
func (l *values) number(k *compiler, e ast.Expr) numFn {
	nth, list := k.nth(e), l.list
	return func(v *Env) int64 {
		n, s := nth(v), list(v)
		for ; n > 0 && s != ""; n-- {
			var item int64
			if item, s = sheet.NextItem(s); n == 1 {
				return item
			}
		}
		return 0
	}
}

// text is the text or word that a call picks.
func (l *values) text(k *compiler, e ast.Expr) textFn {
	nth, list, words := k.nth(e), l.list, l.field.Choices
	if l.field.Item == sheet.Choice {
		number := l.number(k, e)
		return func(v *Env) string { return words[number(v)] }
	}
	return func(v *Env) string {
		n, items := nth(v), sheet.Items(list(v))
		if n < 1 || n > int64(len(items)) {
			return ""
		}
		return items[n-1]
	}
}

// rows is a list of the sheets that a list of references names.
func (l *values) rows() list {
	kind, text := l.field.Of, l.list
	return list{kind: kind, base: func(v *Env) (out []*sheet.Row) {
		for s := text(v); s != ""; {
			var id int64
			if id, s = sheet.NextItem(s); v.Store.GetOr(sheet.ID(id), kind).ID != 0 {
				out = append(out, v.Store.Get(sheet.ID(id)))
			}
		}
		return out
	}}
}

// has compiles x in list.
func (k *compiler) inList(a ast.Expr, l *values) numFn {
	list := l.list
	switch l.field.Item {
	case sheet.Text:
		text := k.text(a)
		return func(v *Env) int64 { return truth(slices.Contains(sheet.Items(list(v)), text(v))) }
	case sheet.Choice:
		return contains(list,
			k.choice(a, &sheet.Field{Name: l.field.Name, Type: sheet.Choice, Choices: l.field.Choices}))
	}
	return contains(list, k.num(a))
}

func contains(list textFn, item numFn) numFn {
	return func(v *Env) int64 {
		want := item(v)
		for s := list(v); s != ""; {
			var n int64
			if n, s = sheet.NextItem(s); n == want {
				return 1
			}
		}
		return 0
	}
}
