package expr

import (
	"slices"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
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

// listField compiles a field that is a list; nil for anything else.
func (k *compiler) listField(e ast.Expr) *values {
	if e.Kind() != ast.SelectKind || k.typeOf(e).Kind() != types.ListKind {
		return nil
	}
	kind, ok := kindOf(k.typeOf(e.AsSelect().Operand()))
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

// valueList returns the list that a call picks a value from; nil for any other call.
func (k *compiler) valueList(e ast.Expr) *values {
	c := e.AsCall()
	if !c.IsMemberFunction() || c.FunctionName() != "first" && c.FunctionName() != "nth" {
		return nil
	}
	return k.listField(c.Target())
}

// itemVar returns the walk whose variable a name is, and over which list of values.
func (k *compiler) itemVar(e ast.Expr) (int, *sheet.Field) {
	if e.Kind() == ast.IdentKind {
		for i := len(k.loops) - 1; i >= k.floor; i-- {
			if k.loops[i].name == e.AsIdent() {
				return i, k.loops[i].item
			}
		}
	}
	return 0, nil
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
