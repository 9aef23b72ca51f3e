package expr

import (
	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/parser"

	"turnvex.example/turnvex/internal/core/sheet"
)

// picks are the functions that pick one of a list: what nobody is picked from gives nobody. Of equals the first in the
// list is picked.
var picks = map[string]string{
	"first": "first()", "nth": "nth(2)", "nearest": "nearest(me.pos)", "pick": "pick()",
	"highest": "highest(p, p.points)", "lowest": "lowest(p, p.points)",
}

// walked are the kinds of sheet of which there are lists.
var walked = []sheet.Kind{sheet.Player, sheet.Team, sheet.Piece, sheet.Creature, sheet.Zone}

// pickDecls declares the picks for every kind of list.
func pickDecls() (opts []cel.EnvOption) {
	type form struct {
		name string
		args []*cel.Type
	}
	for _, f := range []form{{"first", nil}, {"pick", nil}, {"nth", []*cel.Type{types.IntType}},
		{"nearest", []*cel.Type{positionType}}} {
		var over []cel.FunctionOpt
		for _, k := range walked {
			over = append(over, cel.MemberOverload(f.name+"_"+k.String(),
				append([]*cel.Type{types.NewListType(kindTypes[k])}, f.args...), kindTypes[k]))
		}
		opts = append(opts, cel.Function(f.name, over...))
	}
	one := types.NewTypeParamType("sheet")
	opts = append(opts, cel.Function(noneYet, cel.Overload("none_yet", []*cel.Type{}, one)))
	for name, better := range extremes {
		opts = append(opts, cel.Function(better, cel.Overload(name+"_int", []*cel.Type{one, types.IntType, one}, one),
			cel.Overload(name+"_double", []*cel.Type{one, types.DoubleType, one}, one)),
			cel.Macros(cel.ReceiverMacro(name, 2, expandExtremeOf(better))))
	}
	return opts
}

// noneYet and extremes are the functions that highest and lowest are written with.
const noneYet = "@none"

var extremes = map[string]string{"highest": "@higher", "lowest": "@lower"}

// expandExtremeOf writes list.highest(p, e) as a walk that carries the best along: @higher(best, e, p). Nothing is
// copied, so expressions do not grow.
func expandExtremeOf(better string) parser.MacroExpander {
	return func(eh parser.ExprHelper, list ast.Expr, args []ast.Expr) (ast.Expr, *common.Error) {
		step := eh.NewCall(better, eh.NewAccuIdent(), args[1], eh.Copy(args[0]))
		return fold(eh, list, args[0], eh.NewCall(noneYet), step, eh.NewAccuIdent())
	}
}

// extremeOf tells whether a walk is one for the highest or the lowest, and which.
func extremeOf(c ast.ComprehensionExpr) (least, is bool) {
	if c.LoopStep().Kind() != ast.CallKind {
		return false, false
	}
	name := c.LoopStep().AsCall().FunctionName()
	return name == extremes["lowest"], name == extremes["lowest"] || name == extremes["highest"]
}

// filtered compiles list.filter(p, condition): a list of those for which it holds.
func (k *compiler) filtered(e ast.Expr) (list, bool) {
	c := e.AsComprehension()
	step := c.LoopStep()
	if c.HasIterVar2() || step.Kind() != ast.CallKind || step.AsCall().FunctionName() != operators.Conditional {
		k.fail(e, "only filter gives a list that can be walked through")
		return list{}, false
	}
	l, ok := k.list(c.IterRange())
	if !ok {
		return l, false
	}
	l.slot = len(k.loops)
	if l.slot == maxRows {
		k.fail(e, "lists are walked inside each other more than %d deep", maxRows)
		return l, false
	}
	k.loops = append(k.loops, loopVar{name: c.IterVar(), kind: l.kind, size: k.checker.Sizes[l.kind]})
	holds, before := k.num(step.AsCall().Args()[0]), l.holds
	k.loops = k.loops[:l.slot]
	l.holds = holds
	if before != nil {
		l.holds = func(v *Env) int64 {
			if before(v) == 0 || v.Fault != OK {
				return 0
			}
			return holds(v)
		}
	}
	return l, true
}

// has tells whether a candidate is of the list; of is whose list it is.
func (l *list) has(v *Env, of, r *sheet.Row) bool {
	return (l.keep == nil || l.keep(of, r)) && (l.holds == nil || l.passes(v, r))
}

// passes tells whether a candidate passes the filter. Of whom that cannot be computed is left out.
func (l *list) passes(v *Env, r *sheet.Row) bool {
	before := v.Fault
	v.Fault, v.rows[l.slot] = OK, r
	yes := l.holds(v) != 0 && v.Fault == OK
	v.Fault = before
	return yes
}

// owner is whose list it is, nil where that does not matter.
func (l *list) owner(v *Env) *sheet.Row {
	if l.of == nil {
		return nil
	}
	return l.of(v)
}

// pick compiles a call that picks one of a list.
func (k *compiler) pick(e ast.Expr) place {
	c := e.AsCall()
	name, args := c.FunctionName(), c.Args()
	kind, _ := kindOf(k.typeOf(e))
	none := place{kind: kind, row: func(v *Env) *sheet.Row { return v.Store.GetOr(0, kind) }}
	l, ok := k.list(c.Target())
	if !ok {
		return none
	}
	switch name {
	case "first":
		return k.picked(l, constant(1))
	case "nth":
		return k.picked(l, k.num(args[0]))
	case "pick":
		if k.scope.Vars&Random == 0 {
			k.fail(e, "pick() is left to chance and may only stand in what an effect does, not in a condition")
			return none
		}
		k.prog.Vars |= Random
		at := k.draws()
		return k.picked(l, func(v *Env) int64 {
			if n := l.size(v); n > 0 {
				return 1 + v.Random(at, n)
			}
			return 0
		})
	case "nearest":
		return k.nearest(e, l, args[0])
	}
	k.fail(e, "%s picks nobody", name)
	return none
}

// picked is the n-th of a list, from 1.
func (k *compiler) picked(l list, nth numFn) place {
	return place{kind: l.kind, row: func(v *Env) *sheet.Row {
		n, of := nth(v), l.owner(v)
		for _, r := range l.looked(v) {
			if n > 0 && l.has(v, of, r) {
				if n--; n == 0 {
					return r
				}
			}
		}
		return v.Store.GetOr(0, l.kind)
	}}
}

// nearest is the one of a list that is nearest to a point.
func (k *compiler) nearest(e ast.Expr, l list, to ast.Expr) place {
	f := k.checker.schema.Field(l.kind, "pos")
	if f == nil {
		k.fail(e, "a %s is nowhere on the ground", l.kind)
		return place{kind: l.kind, row: func(v *Env) *sheet.Row { return v.Store.GetOr(0, l.kind) }}
	}
	k.reads(l.kind, "pos", false)
	at := k.pos(to)
	slot := f.Slot()
	return place{kind: l.kind, row: func(v *Env) *sheet.Row {
		px, py, pz := at.x(v), at.y(v), int64(0)
		if at.z != nil {
			pz = at.z(v)
		}
		out, least, of := v.Store.GetOr(0, l.kind), uint64(0), l.owner(v)
		if max(px, -px, py, -py) > far || max(pz, -pz) > far/2 {
			fault(v, Overflow)
		}
		if v.Fault != OK {
			return out
		}
		for _, r := range l.looked(v) {
			if l.keep != nil && !l.keep(of, r) || l.holds != nil && !l.passes(v, r) {
				continue
			}
			dx, dy := r.N[slot]-px, r.N[slot+1]-py
			d := uint64(dx*dx) + uint64(dy*dy)
			if at.z != nil {
				d += uint64((r.N[slot+2] - pz) * (r.N[slot+2] - pz))
			}
			if out.ID == 0 || d < least {
				out, least = r, d
			}
		}
		return out
	}}
}

// far is how far off a place may be, each way, to which somebody is the nearest.
const far = 1 << 31

// extreme is the one of a list for which an expression gives most, or least.
func (k *compiler) extreme(e ast.Expr) place {
	c := e.AsComprehension()
	least, is := extremeOf(c)
	kind, _ := kindOf(k.typeOf(e))
	none := place{kind: kind, row: func(v *Env) *sheet.Row { return v.Store.GetOr(0, kind) }}
	if !is {
		k.fail(e, "this cannot be used as a %s here", kind)
		return none
	}
	l, ok := k.list(c.IterRange())
	slot := len(k.loops)
	if !ok || slot == maxRows {
		k.fail(e, "lists are walked inside each other more than %d deep", maxRows)
		return none
	}
	k.loops = append(k.loops, loopVar{name: c.IterVar(), kind: l.kind, size: k.checker.Sizes[l.kind]})
	of := k.num(c.LoopStep().AsCall().Args()[1])
	k.loops = k.loops[:slot]
	return place{kind: l.kind, row: func(v *Env) *sheet.Row {
		return l.best(v, func(v *Env, r *sheet.Row) int64 {
			v.rows[slot] = r
			n := of(v)
			if !least {
				n = sub(v, 0, n)
			}
			return n
		})
	}}
}

// best returns the first of a list with the least value.
func (l *list) best(v *Env, value func(v *Env, r *sheet.Row) int64) *sheet.Row {
	out, least, of := v.Store.GetOr(0, l.kind), int64(0), l.owner(v)
	for _, r := range l.looked(v) {
		if !l.has(v, of, r) {
			continue
		}
		before := v.Fault
		v.Fault = OK
		n := value(v, r)
		failed := v.Fault != OK
		if v.Fault = before; !failed && (out.ID == 0 || n < least) {
			out, least = r, n
		}
	}
	return out
}

// isPick tells whether a function picks one of a list.
func isPick(name string) bool { return picks[name] != "" }
