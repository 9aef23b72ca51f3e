package expr

import (
	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"

	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

// facing declares a function of who faces somewhere: a player, a creature or a piece that flies.
func facing(name string, takes, gives *cel.Type) (all []cel.FunctionOpt) {
	for _, k := range []sheet.Kind{sheet.Player, sheet.Creature, sheet.Piece} {
		all = append(all, cel.Overload(name+"_"+k.String(), []*cel.Type{kindTypes[k], takes}, gives))
	}
	return all
}

// farthest is how far away something may be that angle_to and ahead are asked of, in millimetres; beyond it they fail
// with Overflow.
const farthest = 1 << 30

// body is a compiled player, creature or piece that faces somewhere.
type body struct {
	row func(*Env) *sheet.Row
	yaw func(*sheet.Row) int64
	pos int // its slot
}

func bodyOf(k *compiler, e, of ast.Expr) (b body, is bool) {
	p := k.place(of)
	yaw, pos := k.checker.schema.Field(p.kind, "yaw"), k.checker.schema.Field(p.kind, "pos")
	shot := yaw == nil && p.kind == sheet.Piece
	if shot {
		yaw = k.checker.schema.Field(p.kind, "way")
	}
	switch {
	case shot && (yaw == nil || pos == nil):
		k.fail(e, "no piece of this rulebook flies: only those with a shot face where they go")
		return b, false
	case yaw == nil || pos == nil:
		k.fail(e, "nobody faces anywhere: write facing: {} beside ground")
		return b, false
	}
	k.readField(p, yaw)
	k.readField(p, pos)
	slot := yaw.Slot()
	b = body{p.row, func(r *sheet.Row) int64 { return r.N[slot] }, pos.Slot()}
	if shot {
		b.yaw = func(r *sheet.Row) int64 {
			at, _ := ground.YawOf(r.N[slot], r.N[slot+1])
			return at
		}
	}
	return b, true
}

// angleTo compiles angle_to(body, position): by how much the body would have to turn to look there, in whole degrees,
// rounded down; 0 for where it stands.
func angleTo(k *compiler, e ast.Expr, args []ast.Expr) numFn {
	b, is := bodyOf(k, e, args[0])
	at := k.pos(args[1])
	if !is {
		return zero
	}
	return func(v *Env) int64 {
		r := b.row(v)
		dx, dy := at.x(v)-r.N[b.pos], at.y(v)-r.N[b.pos+1]
		if max(dx, -dx, dy, -dy) > farthest {
			fault(v, Overflow)
			return 0
		}
		yaw, away := ground.YawOf(dx, dy)
		if !away {
			return 0
		}
		by := ground.Turned(b.yaw(r), yaw)
		return ground.Degrees(max(by, -by))
	}
}

// ahead compiles ahead(body, length): the position so far in front of a body.
func ahead(k *compiler, e ast.Expr, args []ast.Expr) posFn {
	b, is := bodyOf(k, e, args[0])
	far := k.num(args[1])
	if !is {
		return nowhere(k.checker.schema.Deep)
	}
	part := func(v *Env, n int) int64 {
		r, by := b.row(v), far(v)
		if max(by, -by) > farthest {
			return fault(v, Overflow)
		}
		dx, dy := ground.Dir(b.yaw(r))
		way := [2]int64{dx, dy}
		return r.N[b.pos+n] + way[n]*by/ground.DirUnit
	}
	out := posFn{x: func(v *Env) int64 { return part(v, 0) }, y: func(v *Env) int64 { return part(v, 1) }}
	if k.checker.schema.Deep {
		out.z = func(v *Env) int64 { return b.row(v).N[b.pos+2] }
	}
	return out
}
