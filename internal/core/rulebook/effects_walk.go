package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// AsIt stands for a walk that goes through what it calls it.
const AsIt = -1

// walksOver finds what a walk goes through; false if that is nothing.
func (b *doer) walksOver(v *node, scope expr.Scope, e *Effect) (kind sheet.Kind, ok bool) {
	if !slices.Contains(walkWords(), v.text) {
		if !b.room(v) {
			return 0, false
		}
		l, issues := b.checker.CompileList(v.text, scope)
		b.report(v, issues)
		if l == nil {
			return 0, false
		}
		used(b.terms, &l.Reads, l.Vars)
		e.List = l
		return l.Kind, true
	}
	e.Walk = walkNamed(v.text)
	if of := walkDecls[e.Walk].of; scope.Vars&of != of {
		what, who := "me", "whose "+v.text
		if of == expr.Team {
			what, who = "team", "whose members"
		}
		b.fail(v, "not-here", "players, teams or pieces", "there is no %s here %s these could be", what, who)
		return 0, false
	}
	b.defined.uses |= walkDecls[e.Walk].of
	return e.Walk.Over(), true
}

func effectEach(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	kind, ok := b.walksOver(v, scope, e)
	if !ok {
		return
	}
	inner := with(scope, expr.It)
	inner.It, e.As = kind, AsIt
	var values *sheet.Field
	if e.List != nil {
		values = e.List.Item
	}
	inner.Item = values
	if as := n.get("as"); as != nil {
		switch {
		case expr.IsReserved(as.text):
			b.fail(as, "taken", "another name", "%q has a meaning of its own", as.text)
			return
		case len(scope.Named) == expr.MaxNamed:
			b.fail(as, "too-many", "", "walks with names stand inside each other more than %d deep", expr.MaxNamed)
			return
		}
		inner = scope
		e.As = len(scope.Named)
		inner.Named = append(slices.Clone(scope.Named), expr.NamedVar{Name: as.text, Kind: kind, Item: values})
	}
	e.Cond = b.expr(n, "only", inner, wantFlag)
	do := b.need(n, "do", "each")
	if do == nil {
		return
	}
	s := &structure{}
	s.check(do, &effects)
	b.problems = append(b.problems, s.problems...)
	if len(s.problems) == 0 {
		e.Then = b.effectList(do, inner)
	}
}
