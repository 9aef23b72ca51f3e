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
	x, y   int64
	point  bool // x and y are given
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
	x, y := m.at(me)
	tx, ty := m.at(t)
	return !near(x, y, tx, ty, g.Sight.Far+g.Sight.Far/10) // as far as a copy may still show it
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
		ax, ay := m.at(me)
		bx, by := m.at(t)
		if !near(ax, ay, bx, by, m.reach) {
			return step.Verdict{
				Code: code.OutOfReach,
				Reason: a.Title + " reaches " + metres(m.reach) + ", the target is " +
					metres(ground.Root((ax-bx)*(ax-bx)+(ay-by)*(ay-by))) + " away",
			}
		}
		if a.Aim.Block && !m.ground().Sees(ax, ay, bx, by) {
			return step.Verdict{Code: code.Blocked, Reason: "a wall is in the way"}
		}
	}
	m.hits = append(m.hits, t)
	if m.ground() != nil {
		x, y := m.at(me)
		tx, ty := m.at(t)
		m.way(x, y, tx, ty, tx-x, ty-y)
	}
	return step.Verdict{}
}

func near(ax, ay, bx, by, reach int64) bool {
	dx, dy := ax-bx, ay-by
	return dx*dx+dy*dy <= reach*reach
}

func metres(mm int64) string { return sheet.ShowThousandths(mm) + " m" }

// way notes where an aim began, where it stopped, and its direction.
func (m *aims) way(x, y, tx, ty, dx, dy int64) {
	n := m.env.Aim.N
	n[expr.AimFrom.Slot()], n[expr.AimFrom.Slot()+1] = x, y
	n[expr.AimTo.Slot()], n[expr.AimTo.Slot()+1] = tx, ty
	if d := ground.Root(dx*dx + dy*dy); d > 0 {
		dx, dy = dx*full/d, dy*full/d
	}
	n[expr.AimDir.Slot()], n[expr.AimDir.Slot()+1] = dx, dy
}

// aimLine finds the first one hit along a line towards X, Y as seen from whoever aims, or all where it pierces: the
// nearest along it first, the earlier in the lists when two are equally near.
func (m *aims) aimLine(me *sheet.Row, a *rulebook.Action, in aimed) step.Verdict {
	if !in.point || in.x == 0 && in.y == 0 || !inRange(in.x) || !inRange(in.y) {
		return step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a direction other than (0, 0)"}
	}
	x, y := m.at(me)
	line := ground.Line{X: x, Y: y, DX: in.x, DY: in.y, Reach: m.reach, Half: a.Aim.Thick}
	start := len(m.hits)
	for n := range aimLists {
		for _, p := range m.aimable(a, n) {
			if p == me || m.reaches(me, p, a) != code.OK {
				continue
			}
			px, py := m.at(p)
			if _, ok := line.Hits(px, py, m.radiusOf(p)); ok && (!a.Aim.Block || m.ground().Sees(x, y, px, py)) {
				m.hits = append(m.hits, p)
			}
		}
	}
	along := func(p *sheet.Row) int64 {
		px, py := m.at(p)
		return (px-x)*in.x + (py-y)*in.y
	}
	slices.SortStableFunc(m.hits[start:], func(p, q *sheet.Row) int { return cmp.Compare(along(p), along(q)) })
	if !a.Aim.Pierce {
		m.hits = m.hits[:min(len(m.hits), start+1)]
	}
	m.lineStops(a, in, x, y, start, along)
	return step.Verdict{}
}

// lineStops notes where a line stops: at the one it hits, or, when it hits nobody or goes through, at a wall or the end
// of its reach.
func (m *aims) lineStops(a *rulebook.Action, in aimed, x, y int64, start int, along func(*sheet.Row) int64) {
	d := max(ground.Root(in.x*in.x+in.y*in.y), 1)
	tx, ty := x+in.x*m.reach/d, y+in.y*m.reach/d
	if n := len(m.hits); n > start && !a.Aim.Pierce {
		far := along(m.hits[start]) / d
		tx, ty = x+in.x*far/d, y+in.y*far/d
	} else {
		tx, ty = m.ground().Cut(x, y, tx, ty)
		if a.Aim.Block {
			tx, ty = m.ground().Until(x, y, tx, ty)
		}
	}
	m.way(x, y, tx, ty, in.x, in.y)
}

// aimCone finds everyone whose centre is in a cone that opens towards X, Y as seen from whoever aims, nearest first.
func (m *aims) aimCone(me *sheet.Row, a *rulebook.Action, in aimed) step.Verdict {
	if !in.point || in.x == 0 && in.y == 0 || !inRange(in.x) || !inRange(in.y) {
		return step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a direction other than (0, 0)"}
	}
	x, y := m.at(me)
	d := ground.Root(in.x*in.x + in.y*in.y)
	m.gather(me, a, x, y, m.reach, func(px, py int64) bool {
		long := ground.Root((px-x)*(px-x) + (py-y)*(py-y))
		dot := (px-x)*in.x + (py-y)*in.y
		return long == 0 || dot*cosUnit >= long*d*a.Aim.Cos
	})
	tx, ty := m.ground().Cut(x, y, x+in.x*m.reach/max(d, 1), y+in.y*m.reach/max(d, 1))
	m.way(x, y, tx, ty, in.x, in.y)
	return step.Verdict{}
}

// cosUnit is one, in the unit of Aim.Cos.
const cosUnit = 1_000_000

// aimArea finds everyone whose centre is in a circle around a point in reach, nearest first.
func (m *aims) aimArea(me *sheet.Row, a *rulebook.Action, in aimed) step.Verdict {
	sx, sy := m.at(me)
	x, y := sx, sy
	if m.reach != anywhere {
		if !in.point || !inRange(in.x) || !inRange(in.y) {
			return step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a point"}
		}
		if x, y = in.x, in.y; !near(sx, sy, x, y, m.reach) {
			return step.Verdict{Code: code.OutOfReach, Reason: a.Title + " reaches " + metres(m.reach)}
		}
		if a.Aim.Block && !m.ground().Sees(sx, sy, x, y) {
			return step.Verdict{Code: code.Blocked, Reason: "a wall is in the way"}
		}
	}
	m.gather(me, a, x, y, a.Aim.Radius, nil)
	m.way(sx, sy, x, y, x-sx, y-sy)
	return step.Verdict{}
}

// gather hits everyone within a radius of a point whose centre also passes a test, nearest first.
func (m *aims) gather(me *sheet.Row, a *rulebook.Action, x, y, radius int64, in func(x, y int64) bool) {
	start := len(m.hits)
	for n := range aimLists {
		for _, p := range m.aimable(a, n) {
			px, py := m.at(p)
			if m.reaches(me, p, a) == code.OK && near(x, y, px, py, radius) && (in == nil || in(px, py)) &&
				(!a.Aim.Block || m.ground().Sees(x, y, px, py)) {
				m.hits = append(m.hits, p)
			}
		}
	}
	away := func(p *sheet.Row) int64 {
		px, py := m.at(p)
		return (px-x)*(px-x) + (py-y)*(py-y)
	}
	slices.SortStableFunc(m.hits[start:], func(p, q *sheet.Row) int { return cmp.Compare(away(p), away(q)) })
}

func inRange(n int64) bool { return n >= -ground.MaxSide && n <= ground.MaxSide }
