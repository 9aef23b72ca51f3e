package expr

import (
	"fmt"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// measures finds what the parts of an expression measure, and what does not go together.
type measures struct {
	k     *compiler
	found *Issue
}

// measure returns what an expression measures, and notes the first thing in it that does not go together.
func measure(k *compiler) sheet.Measure {
	m := &measures{k: k}
	what := m.of(k.ast.Expr())
	if m.found != nil && !k.checker.Lenient {
		k.issues = append(k.issues, *m.found)
	}
	return what
}

// wrong notes the first thing that does not go together. Where a bare number is to blame, it says what to write.
func (m *measures) wrong(e ast.Expr, number ast.Expr, want sheet.Measure, format string, args ...any) {
	if m.found != nil {
		return
	}
	is := m.k.issue(e, format, args...)
	if n, bare := bareNumber(number); bare && want.Unit() != "" && m.literal(number) == sheet.Unmeasured {
		now := n + want.Unit()
		if thousand, is := strings.CutSuffix(n, "000"); is && want != sheet.Angle {
			now = thousand + map[sheet.Measure]string{sheet.Duration: "s", sheet.Length: "m", sheet.Speed: "m/s"}[want]
		}
		is = m.k.issue(number, "%s has no unit: write %s", n, now)
		is.Old, is.Now = n, now
	}
	m.found = &is
}

// bareNumber is a number that is written without a unit.
func bareNumber(e ast.Expr) (text string, is bool) {
	if e == nil || e.Kind() != ast.LiteralKind {
		return "", false
	}
	n, is := e.AsLiteral().(types.Int)
	return fmt.Sprint(int64(n)), is
}

func numeric(k *compiler, e ast.Expr) bool {
	t := k.typeOf(e)
	return t != nil && (t.Kind() == types.IntKind || t.Kind() == types.DoubleKind)
}

// of is what a part of the expression measures; Whatever for what is no number.
func (m *measures) of(e ast.Expr) sheet.Measure {
	switch e.Kind() {
	case ast.LiteralKind:
		return m.literal(e)
	case ast.SelectKind:
		return m.selected(e)
	case ast.CallKind:
		return m.call(e)
	case ast.ListKind:
		return m.alike(e, e.AsList().Elements())
	case ast.ComprehensionKind:
		c := e.AsComprehension()
		m.of(c.IterRange())
		m.of(c.LoopCondition())
		return m.of(c.LoopStep())
	}
	return sheet.Whatever // a name: of a sheet, of a list's own item, or of what a walk carries along
}

func (m *measures) literal(e ast.Expr) sheet.Measure {
	if n, is := e.AsLiteral().(types.Int); is && (n == 0 || int64(n) == -1<<63 || int64(n) == 1<<63-1) {
		return sheet.Whatever
	}
	if r, is := m.k.ast.SourceInfo().GetOffsetRange(e.ID()); is {
		for _, at := range []int32{r.Start, r.Start + 1} { // behind a minus
			if unit, is := m.k.unitAt[at]; is {
				return unit
			}
		}
	}
	return sheet.Unmeasured
}

// selected is what a field measures.
func (m *measures) selected(e ast.Expr) sheet.Measure {
	s := e.AsSelect()
	m.of(s.Operand())
	on := m.k.typeOf(s.Operand())
	if on == nil || !numeric(m.k, e) {
		return sheet.Whatever
	}
	if on.TypeName() == positionType.TypeName() {
		return m.part(s.Operand())
	}
	var f *sheet.Field
	if kind, is := kindOf(on); is {
		f = m.k.checker.schema.Field(kind, s.FieldName())
	} else if on.TypeName() == argsType.TypeName() {
		for _, a := range m.k.scope.Args {
			if a.Name == s.FieldName() {
				f = a
			}
		}
	}
	switch {
	case f == nil:
		return sheet.Whatever
	case f.Type == sheet.Clock:
		return sheet.Duration
	}
	return f.Measure
}

// part is what .x, .y and .z measure: a length, unless the position is a direction or a way.
func (m *measures) part(position ast.Expr) sheet.Measure {
	if position.Kind() == ast.SelectKind {
		if name := position.AsSelect().FieldName(); name != "pos" && name != "at" && name != "from" && name != "to" {
			return sheet.Whatever
		}
	}
	return sheet.Length
}

// alike is what several values measure that belong together.
func (m *measures) alike(e ast.Expr, list []ast.Expr) sheet.Measure {
	all, first := sheet.Whatever, ast.Expr(nil)
	for _, x := range list {
		what := m.of(x)
		switch {
		case !numeric(m.k, x) && x.Kind() != ast.ListKind || what == sheet.Whatever:
		case all == sheet.Whatever:
			all, first = what, x
		case what != all:
			bare, want := x, all
			if what != sheet.Unmeasured {
				bare, want = first, what
			}
			how := declare(want)
			if all != sheet.Unmeasured && what != sheet.Unmeasured {
				bare, how = nil, ""
			}
			m.wrong(e, bare, want, "%s and %s do not go together%s", an(all), an(what), how)
		}
	}
	return all
}

// an is a measure with its article.
func an(m sheet.Measure) string {
	if m == sheet.Angle {
		return "an angle"
	}
	return "a " + m.String()
}

// declare says how a field is made to measure something.
func declare(want sheet.Measure) string {
	return fmt.Sprintf("; a number becomes %s by its unit, as in n * 1%s, and a field by type: %s", an(want),
		want.Unit(), want)
}

// measured are the functions that say what they measure, or whose arguments measure the same.
var measured = map[string]sheet.Measure{"distance": sheet.Length, "angle_to": sheet.Angle, "seconds": sheet.Duration}

// lengths holds what must measure lengths to it.
func (m *measures) lengths(args []ast.Expr, why string) {
	for _, a := range args {
		if what := m.of(a); what != sheet.Length && what != sheet.Whatever {
			m.wrong(a, a, sheet.Length, "%s, and this is %s%s", why, an(what), declare(sheet.Length))
		}
	}
}

func (m *measures) call(e ast.Expr) sheet.Measure {
	c := e.AsCall()
	args := c.Args()
	if c.IsMemberFunction() {
		m.of(c.Target())
	}
	if d := m.k.checker.defined[c.FunctionName()]; d != nil {
		for i, a := range args {
			if what := m.of(a); i < len(d.takes) && d.takes[i].Type == sheet.Integer && what != sheet.Whatever &&
				what != d.takes[i].Measure {
				m.wrong(a, a, d.takes[i].Measure, "%s takes %s as %s, and this is %s", d.name, an(d.takes[i].Measure),
					d.takes[i].Name, an(what))
			}
		}
		return d.measure
	}
	switch name := c.FunctionName(); name {
	case operators.Less, operators.LessEquals, operators.Greater, operators.GreaterEquals, operators.Equals,
		operators.NotEquals, operators.In:
		m.alike(e, args)
		return sheet.Whatever
	case operators.Add, operators.Subtract, operators.Modulo, "min", "max", "random":
		return m.alike(e, args)
	case operators.Negate, "abs", "int", "double":
		return m.of(args[0])
	case operators.Conditional:
		m.of(args[0])
		return m.alike(e, args[1:])
	case operators.Multiply, operators.Divide:
		return m.scaled(e, m.of(args[0]), m.of(args[1]), name == operators.Divide)
	case "point":
		m.lengths(args, fmt.Sprintf("a point is %s lengths", map[int]string{2: "two", 3: "three"}[len(args)]))
		return sheet.Whatever
	case "ahead":
		m.of(args[0])
		m.lengths(args[1:], "how far ahead is a length")
		return sheet.Whatever
	default:
		for _, a := range args {
			m.of(a)
		}
		if name == oldSeconds {
			m.older(e)
		}
		if what, is := measured[name]; is {
			return what
		}
	}
	return sheet.Whatever
}

// oldSeconds is a function that only kept rulebooks call.
const oldSeconds = "seconds"

// older notes a call of seconds(n), which rulebooks had before numbers had units.
func (m *measures) older(e ast.Expr) {
	if m.found == nil {
		is := m.k.issue(e, "seconds(n) is written 1s * n now")
		is.Column -= len(oldSeconds) // the place of a call is that of its bracket
		is.Old, is.Now = "seconds(", "1s * ("
		m.found = &is
	}
}

// scaled is what a product or a quotient measures.
func (m *measures) scaled(e ast.Expr, a, b sheet.Measure, divide bool) sheet.Measure {
	switch {
	case divide && a == b && a != sheet.Whatever:
		return sheet.Unmeasured
	case b == sheet.Unmeasured, b == sheet.Whatever:
		return a
	case divide && a == sheet.Whatever:
		return sheet.Whatever
	case !divide && (a == sheet.Unmeasured || a == sheet.Whatever):
		return b
	}
	how := "multiplied by"
	if divide {
		how = "divided by"
	}
	m.wrong(e, nil, 0, "%s is not %s %s: divide one of them by its unit first, as in match.play / 1s", an(a), how,
		an(b))
	return sheet.Whatever
}
