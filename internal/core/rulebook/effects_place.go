package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

func effectPlace(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	kind, keys := sheet.Piece, b.mapKeys("pieces")
	if i := slices.Index(b.mapKeys("creatures"), v.text); i >= 0 && !slices.Contains(keys, v.text) {
		kind, e.No, e.Being = sheet.Creature, i, true
		b.uses.placed |= 1 << i
	} else {
		e.No = b.indexOf(v, "piece or creature", append(keys, b.mapKeys("creatures")...))
	}
	where := expr.Want{Type: sheet.Position}
	e.Value = b.expr(n, "at", scope, where)
	p := &Placing{To: b.expr(n, "to", scope, where), Way: b.expr(n, "way", scope, where),
		Times: b.expr(n, "number", scope, wantMillis),
		Side:  b.expr(n, "team", scope, expr.Want{Type: sheet.Ref, Ref: sheet.Team})}
	if side := n.get("team"); side != nil && kind != sheet.Creature {
		b.fail(side, "not-here", "a creature", "a piece has no side")
	}
	if e.No >= 0 {
		b.placedFields(n, v.text, kind, scope, p)
		b.sent(n, v, kind, p)
	}
	e.Place = p
}

// placedFields binds the values that fields of what is placed begin with.
func (b *doer) placedFields(n *node, name string, kind sheet.Kind, scope expr.Scope, p *Placing) {
	var own []string
	for _, e := range b.top.get(kindsOf[kind]).get(name).fields("fields") {
		if e.value.get("is") == nil {
			own = append(own, e.key)
		}
	}
	for _, w := range n.fields("with") {
		f := b.book.Schema.Field(kind, w.key)
		if f == nil || !slices.Contains(own, w.key) {
			b.failEntry(w, "unknown-name", "a %s has no field of its own called %q that could be set", name, w.key)
			b.problems[len(b.problems)-1].Nearest = Nearest(w.key, own)
			continue
		}
		if v := b.compile(w.value, scope, expr.Want{Field: f}); v != nil {
			p.Fields, p.Values = append(p.Fields, f), append(p.Values, v)
			b.uses.wrote(kind, f)
		}
	}
}

// sent holds where a shot is sent against what is placed.
func (b *doer) sent(n, v *node, kind sheet.Kind, p *Placing) {
	to, way := n.get("to"), n.get("way")
	flies := kind == sheet.Piece && b.top.get("pieces").get(v.text).get("shot") != nil
	switch {
	case flies && (to == nil) == (way == nil):
		b.fail(n, "missing-key", "one of to and way", "a shot is sent to a point, or some way")
	case !flies && to != nil:
		b.fail(to, "not-here", "a piece with shot", "%s does not fly", v.text)
	case !flies && way != nil:
		b.fail(way, "not-here", "a piece with shot", "%s does not fly", v.text)
	case flies && n.get("at") == nil:
		b.fail(n, "missing-key", "at: a position", "a shot is sent from somewhere")
	}
}

func effectUse(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	if scope.Vars&expr.Creature == 0 {
		b.fail(v, "not-here", "a rule with for: and the name of a creature", "there is no creature here that could act")
		return
	}
	if b.uses.acted == nil {
		b.uses.acted = map[string]bool{}
	}
	b.uses.acted[v.text] = true
	var known []string
	for _, c := range b.top.fields("creatures") {
		for _, a := range c.value.fields("acts") {
			known = append(known, a.key)
		}
	}
	if b.indexOf(v, "act", known) < 0 {
		return
	}
	e.Name = v.text
	if on := n.get("target"); on != nil {
		e.Value = b.compile(on, scope, b.loose(on, scope))
	}
}
