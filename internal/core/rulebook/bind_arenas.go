package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

// takeArenas takes in the arenas that stand in files of their own: they join those of the list.
func (b *surveyor) takeArenas(s *structure, docs []*node) {
	arenas := b.top.get("arenas")
	files := arenas.get("files")
	here := map[string]*node{}
	for _, d := range docs {
		if !s.check(d, &spec{shape: anObject, object: arenaFile}) {
			continue
		}
		n := d.get("arena")
		if files == nil || !slices.ContainsFunc(files.items, func(f *node) bool { return f.text == n.text }) {
			b.fail(n, "unknown-name", "a name that stands under arenas.files", "the rulebook has no arena file %q",
				n.text)
		}
		here[n.text] = d
	}
	if files == nil {
		return
	}
	list := arenas.get("list")
	if list == nil {
		list = &node{kind: mapNode, line: arenas.line, col: arenas.col, path: arenas.path + ".list"}
		arenas.entries = append(arenas.entries, entry{"list", list.line, list.col, list})
	}
	for _, f := range files.items {
		d := here[f.text]
		switch {
		case d == nil:
			b.fail(f, "needs-arena", "a file beside the rulebook's that begins with turnvex: 1 and arena: "+f.text,
				"the arena %q is not here", f.text)
		case list.get(f.text) != nil:
			b.fail(f, "taken", "another name", "there is an arena %q already", f.text)
		default:
			list.entries = append(list.entries, entry{f.text, d.line, d.col, d})
		}
	}
}

// arenaEntries are the arenas, as they are written.
func (b *document) arenaEntries() []entry { return b.top.get("arenas").fields("list") }

// hasGround tells whether there is a ground to be on.
func (b *document) hasGround() bool { return b.top.get("ground") != nil || b.top.get("arenas") != nil }

// declareArenas adds the fields that say where a match is played, and where the next one is.
func (b *declarer) declareArenas() {
	n := b.top.get("arenas")
	if n == nil {
		return
	}
	var names []string
	for _, e := range b.arenaEntries() {
		names = append(names, e.key)
	}
	if len(names) == 0 {
		b.fail(n, "missing-key", "list or files", "no arena is declared")
		names = []string{"none"}
	}
	lob, mat := b.adder(sheet.Lobby), b.adder(sheet.Match)
	titled := func(title string) sheet.Field {
		f := choiceOf(names)
		f.Title = title
		return f
	}
	pick := arenaPickWords.named(n.str("pick"))
	if n.get("pick") == nil && b.book.Host.May[PowerArena] == 0 {
		pick = ArenaInTurn
	}
	b.book.Arenas = &Arenas{Pick: pick, Rounds: eachRound.is(n, "changes"),
		Field: mat("arena", titled("Arena")), Next: lob("arena", titled("Next arena"))}
	if pick == ArenaGiven {
		b.book.Options = append(b.book.Options, b.book.Arenas.Next)
	}
	b.uses.wrote(sheet.Match, b.book.Arenas.Field)
	b.uses.wrote(sheet.Lobby, b.book.Arenas.Next)
	if b.book.Arenas.Rounds && b.top.get("rounds") == nil {
		b.fail(n.get("changes"), "missing-key", "rounds, or changes: match", "there are no rounds in this rulebook")
	}
}

// grounds binds the ground, or each arena's.
func (b *surveyor) grounds() {
	k, whole := b.book, b.top.get("ground")
	if k.Arenas == nil {
		if whole != nil {
			k.Grounds = []*Ground{b.oneGround(whole, nil)}
		}
	} else {
		for _, e := range b.arenaEntries() {
			g := b.oneGround(e.value, whole)
			g.Name, g.Title = e.key, e.value.titled(e.key)
			k.Grounds = append(k.Grounds, g)
		}
	}
	if len(k.Grounds) > 0 {
		k.Ground = k.Grounds[0]
	}
}

// oneGround binds a ground; what it does not say, another one says.
func (b *surveyor) oneGround(n, otherwise *node) *Ground {
	from := func(key string) *node {
		if n.get(key) != nil {
			return n
		}
		return otherwise
	}
	g := &Ground{
		Ground: ground.Ground{Width: from("width").span("width"), Height: from("height").span("height"),
			Tall: from("tall").span("tall"), Open: from("floor").get("floor") != nil && !from("floor").on("floor")},
	}
	if b.book.Schema.Deep && g.Tall == 0 {
		b.fail(n, "missing-key", "tall here, or in ground", "some arenas are tall and this one is not")
	}
	if g.Width == 0 || g.Height == 0 {
		b.fail(n, "missing-key", "", "an arena needs width and height, or a ground that has them")
	}
	for _, w := range from("walls").list("walls") {
		b.wall(g, w)
	}
	if g.Sight = b.sight(n.get("sight")); otherwise != nil {
		g.Sight = b.sight(otherwise.get("sight"))
	}
	g.Index()
	return g
}

// spawnPoints binds where players appear, on each ground.
func (b *surveyor) spawnPoints() {
	whole := b.top.get("ground")
	for i, g := range b.book.Grounds {
		n := whole
		if b.book.Arenas != nil {
			if own := b.arenaEntries()[i].value; own.get("spawns") != nil || whole == nil {
				n = own
			}
		}
		for _, p := range n.list("spawns") {
			b.spawnPoint(g, p)
		}
		if len(g.Spawns) == 0 {
			g.Spawns = []SpawnPoint{{Point: ground.Point{X: g.Width / 2, Y: g.Height / 2}, Team: -1}}
			b.middle(n, g)
		}
	}
}

// middle warns of a ground without spawn points and with a wall in its middle.
func (b *surveyor) middle(n *node, g *Ground) {
	if !g.room(ground.Point{X: g.Width / 2, Y: g.Height / 2}, b.book.Movement.body()) {
		b.warn(n, "spawn-in-wall",
			"without spawn points players appear in the middle of the ground, and that is in a wall")
	}
}

// placed says where pieces, creatures and zones are on each ground. It comes when all of them are bound.
func (b *surveyor) placed() {
	for i, g := range b.book.Grounds {
		var own *node
		if b.book.Arenas != nil {
			own = b.arenaEntries()[i].value
		}
		places := own.get("places")
		for _, p := range b.book.Pieces {
			g.Pieces = append(g.Pieces, pointsOr(places.get(p.Name), p.At))
		}
		for _, c := range b.book.Creatures {
			g.Creatures = append(g.Creatures, pointsOr(places.get(c.Name), c.At))
			b.stuckCreatures(g, c, places.get(c.Name))
		}
		b.knownPlaces(places)
		b.zonesOn(g, own.get("zones"))
	}
	b.grids()
}

func pointsOr(n *node, otherwise []ground.Point) (out []ground.Point) {
	if n == nil {
		return otherwise
	}
	for _, at := range n.items {
		out = append(out, pointOf(at))
	}
	return out
}

// stuckCreatures warns of points of an arena in walls, or outside.
func (b *surveyor) stuckCreatures(g *Ground, c *Creature, places *node) {
	if places == nil {
		return
	}
	for _, at := range places.items {
		if !g.room(pointOf(at), c.Body) {
			b.warn(at, "place-unusable", "a %s with a radius of %s stands in a wall or outside here", c.Name,
				showLength(c.Radius))
		}
	}
}

func (b *surveyor) knownPlaces(n *node) {
	kinds := append(b.mapKeys("pieces"), b.mapKeys("creatures")...)
	if n == nil {
		return
	}
	for _, e := range n.entries {
		if !slices.Contains(kinds, e.key) {
			p := b.fail(e.value, "unknown-name", "a kind of piece or creature", "there is no kind %q", e.key)
			p.Line, p.Column, p.Nearest = e.line, e.col, Nearest(e.key, kinds)
		}
	}
}

// zonesOn says where zones lie on a ground.
func (b *surveyor) zonesOn(g *Ground, n *node) {
	for _, z := range b.book.Zones {
		s := z.Shape
		if own := n.get(z.Name); own != nil {
			s = b.shape(own)
			if z.Radius != nil && own.get("box") != nil {
				b.fail(own, "not-here", "a circle", "a box has no radius")
			}
		}
		g.Zones = append(g.Zones, s)
	}
	if n == nil {
		return
	}
	for _, e := range n.entries {
		if names := b.mapKeys("zones"); !slices.Contains(names, e.key) {
			p := b.fail(e.value, "unknown-name", "a zone", "there is no zone %q", e.key)
			p.Line, p.Column, p.Nearest = e.line, e.col, Nearest(e.key, names)
		}
	}
}

func effectArena(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	if b.book.Arenas == nil {
		b.fail(v, "not-here", "arenas", "there are no arenas in this rulebook")
		return
	}
	e.Value = b.compile(v, scope, expr.Want{Field: b.book.Arenas.Next})
}
