package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

// tall tells whether any ground of a rulebook is, which gives places three lengths.
func tall(top *node, arenas []*node) bool {
	is := func(n *node) bool { return n.get("tall") != nil }
	return is(top.get("ground")) || slices.ContainsFunc(arenas, is) ||
		slices.ContainsFunc(top.get("arenas").fields("list"), func(e entry) bool { return is(e.value) })
}

// risesWords are the ways in which the top of a wall may rise.
var risesWords = words[ground.Rise]{"level", "east", "south", "west", "north"}

// RiseWord is the word for the way in which the top of a wall rises.
func RiseWord(r ground.Rise) string { return risesWords.of(r) }

// heightKeys are the keys that only tall grounds have, by what they are of.
var heightKeys = map[string][]string{
	"ground":   {"floor"},
	"walls":    {"bottom", "tall", "rises"},
	"movement": {"tall", "eye", "jump", "gravity", "step", "slope", "flies"},
	"bodies":   {"tall", "flies"},
	"shots":    {"gravity", "keeps"},
	"zones":    {"bottom", "tall"},
}

// flat refuses what says how high something is where no ground is tall.
func (b *surveyor) flat() {
	if b.book.Schema.Deep {
		return
	}
	refuse := func(n *node, keys string) {
		for _, key := range heightKeys[keys] {
			if v := n.get(key); v != nil && !v.implied {
				b.fail(v, "not-here", "ground: {tall: …}", "no ground of this rulebook is tall")
			}
		}
	}
	grounds := []*node{b.top.get("ground")}
	for _, e := range b.arenaEntries() {
		grounds = append(grounds, e.value)
		for _, z := range e.value.fields("zones") {
			refuse(z.value, "zones")
		}
	}
	for _, n := range grounds {
		refuse(n, "ground")
		for _, w := range n.list("walls") {
			refuse(w, "walls")
		}
	}
	refuse(b.top.get("movement"), "movement")
	for _, e := range slices.Concat(b.top.fields("pieces"), b.top.fields("creatures")) {
		refuse(e.value, "bodies")
		refuse(e.value.get("shot"), "shots")
	}
	for _, e := range b.top.fields("zones") {
		refuse(e.value, "zones")
	}
}

// walker binds what of a player's body matters where it walks.
func (b *surveyor) walker(n *node) (w ground.Walker) {
	if w.Radius = n.span("radius"); !b.book.Schema.Deep {
		return w
	}
	w.Tall, w.Step = n.span("tall"), n.span("step")
	slope := b.quantity(n.get("slope"), expr.Scope{}, "deg")
	by := int64(-1)
	if slope != nil && slope.Const {
		by = slope.Int(&expr.Env{})
	}
	if by < 0 || by > 89 {
		b.fail(n.get("slope"), "out-of-range", "an angle from 0deg to 89deg that is written out", "%s",
			n.get("slope").shown())
	}
	w.Slope = max(by, 0) * ground.FullTurn / 360
	return w
}

// upwards binds how players jump, fall, fly and look.
func (b *surveyor) upwards(n *node) {
	m := b.book.Movement
	if !b.book.Schema.Deep {
		return
	}
	m.Jump, m.Gravity = b.speed(n, "jump", scopePlayer), b.speed(n, "gravity", scopePlayer)
	m.Flies = n.on("flies")
	if m.Eye = m.Tall * 9 / 10; n.get("eye") != nil {
		m.Eye = n.span("eye")
	}
	if m.Eye > m.Tall {
		b.fail(n.get("eye"), "out-of-range", "at most tall", "an eye at %s of somebody who is %s "+
			"tall", showLength(m.Eye),
			showLength(m.Tall))
	}
}

// body is that of players; of those who do not move a point.
func (m *Movement) body() ground.Body {
	if m == nil {
		return ground.Body{}
	}
	return m.Body
}

// body binds the body of a piece or a creature.
func (b *terms) body(n *node) (c ground.Body) {
	if c.Radius = n.span("radius"); b.book.Schema.Deep {
		c.Tall = n.span("tall")
	}
	return c
}

// room tells whether a body at a place is within the ground and in no wall.
func (g *Ground) room(p ground.Point, b ground.Body) bool {
	if g.Tall == 0 {
		return g.Free(p.X, p.Y, b.Radius)
	}
	return g.Room(p, b)
}

// heights binds from where to where a wall goes.
func (b *surveyor) heights(g *Ground, n *node, w *ground.Wall) {
	if !b.book.Schema.Deep {
		return
	}
	w.Low, w.High = n.span("bottom"), g.Tall
	if t := n.get("tall"); t != nil {
		w.High = w.Low + n.span("tall")
	}
	switch {
	case w.High <= w.Low:
		b.fail(n, "out-of-range", "a bottom below the ground's height of "+showLength(g.Tall), "a wall with no inside")
		w.High = w.Low + 1
	case w.Rises == ground.RiseNot:
	case w.Radius > 0:
		b.fail(n.get("rises"), "not-here", "a box", "a circle does not rise")
		w.Rises = ground.RiseNot
	case n.get("tall") == nil:
		b.fail(n, "missing-key", "tall: how high it rises", "a ramp that leads nowhere")
	case w.High >= g.Tall:
		b.fail(n.get("tall"), "out-of-range", "less than the ground's height of "+showLength(g.Tall),
			"a ramp that leads nowhere")
	}
}

// above refuses a spawn point that is below no floor where players cannot fly.
func (b *surveyor) above(g *Ground, n *node, p ground.Point) {
	if m := b.book.Movement; m == nil || m.Flies || g.Tall == 0 {
		return
	}
	if _, is := g.With(0).Floor(p.X, p.Y, p.Z); !is {
		b.fail(n.get("at"), "out-of-range", "a place above a floor or a wall", "there is no floor below this spawn "+
			"point")
	}
}

// Legs is how creatures walk.
var Legs = ground.Walker{Step: 300, Slope: ground.FullTurn / 8}

// maxGrids is how many places to stand the grids of a rulebook have together, at most.
const maxGrids = 1 << 14

// grids makes the grids on which creatures find their ways on tall grounds, each for a build of creature and with every
// gate open.
func (b *surveyor) grids() {
	builds := map[ground.Body]bool{}
	for _, c := range b.book.Creatures {
		if c.Round && !c.Flies {
			builds[c.Body] = true
		}
	}
	if !b.book.Schema.Deep || len(builds) == 0 || len(b.problems.Errors()) > 0 {
		return
	}
	for _, g := range b.book.Grounds {
		made := map[ground.Body]*ground.Grid{}
		for _, c := range b.book.Creatures {
			if builds[c.Body] && made[c.Body] == nil {
				w := Legs
				w.Body = c.Body
				made[c.Body] = g.With(0).Grid(w, maxGrids/len(builds)/len(b.book.Grounds))
			}
			g.Grids = append(g.Grids, made[c.Body])
		}
	}
}

// declareHeights adds the built-in fields of who may rise and fall.
func (b *declarer) declareHeights() {
	n := b.top.get("movement")
	if !b.book.Schema.Deep || n == nil || n.on("flies") {
		return
	}
	p, add := &b.book.F.Player, b.adder(sheet.Player)
	speed := seenBy(resets(whole), sheet.OwnerOnly)
	speed.Measure = sheet.Speed
	p.Rise, p.Landed = add("rise", speed), add("landed", speed)
	p.Standing = add("standing", seenBy(resets(flagField), sheet.OwnerOnly))
}
