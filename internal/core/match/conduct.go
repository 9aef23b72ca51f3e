package match

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// offWalls is how far from a wall's corner a creature goes round it, beyond its radius.
const offWalls = 50

// creaturesMove tells whether any creature may move by itself.
func (m *creatures) creaturesMove() bool {
	for _, r := range m.st.Of(sheet.Creature) {
		if len(m.creature(r).Moves) > 0 && r.Flag(m.book.F.Creature.Alive) {
			return true
		}
	}
	return false
}

// moveCreatures takes every creature one tick further on its way.
func (m *creatures) moveCreatures() {
	if m.book.Phases[m.phase].Frozen {
		return
	}
	f, unit := &m.book.F.Creature, ground.ShareOf(int64(ground.Full*m.book.Rate))
	for _, r := range m.st.Of(sheet.Creature) {
		c := m.creature(r)
		if len(c.Moves) == 0 || !r.Flag(f.Alive) {
			continue
		}
		if sheet.Tick(r.Int(f.Look)) <= m.play {
			m.choose(r, c)
		}
		m.step(r, c, unit)
	}
}

// choose looks which of its ways to move a creature takes, and where that leads.
func (m *creatures) choose(r *sheet.Row, c *rulebook.Creature) {
	f := &m.book.F.Creature
	m.subject(sheet.Creature, r)
	var mv *rulebook.Move
	doing := int64(0)
	for i := range c.Moves {
		if x := &c.Moves[i]; x.If == nil || m.yes(x.If, x.Line) {
			mv, doing = x, int64(i+1)
			break
		}
	}
	n := r.N // what is hidden is not marked
	n[f.Look.Slot()] = int64(m.play + c.Decides)
	at := placeIn(r, f.Pos)
	goal := at
	if mv != nil {
		anew := n[f.Doing.Slot()] != doing
		if anew {
			n[f.Leg.Slot()] = 0
		}
		goal = m.goal(r, c, mv, anew)
		pace := &c.Speed
		if mv.Hurries {
			pace = &mv.Speed
		}
		n[f.Pace.Slot()] = paceOf(m.stage, pace, ground.Fastest)
	}
	n[f.Doing.Slot()] = doing
	put(r, f.Since, at)
	if g := m.ground(); c.Round && goal != at && (g.Tall > 0 || !g.Clear(at.X, at.Y, goal.X, goal.Y, c.Radius)) {
		via, ok := m.around(c, at, goal)
		if ok {
			goal = via
		}
		if mv.To != nil {
			n[f.Leg.Slot()] = sheet.Bit(ok)
		}
	} else if mv != nil && mv.To != nil {
		n[f.Leg.Slot()] = 0
	}
	m.head(r, c, goal)
}

// around is where a creature goes first that goes round walls, and on tall ground up and down to where its goal is; not
// ok where it may go straight, or knows no way.
func (m *creatures) around(c *rulebook.Creature, at, goal ground.Point) (via ground.Point, ok bool) {
	g := m.ground()
	if g.Tall == 0 {
		via.X, via.Y, ok = g.Around(at.X, at.Y, goal.X, goal.Y, c.Radius, offWalls)
		return via, ok
	}
	if c.Flies {
		return via, false
	}
	grid := g.Grids[c.No]
	if goal = m.lands(c, goal); grid.Straight(at, goal) {
		return via, false
	}
	return grid.Way(at, goal)
}

// head turns a creature towards a point.
func (m *creatures) head(r *sheet.Row, c *rulebook.Creature, goal ground.Point) {
	f := &m.book.F.Creature
	put(r, f.Goal, goal)
	way := from(goal, placeIn(r, f.Pos))
	if !c.Flies {
		way.Z = 0
	}
	if way == (ground.Point{}) {
		put(r, f.Head, way)
		return
	}
	if f.Yaw != nil {
		if yaw, is := ground.YawOf(way.X, way.Y); is {
			m.st.SetInt(r, f.Yaw, yaw)
		}
		if f.Pitch != nil {
			m.st.SetInt(r, f.Pitch, ground.PitchOf(way))
		}
	}
	by := ground.ShareOf(ground.Root(square(way)))
	put(r, f.Head, ground.Point{X: by.Of(way.X * ground.Full), Y: by.Of(way.Y * ground.Full),
		Z: by.Of(way.Z * ground.Full)})
}

// put writes a hidden position, which nothing else reads: it is not marked.
func put(r *sheet.Row, f *sheet.Field, p ground.Point) {
	n, slot := r.N, f.Slot()
	if n[slot], n[slot+1] = p.X, p.Y; f.Type == sheet.Position3 {
		n[slot+2] = p.Z
	}
}

// goal is where a way to move leads from where a creature is.
func (m *creatures) goal(r *sheet.Row, c *rulebook.Creature, mv *rulebook.Move, anew bool) ground.Point {
	f := &m.book.F.Creature
	at := placeIn(r, f.Pos)
	switch {
	case mv.To != nil:
		v := mv.To.Value(&m.env, sheet.Position)
		m.faulty(mv.Line)
		if m.env.Fault != expr.OK {
			return at
		}
		to := pointIn(v)
		if level := at; !c.Flies && at.Z != to.Z { // who walks goes up or down first
			if level.Z = to.Z; max(at.Z-to.Z, to.Z-at.Z) > c.Tall && inReach(level, to, mv.Gap) {
				return m.inside(c, to)
			}
			return m.inside(c, apart(level, to, mv.Gap))
		}
		return m.inside(c, apart(at, to, mv.Gap))
	case len(mv.Along) > 0:
		return m.nextPoint(r, c, mv, at)
	case mv.Wander > 0:
		goal, since := placeIn(r, f.Goal), placeIn(r, f.Since)
		if anew || m.isAt(c, at, goal) || at == since {
			return m.stroll(r, c, mv)
		}
		return goal
	}
	return at
}

// isAt tells whether a creature is where it goes: who walks is so over it and under it.
func (m *creatures) isAt(c *rulebook.Creature, at, goal ground.Point) bool {
	return at.X == goal.X && at.Y == goal.Y && (at.Z == goal.Z || !c.Flies)
}

// apart is where to go to be a gap off a point: nowhere, where one is off it enough, but not much.
func apart(at, to ground.Point, gap int64) ground.Point {
	if gap == 0 {
		return to
	}
	way := from(at, to)
	d := ground.Root(square(way))
	if d == 0 || d <= gap && d*10 >= gap*9 {
		return at
	}
	by := ground.ShareOf(d)
	return ground.Point{X: to.X + by.Of(way.X*gap), Y: to.Y + by.Of(way.Y*gap), Z: to.Z + by.Of(way.Z*gap)}
}

// inside holds a point where a creature can stand within the ground.
func (m *creatures) inside(c *rulebook.Creature, p ground.Point) ground.Point {
	g := m.ground()
	p.X, p.Y = min(max(p.X, c.Radius), max(g.Width-c.Radius, 0)), min(max(p.Y, c.Radius), max(g.Height-c.Radius, 0))
	p.Z = min(max(p.Z, 0), max(g.Tall-c.Tall, 0))
	return p
}

// nextPoint is the point of a path that a creature walks to; at one, it is the next.
func (m *creatures) nextPoint(r *sheet.Row, c *rulebook.Creature, mv *rulebook.Move, at ground.Point) ground.Point {
	leg := &r.N[m.book.F.Creature.Leg.Slot()]
	n := int64(len(mv.Along))
	next := func() ground.Point {
		i := *leg % n
		if mv.Then == rulebook.PathBack && n > 1 {
			if i = *leg % (2*n - 2); i >= n {
				i = 2*n - 2 - i
			}
		}
		return mv.Along[i]
	}
	if m.isAt(c, at, next()) && (mv.Then != rulebook.PathStay || *leg < n-1) {
		*leg++
	}
	return next()
}

// stroll picks a place near where a creature appeared.
func (m *creatures) stroll(r *sheet.Row, c *rulebook.Creature, mv *rulebook.Move) ground.Point {
	f := &m.book.F.Creature
	home := placeIn(r, f.Home)
	chance := draw(m.stage, lots.Stroll, uint32(r.ID))
	for range 4 {
		off := func() int64 { return chance.Int64N(2*mv.Wander+1) - mv.Wander }
		to := ground.Point{X: home.X + off()}
		to.Y, to.Z = home.Y+off(), home.Z
		if c.Flies {
			to.Z += off()
		}
		if to = m.inside(c, to); isRoom(m.ground(), to, c.Body) {
			return to
		}
	}
	return placeIn(r, f.Pos)
}

// step walks one tick of a creature's way; where that ends, it decides anew.
func (m *creatures) step(r *sheet.Row, c *rulebook.Creature, unit ground.Share) {
	f := &m.book.F.Creature
	if m.book.Schema.Deep {
		m.stepOver(r, c, unit)
		return
	}
	hx, hy := r.Pos(f.Head)
	if hx == 0 && hy == 0 {
		return
	}
	pace := r.Int(f.Pace)
	x, y := r.Pos(f.Pos)
	gx, gy := r.Pos(f.Goal)
	rx, ry := r.Pos(f.Rest)
	wx, wy := hx*pace+rx, hy*pace+ry
	dx, dy := unit.Of(wx), unit.Of(wy)
	if near(x, y, gx, gy, pace+1) && near(x, y, gx, gy, pace/int64(m.book.Rate)+1) {
		dx, dy, wx, wy = gx-x, gy-y, 0, 0
		put(r, f.Head, ground.Point{})
		m.arrives(r, c)
		put(r, f.Rest, ground.Point{})
	} else {
		put(r, f.Rest, ground.Point{X: wx - dx*unit.By, Y: wy - dy*unit.By})
	}
	nx, ny := m.ground().Move(x, y, dx, dy, c.Radius)
	if m.st.SetPos(r, f.Pos, nx, ny) {
		m.stirred = true
	}
}

// arrives has a creature look soon where to go next, if it is on the way.
func (m *creatures) arrives(r *sheet.Row, c *rulebook.Creature) {
	f := &m.book.F.Creature
	if doing := r.N[f.Doing.Slot()]; r.N[f.Leg.Slot()] > 0 || doing > 0 && c.Moves[doing-1].To == nil {
		r.N[f.Look.Slot()] = min(r.N[f.Look.Slot()], int64(m.play+1))
	}
}

// use lets the creature at hand do something, if everything that it needs holds.
func (m *creatures) use(e *rulebook.Effect) {
	f, r := &m.book.F.Creature, m.env.Being
	if m.row == nil || r == nil || m.st.Get(r.ID) != r || !r.Flag(f.Alive) {
		return
	}
	a := m.creature(r).Act(e.Name)
	if a == nil {
		return
	}
	in := m.pointed(r, e.Value, a)
	if a.If != nil && !m.yes(a.If, a.Line) || a.Cool != nil && r.Clock(a.Cool, m.play) > 0 {
		return
	}
	target, start := m.env.Target, len(m.hits)
	if a.Aim.At != rulebook.AimSelf {
		if v := m.aims.aim(r, a, in); v.Code != code.OK {
			m.hits = m.hits[:start]
			return
		}
	}
	if a.Cool != nil {
		m.st.SetClock(r, a.Cool, ticksOf(m.stage, a.Cooldown, a.Line), -1, m.play)
	}
	m.acts.perform(nil, a, start)
	m.env.Target = target
}

// pointed is where an act points: at a sheet, or a position. A line and a cone take the direction there.
func (m *creatures) pointed(r *sheet.Row, on *expr.Prog, a *rulebook.Action) (in aimed) {
	if on == nil {
		return in
	}
	if on.Type.Of.IsPosition() {
		v := on.Value(&m.env, sheet.Position)
		in = aimed{at: pointIn(v), point: m.env.Fault == expr.OK}
	} else if t := m.st.Get(sheet.ID(on.Int(&m.env))); t != nil && on.Type.Of == sheet.Ref &&
		(t.Kind == sheet.Player || t.Kind == sheet.Creature || t.Kind == sheet.Piece) {
		in.target, in.point = t.ID, true
		in.at = middleOf(m.stage, t)
	}
	if a.Aim.At.Direction() {
		in.at = from(in.at, eyeOf(m.stage, r))
	}
	return in
}
