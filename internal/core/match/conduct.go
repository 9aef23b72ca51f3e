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
	f, unit := &m.book.F.Creature, shareOf(int64(full*m.book.Rate))
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
	x, y := r.Pos(f.Pos)
	gx, gy := x, y
	if mv != nil {
		anew := n[f.Doing.Slot()] != doing
		if anew {
			n[f.Leg.Slot()] = 0
		}
		gx, gy = m.goal(r, c, mv, anew)
		pace := &c.Speed
		if mv.Hurries {
			pace = &mv.Speed
		}
		n[f.Pace.Slot()] = paceOf(m.stage, pace, fastest)
	}
	n[f.Doing.Slot()] = doing
	put(r, f.Since, x, y)
	if c.Round && (gx != x || gy != y) && !m.ground().Clear(x, y, gx, gy, c.Radius) {
		vx, vy, ok := m.ground().Around(x, y, gx, gy, c.Radius, offWalls)
		if ok {
			gx, gy = vx, vy
		}
		if mv.To != nil {
			n[f.Leg.Slot()] = sheet.Bit(ok)
		}
	} else if mv != nil && mv.To != nil {
		n[f.Leg.Slot()] = 0
	}
	m.head(r, gx, gy)
}

// head turns a creature towards a point.
func (m *creatures) head(r *sheet.Row, gx, gy int64) {
	f := &m.book.F.Creature
	x, y := r.Pos(f.Pos)
	put(r, f.Goal, gx, gy)
	dx, dy := gx-x, gy-y
	if dx == 0 && dy == 0 {
		put(r, f.Head, 0, 0)
		return
	}
	if f.Yaw != nil {
		yaw, _ := ground.YawOf(dx, dy)
		m.st.SetInt(r, f.Yaw, yaw)
	}
	d := ground.Root(dx*dx + dy*dy)
	by := shareOf(d)
	put(r, f.Head, by.of(dx*full), by.of(dy*full))
}

// put writes a hidden position, which nothing else reads: it is not marked.
func put(r *sheet.Row, f *sheet.Field, x, y int64) {
	r.N[f.Slot()], r.N[f.Slot()+1] = x, y
}

// goal is where a way to move leads from where a creature is.
func (m *creatures) goal(r *sheet.Row, c *rulebook.Creature, mv *rulebook.Move, anew bool) (x, y int64) {
	f := &m.book.F.Creature
	x, y = r.Pos(f.Pos)
	switch {
	case mv.To != nil:
		v := mv.To.Value(&m.env, sheet.Position)
		m.faulty(mv.Line)
		if m.env.Fault != expr.OK {
			return x, y
		}
		gx, gy := apart(x, y, v.N[0], v.N[1], mv.Gap)
		return m.inside(c, gx, gy)
	case len(mv.Along) > 0:
		return m.nextPoint(r, mv, x, y)
	case mv.Wander > 0:
		gx, gy := r.Pos(f.Goal)
		sx, sy := r.Pos(f.Since)
		if anew || x == gx && y == gy || x == sx && y == sy {
			return m.stroll(r, c, mv)
		}
		return gx, gy
	}
	return x, y
}

// apart is where to go to be a gap off a point: nowhere, where one is off it enough, but not much.
func apart(x, y, tx, ty, gap int64) (gx, gy int64) {
	if gap == 0 {
		return tx, ty
	}
	dx, dy := x-tx, y-ty
	d := ground.Root(dx*dx + dy*dy)
	if d == 0 || d <= gap && d*10 >= gap*9 {
		return x, y
	}
	by := shareOf(d)
	return tx + by.of(dx*gap), ty + by.of(dy*gap)
}

// inside holds a point where a creature can stand within the ground.
func (m *creatures) inside(c *rulebook.Creature, x, y int64) (int64, int64) {
	g := m.ground()
	return min(max(x, c.Radius), max(g.Width-c.Radius, 0)), min(max(y, c.Radius), max(g.Height-c.Radius, 0))
}

// nextPoint is the point of a path that a creature walks to; at one, it is the next.
func (m *creatures) nextPoint(r *sheet.Row, mv *rulebook.Move, x, y int64) (int64, int64) {
	leg := &r.N[m.book.F.Creature.Leg.Slot()]
	n := int64(len(mv.Along))
	at := func() [2]int64 {
		i := *leg % n
		if mv.Then == rulebook.PathBack && n > 1 {
			if i = *leg % (2*n - 2); i >= n {
				i = 2*n - 2 - i
			}
		}
		return mv.Along[i]
	}
	if p := at(); p[0] == x && p[1] == y && (mv.Then != rulebook.PathStay || *leg < n-1) {
		*leg++
	}
	p := at()
	return p[0], p[1]
}

// stroll picks a place near where a creature appeared.
func (m *creatures) stroll(r *sheet.Row, c *rulebook.Creature, mv *rulebook.Move) (x, y int64) {
	f := &m.book.F.Creature
	hx, hy := r.Pos(f.Home)
	chance := draw(m.stage, lots.Stroll, uint32(r.ID))
	for range 4 {
		x, y = m.inside(c, hx+chance.Int64N(2*mv.Wander+1)-mv.Wander, hy+chance.Int64N(2*mv.Wander+1)-mv.Wander)
		if m.ground().Free(x, y, c.Radius) {
			return x, y
		}
	}
	return r.Pos(f.Pos)
}

// step walks one tick of a creature's way; where that ends, it decides anew.
func (m *creatures) step(r *sheet.Row, c *rulebook.Creature, unit share) {
	f := &m.book.F.Creature
	hx, hy := r.Pos(f.Head)
	if hx == 0 && hy == 0 {
		return
	}
	pace := r.Int(f.Pace)
	x, y := r.Pos(f.Pos)
	gx, gy := r.Pos(f.Goal)
	rx, ry := r.Pos(f.Rest)
	wx, wy := hx*pace+rx, hy*pace+ry
	dx, dy := unit.of(wx), unit.of(wy)
	if near(x, y, gx, gy, pace+1) && near(x, y, gx, gy, pace/int64(m.book.Rate)+1) {
		dx, dy, wx, wy = gx-x, gy-y, 0, 0
		put(r, f.Head, 0, 0)
		if doing := r.N[f.Doing.Slot()]; r.N[f.Leg.Slot()] > 0 || doing > 0 && c.Moves[doing-1].To == nil {
			r.N[f.Look.Slot()] = min(r.N[f.Look.Slot()], int64(m.play+1))
		}
		put(r, f.Rest, 0, 0)
	} else {
		put(r, f.Rest, wx-dx*unit.by, wy-dy*unit.by)
	}
	nx, ny := m.ground().Move(x, y, dx, dy, c.Radius)
	if m.st.SetPos(r, f.Pos, nx, ny) {
		m.stirred = true
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
	if on.Type.Of == sheet.Position {
		v := on.Value(&m.env, sheet.Position)
		in = aimed{x: v.N[0], y: v.N[1], point: m.env.Fault == expr.OK}
	} else if t := m.st.Get(sheet.ID(on.Int(&m.env))); t != nil && on.Type.Of == sheet.Ref &&
		(t.Kind == sheet.Player || t.Kind == sheet.Creature || t.Kind == sheet.Piece) {
		in.target, in.point = t.ID, true
		in.x, in.y = m.at(t)
	}
	if a.Aim.At.Direction() {
		x, y := m.at(r)
		in.x, in.y = in.x-x, in.y-y
	}
	return in
}
