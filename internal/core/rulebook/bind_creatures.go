package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// creatureFields declares what a kind of creature brings along: its own fields, and the cooldowns of its acts.
func (b *binder) creatureFields(no int, e entry) {
	b.decl.ownFields(sheet.Creature, no, e)
	for _, a := range e.value.fields("acts") {
		if never(a.value.get("cooldown")) {
			continue
		}
		name := "cool_" + a.key
		if old := b.book.Schema.Field(sheet.Creature, name); old != nil && old.BuiltIn {
			continue // of another kind's act of that name
		}
		f := clock(true)
		f.Name, f.Title, f.BuiltIn = name, a.value.titled(a.key), true
		if _, err := b.book.Schema.Add(sheet.Creature, f); err != nil {
			b.failEntry(a, "taken", "%s", err)
		}
	}
}

func (b *binder) creatures() {
	entries := b.top.fields("creatures")
	for i, e := range entries {
		n := e.value
		c := &Creature{
			No:      i,
			Line:    e.line,
			Name:    e.key,
			Title:   n.titled(e.key),
			Body:    b.body(n),
			Flies:   n.on("flies"),
			Keep:    int(n.num("number")),
			Every:   b.ticks(n, "every"),
			Again:   n.get("back") != nil,
			Back:    b.ticks(n, "back"),
			Side:    NoSide,
			Speed:   b.speed(n, "speed", scopeCreature),
			Round:   wallsRound.is(n, "walls"),
			Decides: max(b.ticks(n, "decides"), 1),
			Tell:    b.ticks(n, "update"),
			Starts:  b.decl.starts(sheet.Creature, i),
		}
		for _, at := range n.list("at") {
			c.At = append(c.At, pointOf(at))
			if g := b.book.Ground; g != nil && !g.room(pointOf(at), c.Body) {
				b.warn(at, "place-unusable", "a %s with a radius of %s stands in a wall or outside here", c.Name,
					showLength(c.Radius))
			}
		}
		if side := n.get("team"); side != nil {
			c.Side = b.indexOf(side, "team", b.teamNames())
		}
		if b.book.Ground == nil {
			b.failEntry(e, "needs-ground", "creatures live on a ground; declare its width and height")
		}
		if b.top.get("pieces").get(e.key) != nil {
			b.failEntry(e, "taken", "a kind of piece is called %q already; call the creature something else", e.key)
		}
		if slices.Contains(append(slices.Clone(forWords), "pieces"), e.key) {
			b.failEntry(e, "taken", "the name %q has a meaning of its own where rules and aims name creatures", e.key)
		}
		for _, m := range n.list("moves") {
			c.Moves = append(c.Moves, b.move(m))
		}
		b.book.Creatures = append(b.book.Creatures, c)
	}
	for i, e := range entries { // acts may place and use what stands further down
		for no, a := range e.value.fields("acts") {
			b.book.Creatures[i].Acts = append(b.book.Creatures[i].Acts, b.act(no, a))
		}
	}
	b.rates()
}

// rates gives the positions of creatures and shots the rates of their kinds.
func (b *binder) rates() {
	set := func(pos, kind *sheet.Field, rates []sheet.Tick) {
		if slices.Max(append(rates, 0)) > 0 {
			pos.RateBy, pos.Rates = kind, rates
		}
	}
	var creatures, pieces []sheet.Tick
	for _, c := range b.book.Creatures {
		creatures = append(creatures, c.Tell)
	}
	for _, p := range b.book.Pieces {
		rate := sheet.Tick(0)
		if p.Shot != nil {
			rate = p.Shot.Tell
		}
		pieces = append(pieces, rate)
	}
	set(b.book.F.Creature.Pos, b.book.F.Creature.Kind, creatures)
	set(b.book.F.Piece.Pos, b.book.F.Piece.Kind, pieces)
}

func (b *binder) move(n *node) Move {
	m := Move{Line: n.line, If: b.condition(n, "if", scopeCreature), Gap: n.span("gap"),
		To: b.expr(n, "to", scopeCreature, expr.Want{Type: sheet.Position}), Then: pathWords.named(n.str("next")),
		Wander: n.span("wander"), Speed: b.speed(n, "speed", scopeCreature), Hurries: n.get("speed") != nil}
	for _, at := range n.list("along") {
		m.Along = append(m.Along, pointOf(at))
	}
	for key, with := range map[string]string{"gap": "to", "next": "along"} {
		if v := n.get(key); v != nil && !v.implied && n.get(with) == nil {
			b.fail(v, "not-here", "it only with "+with, "this move has no %q", with)
		}
	}
	return m
}

// act binds an act as an action is, with the creature as its subject.
func (b *binder) act(no int, e entry) *Action {
	n := e.value
	a := &Action{No: no, Line: e.line, Name: e.key, Title: n.titled(e.key), If: b.condition(n, "if", scopeCreature),
		Cooldown: b.quantity(n.get("cooldown"), scopeCreature, "ms"),
		Cool:     b.book.Schema.Field(sheet.Creature, "cool_"+e.key)}
	b.acts.aim(n, a, scopeCreature)
	b.acts.hitEffects(n, a, with(scopeCreature, expr.Random))
	b.acts.missed(n, a, with(scopeCreature, expr.Random|expr.Aim))
	return a
}

// hitEffects binds what an action or an act does to those whom its aim hits, by what they are.
func (b *actor) hitEffects(n *node, a *Action, scope expr.Scope) {
	if !aimDecls[a.Aim.At].target {
		a.Do = b.does.effects(n, "do", scope)
		for _, key := range []string{"creature", "piece"} {
			if v := n.get(key); v != nil {
				b.fail(v, "not-here", "an aim", "without an aim nothing is hit")
			}
		}
		return
	}
	scope.Vars |= expr.Target | expr.Aim
	bind := func(hits bool, kind sheet.Kind, key string) []Effect {
		scope := scope
		scope.Hit = kind
		v := n.get(key)
		switch {
		case !hits && v != nil && key != "do":
			b.fail(v, "not-here", "hits: ["+key+"s] in the aim", "the aim hits no %s", kind)
			return nil
		case !hits:
			return nil
		case v == nil:
			key = "do"
		}
		return b.does.effects(n, key, scope)
	}
	a.Do = bind(a.Aim.Players, sheet.Player, "do")
	a.Creature = bind(a.Aim.Creatures != 0, sheet.Creature, "creature")
	a.Piece = bind(a.Aim.Pieces != 0, sheet.Piece, "piece")
}

// hits reads whom an aim or a shot hits.
func (b *actor) hits(n *node) (players bool, creatures, pieces uint64) {
	list := n.list("hits")
	if n.get("hits") == nil {
		return true, 0, 0
	}
	kinds, things := b.mapKeys("creatures"), b.mapKeys("pieces")
	for _, item := range list {
		creature, piece := slices.Index(kinds, item.text), slices.Index(things, item.text)
		switch {
		case item.text == "players":
			players = true
		case item.text == "creatures":
			creatures = ^uint64(0)
		case item.text == "pieces":
			pieces = ^uint64(0)
		case creature >= 0:
			creatures |= 1 << creature
		case piece >= 0:
			pieces |= 1 << piece
		default:
			b.indexOf(item, "kind of creature or piece", append(append([]string{"players", "creatures", "pieces"},
				kinds...), things...))
		}
	}
	return players, creatures, pieces
}

// creatureKinds are the kinds of creature that a rule's "for" names, by bit; 0 for none.
func (b *document) creatureKinds(word string) uint64 {
	if word == "creatures" {
		return ^uint64(0)
	}
	if i := slices.Index(b.mapKeys("creatures"), word); i >= 0 {
		return 1 << i
	}
	return 0
}

// shot binds what makes a kind of piece one that flies.
func (b *binder) shot(p *Piece, n *node) {
	s := n.get("shot")
	if s == nil {
		return
	}
	p.Shot = &Shot{Speed: b.speed(s, "speed", expr.Scope{Vars: expr.Piece}),
		Who: whoWords.named(s.str("who")), Pierce: s.on("pierce"),
		Walls: shotWallWords.named(s.str("walls")), Tell: b.ticks(s, "update"),
		Wall: b.does.effects(s, "wall", with(expr.Scope{Vars: expr.Piece}, expr.Random|expr.Aim))}
	p.Shot.Fuse = b.does.effects(s, "fuse", with(expr.Scope{Vars: expr.Piece}, expr.Random))
	if s.get("fuse") != nil && p.Lasts == 0 {
		b.fail(s.get("fuse"), "missing-key", "lasts: after how long", "a fuse that never burns down")
	}
	gravity := b.speed(s, "gravity", expr.Scope{})
	if gravity.Varies != nil {
		b.fail(s.get("gravity"), "wrong-type", "a speed that is written out", "gravity that varies")
	}
	p.Shot.Gravity, p.Shot.Keeps = gravity.Fixed, s.num("keeps")
	var pieces uint64
	if p.Shot.Players, p.Shot.Creatures, pieces = b.acts.hits(s); pieces != 0 {
		b.fail(s.get("hits"), "not-here", "players, creatures or kinds of creature", "a shot does not hit pieces")
	}
	if p.Bearer != NoPiece {
		b.fail(s, "not-here", "another kind of piece", "a bearer does not fly")
	}
	if p.Lasts == 0 && p.Shot.Walls == ShotBounces {
		b.warn(s, "shot-endless", "nothing ends the flight of a shot that hits nobody; say how long it lasts")
	}
}
