package match

import (
	"cmp"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// aimed is where an input points.
type aimed struct {
	target sheet.ID
	x, y   int64
	point  bool // x and y are given
}

// aim finds whom an action hits, from the authority's own positions.
func (m *Match) aim(s *Player, a *rulebook.Action, in aimed) ([]*sheet.Row, step.Verdict) {
	m.hits = m.hits[:0]
	return aimers[a.Aim.At](m, s, a, in)
}

// aimers find whom each aim hits; a test finds one that is left out. An action about
// oneself hits nobody.
var aimers = [rulebook.Aims]func(*Match, *Player, *rulebook.Action, aimed) ([]*sheet.Row, step.Verdict){
	rulebook.AimTarget: (*Match).aimTarget,
	rulebook.AimLine:   (*Match).aimLine,
	rulebook.AimArea:   (*Match).aimArea,
}

// reaches tells whether an action works on a player at all.
func (m *Match) reaches(me, p *sheet.Row, a *rulebook.Action) code.Code {
	if p == me && a.Aim.Who != rulebook.WhoAnyone {
		return code.WrongTarget
	}
	friends := p.Team == me.Team && me.Team != 0
	if p != me && (a.Aim.Who == rulebook.WhoRivals && friends || a.Aim.Who == rulebook.WhoFriends && !friends) {
		return code.WrongTarget
	}
	if !a.Aim.Out && !p.Flag(m.book.F.Player.Alive) {
		return code.TargetOut
	}
	return code.OK
}

func (m *Match) aimTarget(s *Player, a *rulebook.Action, in aimed) ([]*sheet.Row, step.Verdict) {
	t := m.st.Get(in.target)
	if t == nil || t.Kind != sheet.Player || !t.Flag(m.book.F.Player.Playing) {
		return nil, step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a target who plays"}
	}
	switch m.reaches(s.Row, t, a) {
	case code.WrongTarget:
		return nil, step.Verdict{Code: code.WrongTarget, Reason: a.Title + " works on " + a.Aim.Who.String() + " only"}
	case code.TargetOut:
		return nil, step.Verdict{Code: code.TargetOut, Reason: "the target is out"}
	}
	if a.Aim.Reach > 0 {
		ax, ay := s.Row.Pos(m.book.F.Player.Pos)
		bx, by := t.Pos(m.book.F.Player.Pos)
		if !near(ax, ay, bx, by, a.Aim.Reach) {
			return nil, step.Verdict{
				Code: code.OutOfReach,
				Reason: a.Title + " reaches " + metres(a.Aim.Reach) + ", the target is " +
					metres(ground.Root((ax-bx)*(ax-bx)+(ay-by)*(ay-by))) + " away",
			}
		}
		if a.Aim.Block && !m.book.Ground.Sees(ax, ay, bx, by) {
			return nil, step.Verdict{Code: code.Blocked, Reason: "a wall stands between"}
		}
	}
	m.hits = append(m.hits, t)
	return m.hits, step.Verdict{}
}

func near(ax, ay, bx, by, reach int64) bool {
	dx, dy := ax-bx, ay-by
	return dx*dx+dy*dy <= reach*reach
}

func metres(mm int64) string { return sheet.ShowThousandths(mm) + " m" }

// aimLine finds the first one hit along a line towards X, Y as seen from the
// player: the nearest along it, the earlier seat when two are equally near.
func (m *Match) aimLine(s *Player, a *rulebook.Action, in aimed) ([]*sheet.Row, step.Verdict) {
	if !in.point || in.x == 0 && in.y == 0 || !inRange(in.x) || !inRange(in.y) {
		return nil, step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a direction other than (0, 0)"}
	}
	pos := m.book.F.Player.Pos
	x, y := s.Row.Pos(pos)
	line := ground.Line{X: x, Y: y, DX: in.x, DY: in.y, Reach: a.Aim.Reach, Half: a.Aim.Thick}
	var first *sheet.Row
	var best int64
	for _, p := range m.st.Seated {
		if p == s.Row || m.reaches(s.Row, p, a) != code.OK {
			continue
		}
		px, py := p.Pos(pos)
		along, ok := line.Hits(px, py, m.radius())
		if !ok || first != nil && along >= best || a.Aim.Block && !m.book.Ground.Sees(x, y, px, py) {
			continue
		}
		first, best = p, along
	}
	if first != nil {
		m.hits = append(m.hits, first)
	}
	return m.hits, step.Verdict{}
}

// aimArea finds everyone whose centre is in a circle around a point in reach,
// nearest first.
func (m *Match) aimArea(s *Player, a *rulebook.Action, in aimed) ([]*sheet.Row, step.Verdict) {
	pos := m.book.F.Player.Pos
	sx, sy := s.Row.Pos(pos)
	x, y := sx, sy
	if a.Aim.Reach > 0 {
		if !in.point || !inRange(in.x) || !inRange(in.y) {
			return nil, step.Verdict{Code: code.NoTarget, Reason: a.Title + " needs a point"}
		}
		if x, y = in.x, in.y; !near(sx, sy, x, y, a.Aim.Reach) {
			return nil, step.Verdict{Code: code.OutOfReach, Reason: a.Title + " reaches " + metres(a.Aim.Reach)}
		}
		if a.Aim.Block && !m.book.Ground.Sees(sx, sy, x, y) {
			return nil, step.Verdict{Code: code.Blocked, Reason: "a wall stands between"}
		}
	}
	for _, p := range m.st.Seated {
		px, py := p.Pos(pos)
		if m.reaches(s.Row, p, a) == code.OK && near(x, y, px, py, a.Aim.Radius) &&
			(!a.Aim.Block || m.book.Ground.Sees(x, y, px, py)) {
			m.hits = append(m.hits, p)
		}
	}
	away := func(p *sheet.Row) int64 {
		px, py := p.Pos(pos)
		return (px-x)*(px-x) + (py-y)*(py-y)
	}
	slices.SortStableFunc(m.hits, func(p, q *sheet.Row) int { return cmp.Compare(away(p), away(q)) })
	return m.hits, step.Verdict{}
}

func inRange(n int64) bool { return n >= -ground.MaxSide && n <= ground.MaxSide }

func (m *Match) radius() int64 {
	if m.book.Movement != nil {
		return m.book.Movement.Radius
	}
	return 0
}
