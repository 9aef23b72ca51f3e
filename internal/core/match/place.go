package match

import (
	"turnvex.example/turnvex/internal/core/expr"
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
	var at *[2]int64
	if e.Value != nil {
		v := e.Value.Value(&m.env, sheet.Position)
		if m.faulty(e.Line); m.env.Fault != expr.OK {
			return nil
		}
		at = &[2]int64{v.N[0], v.N[1]}
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
		x, y := m.motion.within(at[0], at[1])
		return m.pieces.placeAt(e.No, x, y)
	}
	return m.placeShot(e, p, *at)
}

func (m *effects) placeCreature(e *rulebook.Effect, at *[2]int64) *sheet.Row {
	c := m.book.Creatures[e.No]
	side := m.creatures.sideOf(c)
	if e.Place.Side != nil {
		side = sheet.ID(e.Place.Side.Int(&m.env))
	}
	if len(m.st.Of(sheet.Creature)) >= maxCreatures {
		return nil
	}
	if at != nil {
		x, y := m.creatures.inside(c, at[0], at[1])
		return m.creatures.addCreature(c, x, y, side)
	}
	x, y, ok := m.creatures.roomForCreature(c)
	if !ok {
		return nil
	}
	return m.creatures.addCreature(c, x, y, side)
}

func (m *effects) placeShot(e *rulebook.Effect, p *rulebook.Piece, at [2]int64) *sheet.Row {
	g := m.ground()
	x, y := min(max(at[0], 0), g.Width), min(max(at[1], 0), g.Height)
	way := e.Place.Way
	if way == nil {
		way = e.Place.To
	}
	v := way.Value(&m.env, sheet.Position)
	if m.faulty(e.Line); m.env.Fault != expr.OK {
		return nil
	}
	dx, dy := v.N[0], v.N[1]
	if e.Place.Way == nil {
		dx, dy = dx-x, dy-y
	}
	if dx = clampWay(dx); dx == 0 && dy == 0 {
		return nil // no way leads there
	}
	r := m.pieces.placeAt(e.No, x, y)
	m.shots.send(r, p, dx, clampWay(dy))
	return r
}

// clampWay holds a part of a direction where it can be reckoned with.
func clampWay(n int64) int64 { return min(max(n, -1<<30), 1<<30) }
