package expr

import (
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"

	"turnvex.example/turnvex/internal/core/sheet"
)

// comprehension compiles players.exists(…), count, sum and their like: a walk over a list with one value carried along.
func (k *compiler) comprehension(e ast.Expr) numFn {
	c := e.AsComprehension()
	if _, is := extremeOf(c); is {
		p := k.extreme(e)
		return func(v *Env) int64 { return int64(p.row(v).ID) }
	}
	if c.HasIterVar2() || c.IterRange().Kind() == ast.ListKind {
		k.fail(e, "only lists of sheets, and fields that are lists, can be walked through")
		return zero
	}
	if _, ok := k.plainType(c.AccuInit()); !ok {
		k.fail(
			e,
			"a list is no value here: behind filter goes count, sum, most, least, exists, all, first or nearest; "+
				"map is not used in rulebooks",
		)
		return zero
	}
	if len(k.loops) == maxRows || len(k.accus) == maxAccus {
		k.fail(e, "lists are walked inside each other more than %d deep", maxRows)
		return zero
	}
	if l := k.listField(c.IterRange()); l != nil && l.field.Item != sheet.Ref {
		k.costs(int64(l.field.Most))
		f, _ := k.walk(c, loopVar{name: c.IterVar(), item: l.field, size: int64(l.field.Most)})
		if l.field.Item == sheet.Text {
			return f.overTexts(l.list)
		}
		return f.overItems(l.list)
	}
	if _, of := countsOf(k, c.IterRange()); of != nil {
		n := len(of.Words)
		k.costs(int64(n))
		f, _ := k.walk(c, loopVar{name: c.IterVar(), size: int64(n),
			item: &sheet.Field{Name: of.Name, Item: sheet.Choice, Choices: of.Words}})
		return f.overWords(n)
	}
	l, ok := k.list(c.IterRange())
	if !ok {
		return zero
	}
	f, plain := k.walk(c, loopVar{name: c.IterVar(), kind: l.kind, size: k.checker.Sizes[l.kind]})
	if plain != nil {
		return sumField(l, plain.Slot())
	}
	return f.overRows(l)
}

// walk is what is done with each item of a list, one value carried along.
type walk struct {
	loop, accu               int // the places of the item and of the value in Env
	init, cond, step, result numFn
}

// walk compiles a walk, and says of which field it is the plain sum, if it is one.
func (k *compiler) walk(c ast.ComprehensionExpr, item loopVar) (f walk, plain *sheet.Field) {
	f = walk{loop: len(k.loops), accu: len(k.accus), init: k.num(c.AccuInit())}
	k.loops = append(k.loops, item)
	k.accus = append(k.accus, accuVar{c.AccuVar(), k.typeOf(c.AccuInit())})
	f.cond, f.step, f.result = k.num(c.LoopCondition()), k.num(c.LoopStep()), k.num(c.Result())
	plain = k.plainSum(c)
	k.loops, k.accus = k.loops[:f.loop], k.accus[:f.accu]
	return f, plain
}

// begin puts the value at its start, and returns the fault of what stands beside the walk, which is not the walk's to
// absorb.
func (f *walk) begin(v *Env) Fault {
	before := v.Fault
	v.Fault = OK
	v.accus[f.accu], v.accuFault[f.accu] = f.init(v), OK
	return before
}

// take takes the item that stands in its place; false ends the walk.
func (f *walk) take(v *Env) bool {
	if f.cond(v) == 0 || v.Fault != OK {
		return false
	}
	n := f.step(v)
	v.accus[f.accu], v.accuFault[f.accu] = n, v.Fault
	v.Fault = OK
	return true
}

func (f *walk) end(v *Env, before Fault) int64 {
	n := f.result(v)
	if before != OK {
		v.Fault = before
	}
	return n
}

// plainSum recognises the most frequent fold, list.sum(p, p.field), and returns the field.
func (k *compiler) plainSum(c ast.ComprehensionExpr) *sheet.Field {
	step := c.LoopStep()
	if c.LoopCondition().Kind() != ast.LiteralKind || step.Kind() != ast.CallKind ||
		step.AsCall().FunctionName() != operators.Add ||
		c.Result().Kind() != ast.IdentKind {
		return nil
	}
	args := step.AsCall().Args()
	if args[0].Kind() != ast.IdentKind || args[0].AsIdent() != c.AccuVar() || args[1].Kind() != ast.SelectKind {
		return nil
	}
	operand := args[1].AsSelect().Operand()
	if operand.Kind() != ast.IdentKind || operand.AsIdent() != c.IterVar() {
		return nil
	}
	kind, _ := kindOf(k.typeOf(operand))
	f := k.checker.schema.Field(kind, args[1].AsSelect().FieldName())
	if f == nil || f.Type != sheet.Integer && f.Type != sheet.Number {
		return nil
	}
	return f
}

func sumField(l list, slot int) numFn {
	return func(v *Env) int64 {
		var of *sheet.Row
		if l.of != nil {
			of = l.of(v)
		}
		sum := int64(0)
		for _, r := range l.looked(v) {
			if l.members && r.Team != of.ID || !l.members && l.keep != nil && !l.keep(of, r) ||
				l.holds != nil && !l.passes(v, r) {
				continue
			}
			sum = add(v, sum, r.N[slot])
		}
		return sum
	}
}

func (f walk) overRows(l list) numFn {
	return func(v *Env) int64 {
		before := f.begin(v)
		var of *sheet.Row
		if l.of != nil {
			of = l.of(v)
		}
		for _, r := range l.looked(v) {
			if l.keep != nil && !l.keep(of, r) || l.holds != nil && !l.passes(v, r) {
				continue
			}
			if v.rows[f.loop] = r; !f.take(v) {
				break
			}
		}
		return f.end(v, before)
	}
}

func (f walk) overTexts(list textFn) numFn {
	return func(v *Env) int64 {
		before := f.begin(v)
		items := sheet.Items(list(v))
		if !v.looks(len(items)) {
			items = nil
		}
		for _, s := range items {
			if v.texts[f.loop] = s; !f.take(v) {
				break
			}
		}
		return f.end(v, before)
	}
}

func (f walk) overItems(list textFn) numFn {
	return func(v *Env) int64 {
		before := f.begin(v)
		for s := list(v); s != "" && v.looks(1); {
			if v.items[f.loop], s = sheet.NextItem(s); !f.take(v) {
				break
			}
		}
		return f.end(v, before)
	}
}
