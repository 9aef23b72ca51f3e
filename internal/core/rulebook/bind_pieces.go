package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

func (b *binder) pieces() {
	for i, e := range b.top.fields("pieces") {
		n := e.value
		p := &Piece{
			No:     i,
			Line:   e.line,
			Name:   e.key,
			Title:  n.titled(e.key),
			Body:   b.body(n),
			Keep:   int(n.num("number")),
			Every:  b.ticks(n, "every"),
			Apart:  n.span("apart"),
			Lasts:  b.ticks(n, "lasts"),
			If:     b.condition(n, "if", scopePiece),
			Touch:  b.does.effects(n, "touch", with(scopePiece, expr.Random)),
			Meets:  b.does.effects(n, "creature", with(expr.Scope{Vars: expr.Piece | expr.Creature}, expr.Random)),
			Stops:  wallsBlock.is(n, "walls"),
			Bearer: slices.IndexFunc(b.book.Bearers, func(x Bearer) bool { return x.Piece == i }),
		}
		p.Starts = b.decl.starts(sheet.Piece, i)
		b.shot(p, n)
		for _, at := range n.list("at") {
			p.At = append(p.At, pointOf(at))
		}
		if b.book.Ground == nil {
			b.failEntry(e, "needs-ground", "pieces lie on a ground; declare its width and height")
		}
		if p.Bearer != NoPiece && p.Keep > 0 {
			b.warn(n, "kept-bearer",
				"another one is placed while somebody holds the bearer %s; say number: 0, and place it by an effect",
				b.book.Bearers[p.Bearer].Name)
		}
		b.book.Pieces = append(b.book.Pieces, p)
	}
}

// places looks for places of pieces that can never be used: outside, in a wall, over those of a kind that always lies
// there; and for more to keep than there is room for.
func (b *surveyor) places() {
	for no, g := range b.book.Grounds {
		for i, e := range b.top.fields("pieces") {
			n, at := e.value, e.value.list("at")
			if b.book.Arenas != nil {
				own := b.arenaEntries()[no].value
				if here := own.get("places").get(e.key); here != nil {
					n, at = here, here.items
				}
			}
			b.placesOn(g, b.book.Pieces[i], n, at)
		}
	}
}

// placesOn looks at the places of a kind of piece on one ground.
func (b *surveyor) placesOn(g *Ground, p *Piece, n *node, at []*node) {
	usable, points := 0, g.Pieces[p.No]
	for i, point := range points {
		why := b.useless(g, p, point)
		if why == "" {
			usable++
		} else {
			b.warn(at[i], "place-unusable", "a %s with a radius of %s can never lie here%s: %s", p.Name,
				showLength(p.Radius), onGround(g), why)
		}
	}
	switch {
	case len(points) > 0 && p.Keep > usable:
		b.warn(n, "keep-too-many", "%d are to be kept%s, but only %d of the places can be used", p.Keep, onGround(g),
			usable)
	case len(points) == 0 && p.Keep > 0 && (g.Width < 2*p.Radius || g.Height < 2*p.Radius):
		b.warn(n, "keep-too-many", "a piece with a radius of %s does not fit on the ground%s", showLength(p.Radius),
			onGround(g))
	case len(points) == 0 && float64(p.Keep)*crowd(p) > float64(g.Width)*float64(g.Height):
		b.warn(n, "keep-too-many", "there is no room on the ground%s for %d of them, %s apart", onGround(g), p.Keep,
			showLength(p.Apart))
	}
}

// onGround says which ground is meant, where there are several.
func onGround(g *Ground) string {
	if g.Name == "" {
		return ""
	}
	return " in the arena " + g.Name
}

// crowd is the least area that a piece needs among many, in square millimetres: a hexagon, as close as circles can lie,
// of which the edge of the ground may cut off half.
func crowd(p *Piece) float64 {
	d := float64(2*p.Radius + p.Apart)
	return d * d * 0.866 / 2
}

// useless says why nothing can ever lie at a place of a ground, or nothing.
func (b *surveyor) useless(g *Ground, p *Piece, at ground.Point) string {
	if at.X < p.Radius || at.Y < p.Radius || at.X > g.Width-p.Radius || at.Y > g.Height-p.Radius {
		return "part of it is outside the ground"
	}
	if !g.room(at, p.Body) {
		return "it overlaps a wall"
	}
	for _, q := range b.book.Pieces[:p.No] { // those before it are placed first
		places := g.Pieces[q.No]
		if q.Keep < len(places) || q.Lasts > 0 || len(places) == 0 || len(q.Touch) > 0 {
			continue // it does not lie at each of its places all the time
		}
		for _, other := range places {
			dx, dy, dz := at.X-other.X, at.Y-other.Y, at.Z-other.Z
			if d := p.Radius + q.Radius + max(p.Apart, q.Apart); dx*dx+dy*dy+dz*dz < d*d {
				return "it overlaps the " + q.Name + " that always lies there"
			}
		}
	}
	return ""
}
