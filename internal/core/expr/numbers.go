package expr

import (
	"math"
	"unicode/utf8"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

func zero(*Env) int64 { return 0 }

func constant(n int64) numFn { return func(*Env) int64 { return n } }

// num compiles an expression whose value fits one slot.
func (k *compiler) num(e ast.Expr) numFn {
	switch e.Kind() {
	case ast.LiteralKind:
		return k.literal(e)
	case ast.IdentKind:
		return k.ident(e)
	case ast.SelectKind:
		return k.selected(e)
	case ast.CallKind:
		if d := called(k, e); d != nil {
			return inlineNum(k, e, d, k.num)
		}
		return k.call(e)
	case ast.ComprehensionKind:
		return k.comprehension(e)
	}
	k.fail(e, "lists, maps and messages are not used in rulebooks")
	return zero
}

func (k *compiler) literal(e ast.Expr) numFn {
	switch v := e.AsLiteral().(type) {
	case types.Bool:
		if v {
			return constant(1)
		}
		return zero
	case types.Int:
		return constant(int64(v))
	case types.Double:
		t := float64(v) * sheet.Thousand
		if r := math.Round(t); math.Abs(t-r) < 1e-6 && math.Abs(r) < 1<<53 {
			return constant(int64(r))
		}
		k.fail(e, "a number has at most three decimals and 15 digits")
	default:
		k.fail(e, "a %s cannot stand here", v.Type().TypeName())
	}
	return zero
}

func (k *compiler) ident(e ast.Expr) numFn {
	name := e.AsIdent()
	for i := len(k.accus) - 1; i >= 0; i-- {
		if k.accus[i].name == name {
			return func(v *Env) int64 {
				if v.accuFault[i] != OK {
					return fault(v, v.accuFault[i])
				}
				return v.accus[i]
			}
		}
	}
	if x := k.itemVar(e); x != nil {
		return x.num
	}
	p := k.place(e)
	return func(v *Env) int64 { return int64(p.row(v).ID) }
}

func (k *compiler) selected(e ast.Expr) numFn {
	s := e.AsSelect()
	if c := countOf(k, e); c != nil {
		c.read(k)
		return c.num()
	}
	if s.IsTestOnly() {
		k.fail(e, "has(…) is not needed: every declared field is always there")
		return zero
	}
	if k.typeOf(s.Operand()).TypeName() == positionType.TypeName() {
		at := k.pos(s.Operand())
		switch s.FieldName() {
		case "y":
			return at.y
		case "z":
			return at.z
		}
		return at.x
	}
	if kind, ok := kindOf(k.typeOf(e)); ok {
		p := k.deref(e, kind)
		return func(v *Env) int64 { return int64(p.row(v).ID) }
	}
	p, f := k.field(e)
	if f == nil {
		return zero
	}
	slot := f.Slot()
	if f.Type == sheet.Clock {
		return clockMillis(p.row, slot, f.Wall)
	}
	if e := s.Operand(); p.own && e.Kind() == ast.IdentKind && e.AsIdent() == "me" {
		return func(v *Env) int64 { return v.Me.N[slot] }
	}
	row := p.row
	return func(v *Env) int64 { return row(v).N[slot] }
}

func clockMillis(row rowFn, slot int, wall bool) numFn {
	return func(v *Env) int64 {
		now := v.Play
		if wall {
			now = v.Wall
		}
		n := row(v).N
		return sheet.Millis(sheet.ClockTicks(n[slot], n[slot+1], n[slot+2], now), v.Rate)
	}
}

// argKind stands for the kind of what came with an action, which is no sheet.
const argKind = sheet.Kind(sheet.Kinds)

// aimKind stands for the kind of an aim's way, which is no sheet.
const aimKind = argKind + 1

// fieldNamed returns the field of that name of a kind of sheet, or of the arguments.
func (k *compiler) fieldNamed(kind sheet.Kind, name string) *sheet.Field {
	switch kind {
	case argKind:
	case aimKind:
		return aimSchema.Field(sheet.Match, name)
	default:
		return k.checker.schema.Field(kind, name)
	}
	for _, f := range k.scope.Args {
		if f.Name == name {
			if f.Person {
				k.prog.Wrote = name
			}
			return f
		}
	}
	return nil
}

// field compiles a.b to the sheet and the field, which is read.
func (k *compiler) field(e ast.Expr) (place, *sheet.Field) {
	p, f := k.fieldOf(e)
	if f != nil {
		k.readField(p, f)
	}
	return p, f
}

// fieldOf compiles a.b to the sheet and the field.
func (k *compiler) fieldOf(e ast.Expr) (place, *sheet.Field) {
	s := e.AsSelect()
	p := k.place(s.Operand())
	f := k.fieldNamed(p.kind, s.FieldName())
	if f == nil {
		k.fail(e, "no field is called %q", s.FieldName())
	}
	return p, f
}

// posFn is a compiled position. Where places have two lengths z is nil.
type posFn struct{ x, y, z numFn }

// pos compiles an expression whose value is a position.
func (k *compiler) pos(e ast.Expr) posFn {
	switch e.Kind() {
	case ast.SelectKind:
		if p, f := k.field(e); f != nil {
			return posOf(p, f, k.checker.schema.Deep)
		}
	case ast.CallKind:
		if d := called(k, e); d != nil {
			return inlinePos(k, e, d)
		}
		c := e.AsCall()
		switch c.FunctionName() {
		case "point":
			at := posFn{x: k.num(c.Args()[0]), y: k.num(c.Args()[1])}
			if len(c.Args()) == 3 {
				at.z = k.num(c.Args()[2])
			}
			return at
		case "ahead":
			return ahead(k, e, c.Args())
		case operators.Conditional:
			cond := k.num(c.Args()[0])
			a, b := k.pos(c.Args()[1]), k.pos(c.Args()[2])
			at := posFn{x: choose(cond, a.x, b.x), y: choose(cond, a.y, b.y)}
			if a.z != nil && b.z != nil {
				at.z = choose(cond, a.z, b.z)
			}
			return at
		}
	}
	k.fail(e, "a position is a field, point(…), ahead(…) or a choice between two")
	return nowhere(k.checker.schema.Deep)
}

// nowhere stands in for a position that cannot be compiled.
func nowhere(deep bool) posFn {
	if deep {
		return posFn{zero, zero, zero}
	}
	return posFn{x: zero, y: zero}
}

func posOf(p place, f *sheet.Field, deep bool) posFn {
	slot := f.Slot()
	part := func(n int) numFn { return func(v *Env) int64 { return p.row(v).N[slot+n] } }
	at := posFn{x: part(0), y: part(1)}
	if deep {
		at.z = part(2)
	}
	return at
}

func choose(cond, a, b numFn) numFn {
	return func(v *Env) int64 {
		c := cond(v)
		if v.Fault != OK {
			return 0
		}
		if c != 0 {
			return a(v)
		}
		return b(v)
	}
}

// text compiles an expression whose value is a text.
func (k *compiler) text(e ast.Expr) textFn {
	switch e.Kind() {
	case ast.LiteralKind:
		if s, ok := e.AsLiteral().(types.String); ok {
			return func(*Env) string { return string(s) }
		}
	case ast.SelectKind:
		if p, f := k.field(e); f != nil {
			return textOf(p.row, f)
		}
	case ast.IdentKind:
		if x := k.itemVar(e); x != nil {
			return x.text
		}
	case ast.CallKind:
		if d := called(k, e); d != nil {
			return inlineText(k, e, d)
		}
		if l := k.valueList(e); l != nil {
			return l.text(k, e)
		}
		return k.textCall(e)
	}
	k.fail(e, "this cannot be used as a text here")
	return func(*Env) string { return "" }
}

func textOf(row rowFn, f *sheet.Field) textFn {
	slot := f.Slot()
	if f.Type == sheet.Choice {
		words := f.Choices
		return func(v *Env) string { return words[row(v).N[slot]] }
	}
	return func(v *Env) string { return row(v).S[slot] }
}

func (k *compiler) textCall(e ast.Expr) textFn {
	c := e.AsCall()
	args := c.Args()
	switch c.FunctionName() {
	case operators.Add:
		a, b := k.text(args[0]), k.text(args[1])
		return func(v *Env) string { return a(v) + b(v) }
	case operators.Conditional:
		cond, a, b := k.num(args[0]), k.text(args[1]), k.text(args[2])
		return func(v *Env) string {
			if cond(v) != 0 {
				return a(v)
			}
			return b(v)
		}
	case "string":
		switch k.typeOf(args[0]).Kind() {
		case types.IntKind, types.DoubleKind:
			n, t := k.num(args[0]), sheet.Integer
			if k.typeOf(args[0]).Kind() == types.DoubleKind {
				t = sheet.Number
			}
			return func(v *Env) string { return sheet.IntValue(t, n(v)).Show(nil, v.Rate, 0) }
		case types.StringKind:
			return k.text(args[0])
		}
	}
	k.fail(e, "this cannot be used as a text here")
	return func(*Env) string { return "" }
}

func textSize(t textFn) numFn {
	return func(v *Env) int64 { return int64(utf8.RuneCountInString(t(v))) }
}
