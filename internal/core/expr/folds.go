package expr

import (
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"

	"turnvex.example/turnvex/internal/core/sheet"
)

// comprehension compiles players.exists(…), count, sum and their like: a walk
// over a list with one value carried along.
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
		return k.valueWalk(c, l)
	}
	l, ok := k.list(c.IterRange())
	if !ok {
		return zero
	}
	init := k.num(c.AccuInit())
	i, j := len(k.loops), len(k.accus)
	k.loops = append(k.loops, loopVar{name: c.IterVar(), kind: l.kind})
	k.accus = append(k.accus, accuVar{c.AccuVar(), k.typeOf(c.AccuInit())})
	cond, step, result := k.num(c.LoopCondition()), k.num(c.LoopStep()), k.num(c.Result())
	plain := k.plainSum(c)
	k.loops, k.accus = k.loops[:i], k.accus[:j]
	if plain != nil {
		return sumField(l, plain.Slot())
	}
	return walk(l, i, j, init, cond, step, result)
}

// plainSum recognises the most frequent fold, list.sum(p, p.field), and returns
// the field.
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
		for _, r := range l.base(v) {
			if l.members && r.Team != of.ID || !l.members && l.keep != nil && !l.keep(of, r) ||
				l.holds != nil && !l.passes(v, r) {
				continue
			}
			sum = add(v, sum, r.N[slot])
		}
		return sum
	}
}

func walk(l list, i, j int, init, cond, step, result numFn) numFn {
	return func(v *Env) int64 {
		before := v.Fault // of what stands beside this: not ours to absorb
		v.Fault = OK
		v.accus[j], v.accuFault[j] = init(v), OK
		var of *sheet.Row
		if l.of != nil {
			of = l.of(v)
		}
		for _, r := range l.base(v) {
			if l.keep != nil && !l.keep(of, r) || l.holds != nil && !l.passes(v, r) {
				continue
			}
			v.rows[i] = r
			if cond(v) == 0 || v.Fault != OK {
				break
			}
			n := step(v)
			v.accus[j], v.accuFault[j] = n, v.Fault
			v.Fault = OK
		}
		n := result(v)
		if before != OK {
			v.Fault = before
		}
		return n
	}
}
