package match

import (
	"cmp"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// aims finds whom actions hit.
type aims struct {
	*stage
	reach int64 // of the action at hand; less than 0 for anywhere
}

// aimed is where an input points.
type aimed struct {
	target sheet.ID
	at     ground.Point // or a direction
	point  bool         // at is given
}

// pointed is where an intent points.
func pointed(in *step.Input) aimed {
	return aimed{in.Target, ground.Point{X: in.X, Y: in.Y, Z: in.Z}, in.Point}
}

// aim finds whom an action or act of a player or creature hits, from the authority's own positions, and adds them to
// hits.
func (m *aims) aim(me *sheet.Row, a *rulebook.Action, in aimed) step.Verdict {
	clear(m.env.Aim.N)
	m.reach = a.Aim.Reach
	if far := a.Aim.Far; far != nil {
		m.reach = min(max(far.Int(&m.env), 0), ground.MaxSide)
		m.faulty(a.Line)
	} else if m.reach == 0 {
		m.reach = anywhere
	}
	return aimers[a.Aim.At](m, me, a, m.towards(me, a, in))
}

const anywhere = -1

// aimers find whom each aim hits; a test finds one that is left out. An action about oneself hits nobody.
var aimers = [rulebook.Aims]func(*aims, *sheet.Row, *rulebook.Action, aimed) step.Verdict{
	rulebook.AimTarget: (*aims).aimTarget, rulebook.AimLine: (*aims).aimLine, rulebook.AimArea: (*aims).aimArea,
	rulebook.AimCone: (*aims).aimCone}

// aimable returns the n-th list of those whom an aim may hit, nil for one that it does not look at: players, creatures,
// pieces.
func (m *aims) aimable(a *rulebook.Action, n int) []*sheet.Row {
	switch {
	case n == 0 && a.Aim.Players:
		return m.st.Seated
	case n == 1 && a.Aim.Creatures != 0:
		return m.st.Of(sheet.Creature)
	case n == 2 && a.Aim.Pieces != 0:
		return m.st.Of(sheet.Piece)
	}
	return nil
}

// aimLists is how many lists aimable has.
const aimLists = 3

// reaches tells whether an action works on a player, creature or piece at all.
func (m *aims) reaches(me, p *sheet.Row, a *rulebook.Action) code.Code {
	works := a.Aim.Players
	switch p.Kind {
	case sheet.Creature:
		works = a.Aim.Creatures&(1<<p.Int(m.book.F.Creature.Kind)) != 0
	case sheet.Piece:
		if a.Aim.Pieces&(1<<p.Int(m.book.F.Piece.Kind)) == 0 {
			return code.WrongTarget
		}
		return code.OK
	}
	if !works || p == me && a.Aim.Who != rulebook.WhoAnyone {
		return code.WrongTarget
	}
	friends := p.Team == me.Team && me.Team != 0
	if p != me && (a.Aim.Who == rulebook.WhoRivals && friends || a.Aim.Who == rulebook.WhoFriends && !friends) {
		return code.WrongTarget
	}
	if !a.Aim.Out && !m.alive(p) {
		return code.TargetOut
	}
	return code.OK
}

// targetable tells whether a sheet is one that can be a target: a player who plays, a creature or a piece.
func (m *aims) targetable(t *sheet.Row) bool {
	if t == nil {
		return false
	}
	return t.Kind == sheet.Player && t.Flag(m.book.F.Player.Playing) || t.Kind == sheet.Creature ||
		t.Kind == sheet.Piece
}

// unseen tells whether a player does not see a target, or there is none: where sight ends at a distance.
func (m *aims) unseen(me, t *sheet.Row) bool {
	g := m.ground()
	if g == nil || g.Sight == nil || t == me {
		return false
	}
	if !m.targetable(t) {
		return true
	}
	way := from(middleOf(m.stage, t), middleOf(m.stage, me))
	return !g.Sight.Keeps(way, m.book.Looks(me)) // a copy may still show it
}

func (m *aims) aimTarget(me *sheet.Row, a *rulebook.Action, in aimed) step.Verdict {
	t := m.st.Get(in.target)
	if me.Kind == sheet.Player && m.unseen(me, t) { // the same, whatever is there or is not
		return step.Verdict{Code: code.NoTarget, Reason: "you see no such target"}
	}
	if !m.targetable(t) {
		return step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a target who plays"}
	}
	switch m.reaches(me, t, a) {
	case code.WrongTarget:
		reason := a.Title + " works on " + a.Aim.Who.String() + " only"
		if t.Kind != sheet.Player || !a.Aim.Players {
			reason = a.Title + " does not work on this " + t.Kind.String()
		}
		return step.Verdict{Code: code.WrongTarget, Reason: reason}
	case code.TargetOut:
		return step.Verdict{Code: code.TargetOut, Reason: "the target is out"}
	}
	if m.reach != anywhere {
		from, to := middleOf(m.stage, me), middleOf(m.stage, t)
		if !inReach(from, to, m.reach) {
			return step.Verdict{Code: code.OutOfReach, Reason: a.Title + " reaches " + metres(m.reach) +
				", the target is " + metres(apartBy(from, to)) + " away"}
		}
		if a.Aim.Block && !sees(m.ground(), eyeOf(m.stage, me), to) {
			return step.Verdict{Code: code.Blocked, Reason: "a wall is in the way"}
		}
	}
	m.hits = append(m.hits, t)
	if m.ground() != nil {
		eye, to := eyeOf(m.stage, me), middleOf(m.stage, t)
		m.way(eye, to, from(to, eye))
	}
	return step.Verdict{}
}

// apartBy is how far two places are apart, rounded down.
func apartBy(a, b ground.Point) int64 { return ground.Root(square(from(a, b))) }

func near(ax, ay, bx, by, reach int64) bool {
	dx, dy := ax-bx, ay-by
	return dx*dx+dy*dy <= reach*reach
}

func metres(mm int64) string { return sheet.ShowThousandths(mm) + " m" }

// way notes where an aim began, where it stopped, and its direction.
func (m *aims) way(begins, stops, dir ground.Point) {
	if d := ground.Root(square(dir)); d > 0 {
		dir = ground.Point{X: dir.X * ground.Full / d, Y: dir.Y * ground.Full / d, Z: dir.Z * ground.Full / d}
	}
	put(m.env.Aim, expr.AimFrom, begins)
	put(m.env.Aim, expr.AimTo, stops)
	put(m.env.Aim, expr.AimDir, dir)
}

// direction refuses an aim that points nowhere.
func direction(a *rulebook.Action, in aimed) step.Verdict {
	if !in.point || in.at == (ground.Point{}) || !isPlace(in.at) {
		return step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a direction other than (0, 0)"}
	}
	return step.Verdict{}
}

// aimLine finds the first one hit along a line in a direction as seen from the eye of whoever aims, or all where it
// pierces: the nearest along it first, the earlier in the lists when two are equally near.
func (m *aims) aimLine(me *sheet.Row, a *rulebook.Action, in aimed) step.Verdict {
	if v := direction(a, in); !v.OK() {
		return v
	}
	eye := eyeOf(m.stage, me)
	start := len(m.hits)
	for n := range aimLists {
		for _, p := range m.aimable(a, n) {
			if p != me && m.reaches(me, p, a) == code.OK && m.onLine(eye, p, a, in.at) &&
				(!a.Aim.Block || sees(m.ground(), eye, middleOf(m.stage, p))) {
				m.hits = append(m.hits, p)
			}
		}
	}
	along := func(p *sheet.Row) int64 {
		way := from(middleOf(m.stage, p), eye)
		return way.X*in.at.X + way.Y*in.at.Y + way.Z*in.at.Z
	}
	slices.SortStableFunc(m.hits[start:], func(p, q *sheet.Row) int { return cmp.Compare(along(p), along(q)) })
	if !a.Aim.Pierce {
		m.hits = m.hits[:min(len(m.hits), start+1)]
	}
	m.lineStops(me, a, in.at, eye, start, along)
	return step.Verdict{}
}

// onLine tells whether a line from an eye comes upon somebody.
func (m *aims) onLine(eye ground.Point, p *sheet.Row, a *rulebook.Action, dir ground.Point) (ok bool) {
	at, body := m.at(p), m.book.Body(p)
	if m.ground().Tall == 0 {
		line := ground.Line{X: eye.X, Y: eye.Y, DX: dir.X, DY: dir.Y, Reach: m.reach, Half: a.Aim.Thick}
		_, ok = line.Hits(at.X, at.Y, body.Radius)
		return ok
	}
	ray := ground.Ray{From: eye, Dir: dir, Reach: m.reach, Half: a.Aim.Thick}
	_, ok = ray.Hits(at, body)
	return ok
}

// lineStops notes where a line stops and what stops it: the one it hits, or, when it hits nobody or goes through, a
// wall, a floor, the ground's edge or the end of its reach. Nothing tells a player of a body that they do not see.
func (m *aims) lineStops(me *sheet.Row, a *rulebook.Action, dir, eye ground.Point, start int,
	along func(*sheet.Row) int64) {
	d := max(ground.Root(square(dir)), 1)
	to, met := onward(eye, dir, m.reach, d), expr.MetBody
	if len(m.hits) > start && !a.Aim.Pierce && !(me.Kind == sheet.Player && m.unseen(me, m.hits[start])) {
		to = onward(eye, dir, along(m.hits[start])/d, d)
	} else {
		to, met = stop(m.ground(), eye, to, a.Aim.Block)
	}
	m.way(eye, to, dir)
	m.env.Aim.N[expr.AimMet.Slot()] = met
}

// stop is where a way ends that no body stops, and what stops it: the ground's edges and floor, and walls where they
// are in its way.
func stop(g *rulebook.Ground, from, to ground.Point, walls bool) (end ground.Point, met int64) {
	if end = cut(g, from, to); end != to {
		met = expr.MetEdge
	}
	if walls {
		within := end
		if end = until(g, from, within); end != within {
			met = expr.MetWall
		}
	}
	if met != expr.MetNothing && to.Z < from.Z { // the last whole point of a line is up to two above a floor
		if floor, is := g.Floor(end.X, end.Y, end.Z); is && end.Z-floor <= 2 {
			met = expr.MetFloor
		}
	}
	return end, met
}

// onward is where one comes that goes so far in a direction, which is long.
func onward(p, dir ground.Point, far, long int64) ground.Point {
	return ground.Point{X: p.X + dir.X*far/long, Y: p.Y + dir.Y*far/long, Z: p.Z + dir.Z*far/long}
}

// aimCone finds everyone whose middle is in a cone that opens in a direction as seen from the eye of whoever aims,
// nearest first.
func (m *aims) aimCone(me *sheet.Row, a *rulebook.Action, in aimed) step.Verdict {
	if v := direction(a, in); !v.OK() {
		return v
	}
	eye, d := eyeOf(m.stage, me), max(ground.Root(square(in.at)), 1)
	m.gather(me, a, eye, m.reach, func(p ground.Point) bool {
		way := from(p, eye)
		long := ground.Root(square(way))
		dot := way.X*in.at.X + way.Y*in.at.Y + way.Z*in.at.Z
		return long == 0 || dot*cosUnit >= long*d*a.Aim.Cos
	})
	m.way(eye, cut(m.ground(), eye, onward(eye, in.at, m.reach, d)), in.at)
	return step.Verdict{}
}

// cosUnit is one, in the unit of Aim.Cos.
const cosUnit = 1_000_000

// aimArea finds everyone whose middle is in a circle, on tall ground a ball, around a point in reach, nearest first.
func (m *aims) aimArea(me *sheet.Row, a *rulebook.Action, in aimed) step.Verdict {
	middle, eye := middleOf(m.stage, me), eyeOf(m.stage, me)
	at := middle
	if m.reach != anywhere {
		if !in.point || !isPlace(in.at) {
			return step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a point"}
		}
		if at = in.at; !inReach(middle, at, m.reach) {
			return step.Verdict{Code: code.OutOfReach, Reason: a.Title + " reaches " + metres(m.reach)}
		}
		if a.Aim.Block && !sees(m.ground(), eye, at) {
			return step.Verdict{Code: code.Blocked, Reason: "a wall is in the way"}
		}
	}
	m.gather(me, a, at, a.Aim.Radius, nil)
	m.way(eye, at, from(at, eye))
	return step.Verdict{}
}

// gather hits everyone within a radius of a point whose middle also passes a test, nearest first.
func (m *aims) gather(me *sheet.Row, a *rulebook.Action, at ground.Point, radius int64, in func(ground.Point) bool) {
	start := len(m.hits)
	for n := range aimLists {
		for _, p := range m.aimable(a, n) {
			mid := middleOf(m.stage, p)
			if m.reaches(me, p, a) == code.OK && inReach(at, mid, radius) && (in == nil || in(mid)) &&
				(!a.Aim.Block || sees(m.ground(), at, mid)) {
				m.hits = append(m.hits, p)
			}
		}
	}
	away := func(p *sheet.Row) int64 { return square(from(middleOf(m.stage, p), at)) }
	slices.SortStableFunc(m.hits[start:], func(p, q *sheet.Row) int { return cmp.Compare(away(p), away(q)) })
}
