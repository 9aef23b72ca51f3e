package expr

import (
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// choiceField returns the choice field that e reads, or nil.
func (k *compiler) choiceField(e ast.Expr) *sheet.Field {
	if x := k.itemVar(e); x != nil && x.field.Item == sheet.Choice {
		return x.field
	}
	if d := called(k, e); d != nil && d.ast != nil {
		outer := *k
		k.ast, k.scope, k.floor = d.ast, Scope{Vars: Definable | Args, Args: d.takes}, len(k.loops)
		f := k.choiceField(d.ast.Expr())
		*k = outer
		return f
	}
	if e.Kind() == ast.CallKind {
		if l := k.valueList(e); l != nil && l.field.Item == sheet.Choice {
			return l.field
		}
	}
	if e.Kind() != ast.SelectKind {
		return nil
	}
	t := k.typeOf(e.AsSelect().Operand())
	kind, ok := kindOf(t)
	switch t.TypeName() {
	case argsType.TypeName():
		kind, ok = argKind, true
	case aimType.TypeName():
		kind, ok = aimKind, true
	}
	if !ok {
		return nil
	}
	if f := k.fieldNamed(kind, e.AsSelect().FieldName()); f != nil && f.Type == sheet.Choice {
		return f
	}
	return nil
}

// comparable tells whether e can be read as an index into f's words.
func (k *compiler) comparable(e ast.Expr, f *sheet.Field) bool {
	if e.Kind() == ast.LiteralKind {
		return true
	}
	g := k.choiceField(e)
	return g != nil && slices.Equal(g.Choices, f.Choices)
}

// choice compiles a text expression as an index into a choice field's words.
func (k *compiler) choice(e ast.Expr, f *sheet.Field) numFn {
	switch e.Kind() {
	case ast.LiteralKind:
		word := string(e.AsLiteral().(types.String))
		if i := slices.Index(f.Choices, word); i >= 0 {
			return constant(int64(i))
		}
		if len(f.Choices) == 0 { // its declaration has been reported
			return zero
		}
		k.fail(e, "%s has no word %q", f.Name, word)
		is := &k.issues[len(k.issues)-1]
		is.Word, is.Known = word, f.Choices
		return zero
	case ast.SelectKind:
		if to, is := translation(k.choiceField(e), f); is {
			p, g := k.field(e)
			slot := g.Slot()
			return translated(to, func(v *Env) int64 { return p.row(v).N[slot] })
		}
	case ast.IdentKind:
		if to, is := translation(k.choiceField(e), f); is {
			return translated(to, k.itemVar(e).num)
		}
	case ast.CallKind:
		if d := called(k, e); d != nil {
			return inlineNum(k, e, d, func(b ast.Expr) numFn { return k.choice(b, f) })
		}
		if l := k.valueList(e); l != nil && slices.Equal(l.field.Choices, f.Choices) {
			return l.number(k, e)
		}
		if c := e.AsCall(); c.FunctionName() == operators.Conditional {
			return choose(k.num(c.Args()[0]), k.choice(c.Args()[1], f), k.choice(c.Args()[2], f))
		}
	}
	k.fail(e, "only one of the words %s, or a field with no other words, can be given here",
		strings.Join(f.Choices, ", "))
	return zero
}

// translation says which of f's words each of g's is; nil for the same one. It is false where one is missing.
func translation(g, f *sheet.Field) (to []int64, is bool) {
	if g == nil {
		return nil, false
	}
	if slices.Equal(g.Choices, f.Choices) {
		return nil, true
	}
	for _, word := range g.Choices {
		i := slices.Index(f.Choices, word)
		if i < 0 {
			return nil, false
		}
		to = append(to, int64(i))
	}
	return to, true
}

func translated(to []int64, n numFn) numFn {
	if to == nil {
		return n
	}
	return func(v *Env) int64 { return to[n(v)] }
}
