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

// drive adds how fast a player jumps and falls, where they may.
func (m *heights) drive(p *sheet.Row, d *ground.Drive) {
	mv, f := m.book.Movement, &m.book.F.Player
	if f.Rise == nil {
		return
	}
	d.Gravity = speedBy(m.stage, p, &mv.Gravity)
	if d.Steer.Z > 0 && p.Flag(f.Standing) {
		d.Jump = speedBy(m.stage, p, &mv.Jump)
	}
}

// bodyOf is a player's body on its way.
func (m *heights) bodyOf(p *sheet.Row) ground.Moving {
	f := &m.book.F.Player
	b := ground.Moving{At: placeIn(p, f.Pos), Rest: placeIn(p, f.Rest)}
	if f.Rise != nil {
		b.Rise, b.Stands = p.Int(f.Rise), p.Flag(f.Standing)
	}
	return b
}

// takes notes where a player's body has come in a tick. Who lands notes how fast.
func (m *heights) takes(p *sheet.Row, b *ground.Moving, l ground.Landing) {
	f := &m.book.F.Player
	was := placeIn(p, f.Pos)
	put(p, f.Rest, b.Rest)
	if f.Rise != nil {
		if l.Lands {
			m.st.SetInt(p, f.Landed, l.Speed)
		}
		if m.st.SetFlag(p, f.Standing, b.Stands); b.Stands && l.Aloft {
			m.emit(rulebook.OnLand, p)
		}
		m.st.SetInt(p, f.Rise, b.Rise)
		if was.Z >= 0 && b.At.Z < 0 {
			m.emit(rulebook.OnFall, p)
		}
	}
	m.stirred = putAt(m.st, p, f.Pos, b.At) || m.stirred
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
func (m *creatures) stepOver(r *sheet.Row, c *rulebook.Creature, unit ground.Share) {
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
	way := ground.Point{X: unit.Of(whole.X), Y: unit.Of(whole.Y)}
	if c.Flies {
		way.Z = unit.Of(whole.Z)
	}
	if head != (ground.Point{}) && inReach(at, goal, unit.Of(pace*ground.Full)+1) {
		way = from(goal, at)
		put(r, f.Head, ground.Point{})
		m.arrives(r, c)
		put(r, f.Rest, ground.Point{})
	} else {
		put(r, f.Rest, ground.Point{X: whole.X - way.X*unit.By, Y: whole.Y - way.Y*unit.By, Z: whole.Z - way.Z*unit.By})
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
func (m *shots) flyOver(r *sheet.Row, p *rulebook.Piece, unit ground.Share) {
	f, g := &m.book.F.Piece, m.ground()
	at, way, rest := placeIn(r, f.Pos), placeIn(r, f.Way), placeIn(r, f.Rest)
	if p.Shot.Gravity > 0 {
		way.Z = max(way.Z-p.Shot.Gravity/int64(m.book.Rate), -fastestShot)
		putAt(m.st, r, f.Way, way)
	}
	whole := ground.Point{X: way.X + rest.X, Y: way.Y + rest.Y, Z: way.Z + rest.Z}
	by := ground.Point{X: unit.Of(whole.X), Y: unit.Of(whole.Y), Z: unit.Of(whole.Z)}
	put(r, f.Rest, ground.Point{X: whole.X - by.X*unit.By, Y: whole.Y - by.Y*unit.By, Z: whole.Z - by.Z*unit.By})
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
