package rulebook

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

// teams binds the teams. It comes before the fields, whose audiences ask whether there are any.
func (b *binder) teams() {
	t := &b.book.Teams
	n := b.top.get("teams")
	if n == nil {
		return
	}
	t.Newcomers, t.Tie = newcomersWords.named(n.str("newcomers")), tieWords.named(n.str("tie"))
	t.Locked = lockedWords.named(n.str("locked"))
	least, most := int(n.num("least")), int(n.num("most"))
	for _, e := range n.fields("list") {
		team := Team{Name: e.key, Title: e.value.titled(e.key), Least: least, Most: most}
		if e.value.get("least") != nil {
			team.Least = int(e.value.num("least"))
		}
		if e.value.get("most") != nil {
			team.Most = int(e.value.num("most"))
			team.Creatures = team.Most == 0
		}
		if team.Creatures && e.value.get("least") == nil {
			team.Least = 0
		}
		if expr.IsReserved(e.key) {
			b.failEntry(e, "taken", "the name %q has a meaning of its own; call the team something else", e.key)
		}
		t.List = append(t.List, team)
	}
	for i := 1; i <= int(n.num("number")); i++ {
		t.List = append(t.List,
			Team{Name: fmt.Sprintf("team%d", i), Title: fmt.Sprintf("Team %d", i), Least: least, Most: most})
	}
	if !slices.ContainsFunc(t.List, func(t Team) bool { return !t.Creatures }) {
		b.fail(n, "empty", "at least one team for players", "no team is declared")
	}
}

func (b *document) teamNames() []string {
	var names []string
	for _, t := range b.book.Teams.List {
		names = append(names, t.Name)
	}
	return names
}

// seats binds players, spectators and start, and checks sizes that belong together.
func (b *binder) seats() {
	k := b.book
	n := b.section("players")
	k.Players = Players{Least: int(n.num("least")), Most: int(n.num("most")),
		Late: lateWords.named(n.str("late")), Hold: b.ticks(n, "hold"), Gone: goneWords.named(n.str("gone")),
		Leavers: leaversWords.named(n.str("leavers")), Returning: returningWords.named(n.str("returning")),
		Below: belowWords.named(n.str("below")), Local: int(n.num("local"))}
	if k.Players.Least > k.Players.Most {
		b.fail(n, "out-of-range", "least to be at most most", "least is %d and most is %d", k.Players.Least,
			k.Players.Most)
	}
	s := b.section("spectators")
	k.Spectators = Spectators{Most: int(s.num("most")), Delay: b.ticks(s, "delay")}
	bindStart(b.document)
	b.teamSizes()
}

func (b *binder) teamSizes() {
	k, n := b.book, b.top.get("teams")
	least, most := 0, 0
	for i := range k.Teams.List {
		t := &k.Teams.List[i]
		if t.Most == 0 && !t.Creatures {
			t.Most = k.Players.Most
		}
		if t.Least > t.Most {
			b.fail(n, "out-of-range", "least to be at most most", "team %s: least is %d and most is %d", t.Name,
				t.Least, t.Most)
		}
		least, most = least+t.Least, most+t.Most
	}
	if n == nil {
		return
	}
	if least > k.Players.Most {
		b.fail(n, "team-sizes", "", "the teams need %d players together, but players.most is %d", least, k.Players.Most)
	}
	if most < k.Players.Most {
		b.warn(n, "team-sizes", "the teams have room for %d players, but players.most is %d: the rest cannot be seated",
			most, k.Players.Most)
	}
	if least > k.Players.Least && b.top.get("players").get("least") != nil &&
		!b.top.get("players").get("least").implied {
		b.warn(n, "team-sizes", "the teams need %d players together, so players.least of %d never suffices", least,
			k.Players.Least)
	}
}

// ground binds the playing area, movement and spawning.
func (b *surveyor) ground() {
	k := b.book
	s := b.section("spawn")
	k.Spawn = Spawn{Pick: pickWords.named(s.str("pick")), Again: s.on("respawn"), Delay: b.ticks(s, "delay")}
	b.grounds()
	if n := b.top.get("movement"); n != nil {
		if k.Ground == nil {
			b.fail(n, "needs-ground", "a ground with width and height", "movement without a ground")
			return
		}
		k.Movement = &Movement{Speed: b.speed(n, "speed", scopePlayer),
			Gait:   ground.Gait{Walker: b.walker(n), Rate: int64(k.Rate)},
			Claims: claimsCheck.is(n, "claims"), Burst: b.ticks(n, "burst")}
		b.upwards(n)
	}
	b.facing()
	if every := b.ticks(b.top.get("movement"), "update"); every > 0 {
		for _, f := range []*sheet.Field{k.F.Player.Pos, k.F.Player.Yaw, k.F.Player.Pitch} {
			if f != nil {
				f.Rate, f.Beat = every, true
			}
		}
	}
	b.spawnPoints()
}

// facing binds how players turn.
func (b *surveyor) facing() {
	n := b.top.get("facing")
	if n == nil {
		return
	}
	if b.book.Ground == nil {
		b.fail(n, "needs-ground", "a ground with width and height", "facing without a ground")
		return
	}
	b.book.Facing = &Facing{Steered: followsSteering.is(n, "follows")}
	if b.book.Facing.Steered && b.book.Movement == nil {
		b.fail(n.get("follows"), "not-here", "movement, or intents here", "players do not steer")
	}
	if by, ok := b.angle(n.get("fastest"), expr.Scope{}, 36_000); ok {
		b.book.Facing.Fastest = max(by*ground.FullTurn/360/int64(b.book.Rate), 1)
	}
}

func (b *surveyor) sight(n *node) *Sight {
	if n == nil {
		return nil
	}
	s := &Sight{Near: n.span("near"), Far: n.span("far"), Every: b.ticks(n, "update")}
	if s.Far < s.Near {
		b.fail(n.get("far"), "out-of-range", "far to be at least near", "far is %s and near is %s", showLength(s.Far),
			showLength(s.Near))
	}
	if angle := n.get("angle"); angle != nil {
		s.Cone = b.cone(angle)
	}
	return s
}

// cone binds the angle in which players see.
func (b *surveyor) cone(n *node) *Cone {
	if b.top.get("facing").get("fastest") == nil {
		b.fail(n, "not-here", "facing: {fastest: 360deg} beside ground, or another speed of turning",
			"who turns at once looks everywhere at once")
		return nil
	}
	angle, ok := b.angle(n, expr.Scope{}, 360)
	if wider := angle + (angle+9)/10; ok && wider < 360 {
		return &Cone{Angle: angle, Cos: cosOf(angle), Keep: cosOf(wider)}
	}
	return &Cone{Angle: angle, Cos: max(cosOf(angle), -allAround), Keep: -allAround}
}

// allAround is more than any cosine, in millionths.
const allAround = 2_000_000

func (b *surveyor) wall(g *Ground, n *node) {
	var v []int64
	src := n.get("box")
	want := 4
	if src == nil {
		src, want = n.get("circle"), 3
	}
	for _, item := range src.items {
		mm, _ := parseLength(item.text)
		v = append(v, mm)
	}
	if len(v) != want {
		b.fail(src, "wrong-type", "four lengths for a box, three for a circle", "%d lengths", len(v))
		return
	}
	if want == 4 {
		if v[0] >= v[2] || v[1] >= v[3] {
			b.fail(src, "out-of-range", "left before right and top before bottom", "a box with no inside")
			return
		}
		b.addWall(g, n, ground.Wall{Left: v[0], North: v[1], Right: v[2], South: v[3],
			Rises: risesWords.named(n.str("rises"))})
		return
	}
	if v[2] == 0 {
		b.fail(src, "out-of-range", "a radius above 0", "a circle with no inside")
		return
	}
	b.addWall(g, n, ground.Wall{X: v[0], Y: v[1], Radius: v[2]})
}

// addWall adds a wall to a ground, and what it is there for.
func (b *surveyor) addWall(g *Ground, n *node, w ground.Wall) {
	b.heights(g, n, &w)
	g.Walls = append(g.Walls, w)
	while := n.get("while")
	if while == nil {
		return
	}
	f := b.book.Schema.Field(sheet.Match, while.text)
	switch {
	case f == nil || f.Type != sheet.Flag || f.BuiltIn:
		b.fail(while, "unknown-field", "a flag of sheets.match", "the match sheet has no flag %q", while.text)
	case f.See != sheet.Everyone:
		b.fail(while, "not-here", "a flag that everyone sees", "not everyone sees %s, and everyone runs into the wall",
			f.Name)
	case len(g.Gates) == maxGates:
		b.fail(while, "too-many", fmt.Sprintf("at most %d of a ground", maxGates),
			"more walls that are not always there")
	default:
		b.uses.reads[sheet.Match].Set(f.No)
		g.Gates = append(g.Gates, Gate{len(g.Walls) - 1, f})
	}
}

func (b *surveyor) spawnPoint(g *Ground, n *node) {
	p := SpawnPoint{Point: pointOf(n.get("at")), Team: -1, If: b.condition(n, "if", scopePlayer), Line: n.line}
	if t := n.get("team"); t != nil {
		p.Team = b.indexOf(t, "team", b.teamNames())
	}
	body := b.book.Movement.body()
	r, x, y := body.Radius, p.X, p.Y
	if x < r || y < r || x > g.Width-r || y > g.Height-r || p.Z+body.Tall > g.Tall {
		b.warn(n, "spawn-outside", "this spawn point leaves a body of radius %s outside the ground", showLength(r))
	} else if in := !g.With(0).room(p.Point, body); in && g.Tall > 0 {
		b.fail(n.get("at"), "out-of-range", "a place on a floor, or above it", "a body of radius %s and "+
			"%s tall at this spawn point stands in a wall", showLength(r), showLength(body.Tall))
	} else if in {
		b.warn(n, "spawn-in-wall", "a body of radius %s at this spawn point stands in a wall", showLength(r))
	}
	b.above(g, n, p.Point)
	g.Spawns = append(g.Spawns, p)
}

// declareKinds declares the fields that pieces, bearers and actions bring along.
func (b *binder) declareKinds() {
	k := b.book
	for no, e := range b.top.fields("pieces") {
		b.decl.ownFields(sheet.Piece, no, e)
	}
	for no, e := range b.top.fields("creatures") {
		b.creatureFields(no, e)
	}
	for no, e := range b.top.fields("zones") {
		b.zoneFields(no, e)
	}
	for _, e := range b.top.fields("bearers") {
		if k.Schema.Field(sheet.Match, e.key) != nil {
			b.failEntry(e, "taken", "the match sheet has a field %q already; call the bearer something else", e.key)
			continue
		}
		f, err := k.Schema.Add(sheet.Match,
			sheet.Field{Name: e.key, Title: e.value.str("title"), Type: sheet.Ref, Of: sheet.Player, BuiltIn: true})
		if err != nil {
			b.failEntry(e, "too-many", "%s", err)
			continue
		}
		b.uses.wrote(sheet.Match, f)
		heir := func(key string) Heir { return heirWords.named(e.value.str(key)) }
		k.Bearers = append(k.Bearers, Bearer{Name: e.key, Field: f, Start: heir("start"), Gone: heir("gone"),
			Out: heir("out"), Away: heir("away"), Piece: b.bearerPiece(e.value)})
	}
	for _, e := range b.top.fields("actions") {
		b.actionClock(e, "cool_", never(e.value.get("cooldown")), sheet.OwnerOnly)
		b.actionClock(e, "active_", never(e.value.get("lasts")) && never(e.value.get("windup")), sheet.Everyone)
	}
}

// bearerPiece is the kind of piece that a bearer lies on the ground as.
func (b *binder) bearerPiece(n *node) int {
	if v := n.get("piece"); v != nil {
		no := max(b.indexOf(v, "piece", b.mapKeys("pieces")), NoPiece)
		for _, x := range b.book.Bearers {
			if no != NoPiece && x.Piece == no {
				b.fail(v, "taken", "a kind of piece of its own", "the bearer %s is the piece %s already", x.Name,
					v.text)
			}
		}
		return no
	}
	for _, key := range []string{"gone", "out", "away"} {
		if v := n.get(key); v != nil && v.text == HeirDrop.String() {
			b.fail(v, "missing-key", "piece: the kind of piece that it is then",
				"nothing can be dropped that is no piece")
		}
	}
	return NoPiece
}

func (b *binder) actionClock(e entry, prefix string, never bool, see sheet.Audience) {
	if never {
		return
	}
	f := resets(clock(true))
	f.Name, f.Title, f.See, f.BuiltIn = prefix+e.key, e.value.titled(e.key), see, true
	if _, err := b.book.Schema.Add(sheet.Player, f); err != nil {
		b.failEntry(e, "taken", "%s", err)
	}
}
