package match

import (
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// heights lets players stand, jump, fall and fly on tall ground.
type heights struct{ *stage }

// alights lets a player stand where they have been put, if that is on a floor.
func (m *heights) alights(p *sheet.Row, at ground.Point) {
	f := &m.book.F.Player
	if f.Rise == nil {
		return
	}
	floor, is := m.ground().Floor(at.X, at.Y, at.Z)
	m.st.SetFlag(p, f.Standing, is && floor == at.Z)
	m.st.SetInt(p, f.Rise, 0)
}

// aloft tells whether somebody may rise or fall though nobody steers.
func (m *heights) aloft(p *sheet.Row) bool {
	f := &m.book.F.Player
	return f.Rise != nil && (!p.Flag(f.Standing) || len(m.ground().Gates) > 0)
}

// moveOver takes a player one tick further on tall ground, by so much each way, and tells by how much they have moved
// themselves.
func (m *heights) moveOver(p *sheet.Row, way ground.Point, unit share) ground.Point {
	mv, f := m.book.Movement, &m.book.F.Player
	was := placeIn(p, f.Pos)
	if mv.Flies {
		now := m.ground().Fly(was, way, mv.Body)
		m.stirred = putAt(m.st, p, f.Pos, now) || m.stirred
		return from(now, was)
	}
	stood, rise := p.Flag(f.Standing), p.Int(f.Rise)
	if stood && p.Height(f.Steer) > 0 {
		if up := speedBy(m.stage, p, &mv.Jump); up > 0 {
			stood, rise = false, up
		}
	}
	var near ground.Near
	here := m.ground().Part(was, way.X, way.Y, mv.Radius, &near)
	now, stands := here.Walk(was, way.X, way.Y, &mv.Walker, stood)
	if stands {
		rise = 0
	} else {
		now, rise, stands = m.fall(p, &here, now, rise, unit)
	}
	if m.st.SetFlag(p, f.Standing, stands); stands && !stood {
		m.emit(rulebook.OnLand, p)
	}
	m.st.SetInt(p, f.Rise, rise)
	if was.Z >= 0 && now.Z < 0 {
		m.emit(rulebook.OnFall, p)
	}
	m.stirred = putAt(m.st, p, f.Pos, now) || m.stirred
	return from(now, was)
}

// upwards is how far a player flies up in a tick. What is less than a millimetre is kept for the next one.
func (m *heights) upwards(p *sheet.Row, speed int64) int64 {
	if f := &m.book.F.Player; m.book.Movement.Flies {
		rest, by := &p.N[f.Rest.Slot()+2], int64(full*m.book.Rate) // hidden and read by nothing else, so not marked
		whole := p.Height(f.Steer)*speed + pushedUp(m.stage, p)*full + *rest
		*rest = whole % by
		return whole / by
	}
	return 0
}

// fall takes a player who does not stand up or down for a tick, by how fast they rise. Who lands notes how fast.
func (m *heights) fall(p *sheet.Row, here *ground.Place, at ground.Point, rise int64,
	unit share) (now ground.Point, next int64, lands bool) {
	mv, f := m.book.Movement, &m.book.F.Player
	rise = max(rise-unit.of(speedBy(m.stage, p, &mv.Gravity)), -fastest)
	rest := &p.N[f.Rest.Slot()+2] // hidden and read by nothing else, so not marked
	by := rise + *rest
	dz := unit.of(by)
	now, stopped := here.Fall(at, dz, &mv.Walker)
	if *rest = by - dz*unit.by; !stopped {
		return now, rise, false
	}
	*rest = 0
	if lands = by <= 0 && now.Z > -here.Tall; lands {
		m.st.SetInt(p, f.Landed, -rise)
	}
	return now, 0, lands
}

// lift has a push throw somebody up, who then falls.
func (m *heights) lift(p *sheet.Row, up int64) {
	if f := &m.book.F.Player; f.Rise != nil && up > 0 {
		m.st.SetInt(p, f.Rise, up)
		m.st.SetFlag(p, f.Standing, false)
	}
}

// dropping is how fast a creature that walks falls, in millimetres a second.
const dropping = 10_000

// stepOver walks or flies one tick of a creature's way on tall ground.
func (m *creatures) stepOver(r *sheet.Row, c *rulebook.Creature, unit share) {
	f, g := &m.book.F.Creature, m.ground()
	at, head := placeIn(r, f.Pos), placeIn(r, f.Head)
	if head == (ground.Point{}) {
		if floor, is := g.Floor(at.X, at.Y, at.Z); c.Flies || is && floor == at.Z {
			return
		}
	}
	goal, rest := placeIn(r, f.Goal), placeIn(r, f.Rest)
	if !c.Flies {
		goal.Z = at.Z
	}
	pace := r.Int(f.Pace)
	whole := ground.Point{X: head.X*pace + rest.X, Y: head.Y*pace + rest.Y, Z: head.Z*pace + rest.Z}
	way := ground.Point{X: unit.of(whole.X), Y: unit.of(whole.Y)}
	if c.Flies {
		way.Z = unit.of(whole.Z)
	}
	if head != (ground.Point{}) && inReach(at, goal, unit.of(pace*full)+1) {
		way = from(goal, at)
		put(r, f.Head, ground.Point{})
		m.arrives(r, c)
		put(r, f.Rest, ground.Point{})
	} else {
		put(r, f.Rest, ground.Point{X: whole.X - way.X*unit.by, Y: whole.Y - way.Y*unit.by, Z: whole.Z - way.Z*unit.by})
	}
	if c.Flies {
		at = g.Fly(at, way, c.Body)
	} else {
		w, stands := rulebook.Legs, false
		w.Body = c.Body
		var near ground.Near
		here := g.Part(at, way.X, way.Y, w.Radius, &near)
		if at, stands = here.Walk(at, way.X, way.Y, &w, true); !stands {
			at, _ = here.Fall(at, -dropping/int64(m.book.Rate), &w)
			at.Z = max(at.Z, 0)
		}
	}
	if putAt(m.st, r, f.Pos, at) {
		m.stirred = true
	}
}

// lands is where a creature stands that appears somewhere: on the floor under it, unless it flies.
func (m *creatures) lands(c *rulebook.Creature, at ground.Point) ground.Point {
	if floor, is := m.ground().Floor(at.X, at.Y, at.Z); is && !c.Flies {
		at.Z = floor
	}
	return at
}

// flyOver takes one shot a tick further on tall ground, by its gravity downwards.
func (m *shots) flyOver(r *sheet.Row, p *rulebook.Piece, unit share) {
	f, g := &m.book.F.Piece, m.ground()
	at, way, rest := placeIn(r, f.Pos), placeIn(r, f.Way), placeIn(r, f.Rest)
	if p.Shot.Gravity > 0 {
		way.Z = max(way.Z-p.Shot.Gravity/int64(m.book.Rate), -fastestShot)
		putAt(m.st, r, f.Way, way)
	}
	whole := ground.Point{X: way.X + rest.X, Y: way.Y + rest.Y, Z: way.Z + rest.Z}
	by := ground.Point{X: unit.of(whole.X), Y: unit.of(whole.Y), Z: unit.of(whole.Z)}
	put(r, f.Rest, ground.Point{X: whole.X - by.X*unit.by, Y: whole.Y - by.Y*unit.by, Z: whole.Z - by.Z*unit.by})
	to := onward(at, by, 1, 1)
	end, met := stop(g, at, to, p.Shot.Walls != rulebook.ShotIgnores)
	if !m.strike(r, p, at, end) {
		return
	}
	if putAt(m.st, r, f.Pos, end); end != to {
		m.met(at, end, way, met)
		m.stopped(r, p, end, way)
	}
}

// stopped does what happens where a shot meets a wall, a floor or the ground's edge: it is gone, or bounces off what is
// in its way.
func (m *shots) stopped(r *sheet.Row, p *rulebook.Piece, at, way ground.Point) {
	if !m.bounces(r, p) {
		return
	}
	g, turned := m.ground(), false
	for i, part := range []*int64{&way.X, &way.Y, &way.Z} {
		next := at
		*[]*int64{&next.X, &next.Y, &next.Z}[i] += sign(*part)
		if *part != 0 && (g.CutOver(at, next) != next || !g.SeesOver(at, next)) {
			*part, turned = -*part*int64(p.Shot.Keeps)/100, true
		}
	}
	if !turned { // an edge
		way = ground.Point{X: -way.X, Y: -way.Y, Z: -way.Z}
	}
	putAt(m.st, r, m.book.F.Piece.Way, way)
	put(r, m.book.F.Piece.Rest, ground.Point{})
}
