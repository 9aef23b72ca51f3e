package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

var (
	scopeZone   = expr.Scope{Vars: expr.Zone}
	scopeInZone = expr.Scope{Vars: expr.Me | expr.Team | expr.Zone}
)

// zoneFields declares what a zone brings along: its own fields, and the match's field that refers to it.
func (b *binder) zoneFields(no int, e entry) {
	b.decl.ownFields(sheet.Zone, no, e)
	for _, kinds := range []string{"pieces", "creatures"} {
		if b.top.get(kinds).get(e.key) != nil {
			b.failEntry(e, "taken", "one of the %s is called %q already; call the zone something else", kinds, e.key)
		}
	}
	if b.book.Schema.Field(sheet.Match, e.key) != nil {
		b.failEntry(e, "taken", "the match sheet has a field %q already; call the zone something else", e.key)
		return
	}
	f, err := b.book.Schema.Add(sheet.Match, sheet.Field{Name: e.key, Title: e.value.str("title"), Type: sheet.Ref,
		Of: sheet.Zone, BuiltIn: true})
	if err != nil {
		b.failEntry(e, "too-many", "%s", err)
		return
	}
	b.uses.wrote(sheet.Match, f)
}

func (b *binder) zones() {
	var rates []sheet.Tick
	for i, e := range b.top.fields("zones") {
		n := e.value
		z := &Zone{
			No: i, Line: e.line, Name: e.key, Title: n.titled(e.key), Field: b.book.Schema.Field(sheet.Match, e.key),
			At:     b.expr(n, "at", scopeMatch, expr.Want{Type: sheet.Position}),
			Radius: b.quantity(n.get("radius"), scopeMatch, "mm"), If: b.condition(n, "if", scopeInZone),
			Enter: b.does.effects(n, "enter", with(scopeInZone, expr.Random)),
			Leave: b.does.effects(n, "leave", with(scopeInZone, expr.Random)),
			Taken: b.does.effects(n, "taken", with(scopeZone, expr.Random)),
			Lost:  b.does.effects(n, "lost", with(scopeZone, expr.Random)),
			Tell:  b.ticks(n, "update"), Starts: b.decl.starts(sheet.Zone, i),
		}
		if b.book.Ground == nil {
			b.failEntry(e, "needs-ground", "zones lie on a ground; declare its width and height")
		}
		z.Shape = b.lies.shape(n)
		if h := n.get("capture"); h != nil {
			z.Hold = &Hold{Takes: b.ticks(h, "time"), Fades: b.ticks(h, "fades"), Crowd: h.num("crowd"),
				Stays: h.on("stays")}
		} else {
			for _, key := range []string{"taken", "lost"} {
				if v := n.get(key); v != nil {
					b.fail(v, "missing-key", "hold: how it is taken", "nobody ever takes this zone")
				}
			}
		}
		b.book.Zones, rates = append(b.book.Zones, z), append(rates, z.Tell)
	}
	f := &b.book.F.Zone
	if slices.Max(append(rates, 0)) > 0 {
		for _, often := range []*sheet.Field{f.Pos, f.Size, f.Progress} {
			often.RateBy, often.Rates = f.Kind, rates
		}
	}
}

// shape reads where a zone is and how large.
func (b *surveyor) shape(n *node) (z Shape) {
	key, want := "circle", 3
	if n.get("box") != nil {
		key, want = "box", 4
		if r := n.get("radius"); r != nil {
			b.fail(r, "not-here", "a circle", "a box has no radius")
		}
	}
	if z.Low, z.Tall = n.span("bottom"), maxHeight; n.get("tall") != nil {
		z.Tall = n.span("tall")
	}
	var v []int64
	for _, item := range n.list(key) {
		mm, _ := parseLength(item.text)
		v = append(v, mm)
	}
	if len(v) != want {
		b.fail(n.get(key), "wrong-type",
			map[string]string{"circle": "[x, y, radius]", "box": "[left, top, right, bottom]"}[key], "%d lengths",
			len(v))
		return z
	}
	if key == "circle" {
		z.X, z.Y, z.W = v[0], v[1], v[2]
		if z.W == 0 {
			b.fail(n.get(key), "out-of-range", "a radius above 0", "a zone without room in it")
		}
		return z
	}
	z.X, z.Y, z.W, z.H = (v[0]+v[2])/2, (v[1]+v[3])/2, (v[2]-v[0])/2, (v[3]-v[1])/2
	if z.W <= 0 || z.H <= 0 {
		b.fail(n.get(key), "out-of-range", "left before right and top above bottom", "a zone without room in it")
	}
	return z
}
