package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// maxTimes is the most pieces or creatures that one effect places.
const maxTimes = 100

// placeNow carries out the effect that places pieces or creatures.
func (m *effects) placeNow(e *rulebook.Effect) {
	if m.row == nil {
		return
	}
	times := int64(1)
	if e.Place.Times != nil {
		times = min(e.Place.Times.Int(&m.env), maxTimes)
	}
	for ; times > 0; times-- {
		r := m.placeOne(e)
		if r == nil {
			continue
		}
		for i, f := range e.Place.Fields {
			v := e.Place.Values[i].Value(&m.env, f.Type)
			m.faulty(e.Line)
			if m.env.Fault == expr.OK {
				m.st.Set(r, f, v)
			}
		}
	}
}

// placeOne places a piece or a creature, where there is room for it.
func (m *effects) placeOne(e *rulebook.Effect) *sheet.Row {
	var at *ground.Point
	if e.Value != nil {
		v := e.Value.Value(&m.env, sheet.Position)
		if m.faulty(e.Line); m.env.Fault != expr.OK {
			return nil
		}
		there := pointIn(v)
		at = &there
	}
	if e.Being {
		return m.placeCreature(e, at)
	}
	p := m.book.Pieces[e.No]
	switch {
	case len(m.st.Of(sheet.Piece)) >= maxPieces:
		return nil
	case at == nil:
		return m.pieces.placeAnywhere(e.No, p)
	case p.Shot == nil:
		return m.pieces.placeAt(e.No, m.pieces.laid(p, heldIn(m.ground(), *at, playersBody(m.stage))))
	}
	return m.placeShot(e, p, *at)
}

func (m *effects) placeCreature(e *rulebook.Effect, at *ground.Point) *sheet.Row {
	c := m.book.Creatures[e.No]
	side := m.creatures.sideOf(c)
	if e.Place.Side != nil {
		side = sheet.ID(e.Place.Side.Int(&m.env))
	}
	if len(m.st.Of(sheet.Creature)) >= maxCreatures {
		return nil
	}
	if at != nil {
		return m.creatures.addCreature(c, m.creatures.inside(c, *at), side)
	}
	p, ok := m.creatures.roomForCreature(c)
	if !ok {
		return nil
	}
	return m.creatures.addCreature(c, p, side)
}

func (m *effects) placeShot(e *rulebook.Effect, p *rulebook.Piece, at ground.Point) *sheet.Row {
	at = heldIn(m.ground(), at, ground.Body{})
	way := e.Place.Way
	if way == nil {
		way = e.Place.To
	}
	v := way.Value(&m.env, sheet.Position)
	if m.faulty(e.Line); m.env.Fault != expr.OK {
		return nil
	}
	dir := pointIn(v)
	if e.Place.Way == nil {
		dir = from(dir, at)
	}
	if dir = (ground.Point{X: clampWay(dir.X), Y: clampWay(dir.Y), Z: clampWay(dir.Z)}); dir == (ground.Point{}) {
		return nil // no way leads there
	}
	r := m.pieces.placeAt(e.No, at)
	m.shots.send(r, p, dir)
	return r
}

// clampWay holds a part of a direction where it can be reckoned with.
func clampWay(n int64) int64 { return min(max(n, -1<<30), 1<<30) }
