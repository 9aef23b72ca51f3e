package expr

import (
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// call compiles a function or operator whose value fits one slot.
func (k *compiler) call(e ast.Expr) numFn {
	c := e.AsCall()
	args := c.Args()
	switch name := c.FunctionName(); name {
	case operators.LogicalAnd, operators.LogicalOr:
		return logic(name == operators.LogicalAnd, k.num(args[0]), k.num(args[1]))
	case operators.LogicalNot:
		a := k.num(args[0])
		return func(v *Env) int64 { return a(v) ^ 1 }
	case operators.NotStrictlyFalse:
		a := k.num(args[0])
		return func(v *Env) int64 {
			before := v.Fault // of what stands beside this: not ours to absorb
			v.Fault = OK
			n := a(v)
			if v.Fault != OK {
				n = 1
			}
			v.Fault = before
			return n
		}
	case operators.Conditional:
		return choose(k.num(args[0]), k.num(args[1]), k.num(args[2]))
	case operators.Equals, operators.NotEquals:
		return k.equality(args[0], args[1], name == operators.NotEquals)
	case operators.Less, operators.LessEquals, operators.Greater, operators.GreaterEquals:
		return k.order(e, name, args[0], args[1])
	case operators.In:
		return k.in(e, args[0], args[1])
	case operators.Add, operators.Subtract, operators.Multiply, operators.Divide, operators.Modulo:
		return k.arithmetic(e, name, args[0], args[1])
	case operators.Negate:
		a := k.num(args[0])
		return func(v *Env) int64 { return sub(v, 0, a(v)) }
	case operators.Index:
		if c := countOf(k, e); c != nil {
			c.read(k)
			return c.num()
		}
		k.fail(args[1], "%s", noIndex)
		return zero
	default:
		return k.function(e, name, args)
	}
}

// logic is && and || as CEL has them: a side that decides the result absorbs a fault of the other.
func logic(and bool, a, b numFn) numFn {
	decides := int64(1)
	if and {
		decides = 0
	}
	return func(v *Env) int64 {
		before := v.Fault // of what stands beside this: not ours to absorb
		v.Fault = OK
		x := a(v)
		if v.Fault == OK && x == decides {
			v.Fault = before
			return decides
		}
		f := v.Fault
		v.Fault = OK
		y := b(v)
		switch {
		case v.Fault == OK && y == decides:
			v.Fault = before
		case before != OK:
			v.Fault = before
		case f != OK:
			v.Fault = f
		}
		return y
	}
}

// equality compares two values of one type, or an integer with a number.
func (k *compiler) equality(a, b ast.Expr, not bool) numFn {
	flip := int64(0)
	if not {
		flip = 1
	}
	ta, ok := k.plainType(a)
	switch {
	case !ok:
		k.fail(a, "%s cannot be compared", typeWords(k.typeOf(a)))
		return zero
	case !k.sameType(ta, b): // in a list of several types the library lets it through
		k.fail(b, "%s cannot be compared with %s", typeWords(k.typeOf(a)), typeWords(k.typeOf(b)))
		return zero
	case ta.Of.IsPosition():
		p, q := k.pos(a), k.pos(b)
		return func(v *Env) int64 {
			return truth(p.x(v) == q.x(v) && p.y(v) == q.y(v) && (p.z == nil || p.z(v) == q.z(v))) ^ flip
		}
	case ta.Of == sheet.Text:
		return k.sameText(a, b, flip)
	}
	x, y := k.scaled(a, b)
	if n, ok := literalInt(b); ok && ta.Of == sheet.Integer {
		return func(v *Env) int64 { return truth(x(v) == n) ^ flip }
	}
	return func(v *Env) int64 { return truth(x(v) == y(v)) ^ flip }
}

func literalZero(e ast.Expr) bool {
	if e.Kind() != ast.LiteralKind {
		return false
	}
	v := e.AsLiteral()
	return v == types.Int(0) || v == types.Double(0)
}

// sameType tells whether a value can be compared with one of type t.
func (k *compiler) sameType(t Type, b ast.Expr) bool {
	tb, ok := k.plainType(b)
	numeric := func(t Type) bool { return t.Of == sheet.Integer || t.Of == sheet.Number }
	return ok && (t == tb || numeric(t) && numeric(tb))
}

func literalInt(e ast.Expr) (int64, bool) {
	if e.Kind() == ast.LiteralKind {
		if n, ok := e.AsLiteral().(types.Int); ok {
			return int64(n), true
		}
	}
	return 0, false
}

// sameText compares texts; a choice is compared by its word's index.
func (k *compiler) sameText(a, b ast.Expr, flip int64) numFn {
	f := k.choiceField(a)
	if f == nil {
		f = k.choiceField(b)
	}
	if f != nil && k.comparable(a, f) && k.comparable(b, f) {
		x, y := k.choice(a, f), k.choice(b, f)
		return func(v *Env) int64 { return truth(x(v) == y(v)) ^ flip }
	}
	x, y := k.text(a), k.text(b)
	return func(v *Env) int64 { return truth(x(v) == y(v)) ^ flip }
}

// scaled compiles two numeric expressions to one unit: thousandths as soon as one of them is a number.
func (k *compiler) scaled(a, b ast.Expr) (x, y numFn) {
	x, y = k.num(a), k.num(b)
	ad, bd := k.typeOf(a).Kind() == types.DoubleKind, k.typeOf(b).Kind() == types.DoubleKind
	if ad && !bd {
		y = thousandfold(y)
	}
	if bd && !ad {
		x = thousandfold(x)
	}
	return x, y
}

func thousandfold(a numFn) numFn {
	return func(v *Env) int64 { return mul(v, a(v), sheet.Thousand) }
}

func truth(b bool) int64 {
	if b {
		return 1
	}
	return 0
}

func (k *compiler) order(e ast.Expr, op string, a, b ast.Expr) numFn {
	if t, ok := k.plainType(a); !ok || t.Of != sheet.Integer && t.Of != sheet.Number {
		k.fail(e, "only integers and numbers can be put in order")
		return zero
	}
	x, y := k.scaled(a, b)
	if op == operators.Greater || op == operators.GreaterEquals {
		x, y = y, x
	}
	if op == operators.Less || op == operators.Greater {
		return func(v *Env) int64 { return truth(x(v) < y(v)) }
	}
	return func(v *Env) int64 { return truth(x(v) <= y(v)) }
}

func (k *compiler) in(e, a, b ast.Expr) numFn {
	if l := k.listField(b); l != nil {
		return k.inList(a, l)
	}
	if b.Kind() != ast.ListKind {
		k.fail(b, "in takes a list field, or a list written out, as in match.phase in ['play', 'overtime']; whether "+
			"somebody is among players says players.exists(p, p == me)")
		return zero
	}
	var tests []numFn
	for _, el := range b.AsList().Elements() {
		tests = append(tests, k.equality(a, el, false))
	}
	return func(v *Env) int64 {
		for _, t := range tests {
			if t(v) != 0 {
				return 1
			}
		}
		return 0
	}
}

func (k *compiler) arithmetic(e ast.Expr, op string, a, b ast.Expr) numFn {
	t, ok := k.plainType(e)
	if !ok || t.Of != sheet.Integer && t.Of != sheet.Number {
		k.fail(e, "only integers and numbers can be reckoned with here")
		return zero
	}
	x, y := k.num(a), k.num(b)
	number := t.Of == sheet.Number
	if (op == operators.Divide || op == operators.Modulo) && literalZero(b) {
		k.warn(b, "a division by zero has no value: a condition with it is false, and an effect does nothing")
	}
	switch op {
	case operators.Add:
		return func(v *Env) int64 { return add(v, x(v), y(v)) }
	case operators.Subtract:
		return func(v *Env) int64 { return sub(v, x(v), y(v)) }
	case operators.Multiply:
		if number {
			return func(v *Env) int64 { return mulDiv(v, x(v), y(v), sheet.Thousand) }
		}
		return func(v *Env) int64 { return mul(v, x(v), y(v)) }
	case operators.Divide:
		if number {
			return func(v *Env) int64 { return mulDiv(v, x(v), sheet.Thousand, y(v)) }
		}
		return func(v *Env) int64 { return div(v, x(v), y(v)) }
	}
	return func(v *Env) int64 { return mod(v, x(v), y(v)) }
}

// function compiles a named function.
func (k *compiler) function(e ast.Expr, name string, args []ast.Expr) numFn {
	if c := e.AsCall(); c.IsMemberFunction() {
		args = append([]ast.Expr{c.Target()}, args...)
	}
	if l := k.valueList(e); l != nil && l.field.Item != sheet.Ref {
		return l.number(k, e)
	}
	if name == "team_named" || isPick(name) {
		p := k.place(e)
		return func(v *Env) int64 { return int64(p.row(v).ID) }
	}
	switch name {
	case "size":
		if k.typeOf(args[0]).Kind() == types.StringKind {
			return textSize(k.text(args[0]))
		}
		if l := k.listField(args[0]); l != nil {
			return func(v *Env) int64 { return sheet.CountItems(l.list(v)) }
		}
		l, _ := k.list(args[0])
		if l.base == nil {
			return zero
		}
		return l.size
	case "distance":
		return k.distance(args)
	case "within":
		return k.within(args)
	case "angle_to":
		return angleTo(k, e, args)
	case "seconds":
		a := k.num(args[0])
		return func(v *Env) int64 { return mul(v, a(v), 1000) }
	case "running":
		return k.running(args[0])
	case "over":
		return k.overs(args[0])
	case "random":
		return k.random(e, args)
	case "min", "max":
		a, b, least := k.num(args[0]), k.num(args[1]), name == "min"
		return func(v *Env) int64 {
			x, y := a(v), b(v)
			if (x < y) == least {
				return x
			}
			return y
		}
	case "abs":
		a := k.num(args[0])
		return func(v *Env) int64 {
			if n := a(v); n >= 0 {
				return n
			} else {
				return sub(v, 0, n)
			}
		}
	case "int", "double":
		return k.convert(e, name, args[0])
	}
	k.fail(e, "%s is not used in rulebooks", strings.Trim(name, "@_"))
	return zero
}

func (k *compiler) convert(e ast.Expr, to string, arg ast.Expr) numFn {
	a := k.num(arg)
	from := k.typeOf(arg).Kind()
	switch {
	case to == "int" && from == types.DoubleKind:
		return func(v *Env) int64 { return a(v) / sheet.Thousand }
	case to == "double" && from == types.IntKind:
		return thousandfold(a)
	case from == types.IntKind || from == types.DoubleKind:
		return a
	}
	k.fail(e, "%s(…) takes an integer or a number", to)
	return zero
}

func (k *compiler) distance(args []ast.Expr) numFn {
	a, b := k.pos(args[0]), k.pos(args[1])
	return func(v *Env) int64 {
		dx, dy, dz := sub(v, a.x(v), b.x(v)), sub(v, a.y(v), b.y(v)), int64(0)
		if a.z != nil {
			dz = sub(v, a.z(v), b.z(v))
		}
		if max(dx, -dx, dy, -dy) > 1<<31 || max(dz, -dz) > 1<<30 {
			return fault(v, Overflow)
		}
		return Root(uint64(dx*dx) + uint64(dy*dy) + uint64(dz*dz))
	}
}

// clock compiles a question about a clock: how fast it goes, and the ticks that it shows.
func (k *compiler) clock(arg ast.Expr, asks func(rate, shows int64) bool) (*sheet.Field, numFn) {
	if arg.Kind() == ast.SelectKind {
		if p, f := k.field(arg); f != nil && f.Type == sheet.Clock {
			slot := f.Slot()
			return f, func(v *Env) int64 {
				now, n := v.Play, p.row(v).N
				if f.Wall {
					now = v.Wall
				}
				return truth(asks(n[slot+1], sheet.ClockTicks(n[slot], n[slot+1], n[slot+2], now)))
			}
		}
	}
	k.fail(arg, "running(…) and over(…) take a clock field")
	return nil, zero
}

// running is whether a clock moves: one that has run down does not.
func (k *compiler) running(arg ast.Expr) numFn {
	_, f := k.clock(arg, func(rate, shows int64) bool { return rate > 0 || rate < 0 && shows > 0 })
	return f
}

// overs is whether a countdown has nothing left: it has run down, or was never given any time.
func (k *compiler) overs(arg ast.Expr) numFn {
	field, f := k.clock(arg, func(rate, shows int64) bool { return rate <= 0 && shows <= 0 })
	if field != nil && !field.Down && !field.BuiltIn {
		k.fail(arg, "over(…) takes a countdown; %s counts up: compare it with a time", field.Name)
	}
	return f
}

// draws returns the number of a place at which something is drawn.
func (k *compiler) draws() uint32 {
	k.checker.draws++
	return k.checker.draws
}

func (k *compiler) random(e ast.Expr, args []ast.Expr) numFn {
	if k.scope.Vars&Random == 0 {
		k.fail(e, "random(…) may only stand in what an effect writes, not in a condition")
		return zero
	}
	k.prog.Vars |= Random
	at := k.draws()
	a, b := k.num(args[0]), k.num(args[1])
	return func(v *Env) int64 {
		lo, hi := a(v), b(v)
		n := sub(v, hi, lo)
		if v.Fault != OK || n < 0 || n == 1<<63-1 {
			return fault(v, Overflow)
		}
		return lo + v.Random(at, n+1)
	}
}
