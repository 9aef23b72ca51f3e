package match

import (
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// creatures lets creatures come, decide, move and act.
type creatures struct {
	*stage
	acts   *acts
	aims   *aims
	values *values

	creatureNext  []sheet.Tick // play ticks, by kind of creature
	creatureCount []int        // by kind of creature, those who are out and come back included
	returns       sheet.Tick   // no creature comes back before this play tick; 0 when none is to
}

// maxCreatures is the most creatures on a ground.
const maxCreatures = 500

// addCreature lets a creature appear at a point, on a side.
func (m *creatures) addCreature(c *rulebook.Creature, at ground.Point, side sheet.ID) *sheet.Row {
	f := &m.book.F.Creature
	r := m.st.Add(sheet.Creature)
	m.begins(r, c.Starts)
	m.st.SetInt(r, f.Kind, int64(c.No))
	m.st.SetInt(r, f.Team, int64(side))
	r.Team = side
	m.creatureCount[c.No]++
	m.tallied(func(t *Tally) { t.Creatures[c.No]++ })
	m.appear(r, c, at)
	m.values.begin(r, sheet.ResetMatch)
	return r
}

// appear puts a creature on the ground, or back there: alive, and about to decide where to go, not all at one tick.
func (m *creatures) appear(r *sheet.Row, c *rulebook.Creature, at ground.Point) {
	f := &m.book.F.Creature
	putAt(m.st, r, f.Pos, at)
	m.startFrom(r)
	m.st.SetFlag(r, f.Alive, true)
	m.st.SetClock(r, f.Respawn, 0, 0, m.play)
	m.st.SetInt(r, f.BackAt, 0)
	putAt(m.st, r, f.Home, at)
	m.st.SetInt(r, f.Doing, 0)
	m.st.SetInt(r, f.Look, int64(m.play+1+sheet.Tick(r.ID)%c.Decides))
	putAt(m.st, r, f.Head, ground.Point{})
	m.emit(rulebook.OnSpawn, r)
}

// spawnCreature lets one that is there appear anew, with what resets then.
func (m *creatures) spawnCreature(r *sheet.Row) {
	c := m.creature(r)
	at, ok := m.roomForCreature(c)
	if !ok {
		at = placeIn(r, m.book.F.Creature.Home)
	}
	for _, own := range m.book.Schema.Fields(sheet.Creature) {
		if own.Reset == sheet.ResetRespawn && !own.Derived {
			m.st.Set(r, own, m.values.startOf(r, own))
		}
	}
	m.appear(r, c, at)
	m.values.begin(r, sheet.ResetRespawn)
}

// creatureOut puts a creature out. Who does not come back is gone when the rules that wait for it have acted.
func (m *creatures) creatureOut(r *sheet.Row) {
	f := &m.book.F.Creature
	if !r.Flag(f.Alive) {
		return
	}
	m.st.SetFlag(r, f.Alive, false)
	m.stirred = true
	if c := m.creature(r); c.Again {
		at := m.play + max(c.Back, 1)
		m.st.SetInt(r, f.BackAt, int64(at))
		m.st.SetClock(r, f.Respawn, int64(at-m.play), -1, m.play)
		m.returns = sheet.Sooner(m.returns, at)
	}
	m.emit(rulebook.OnOut, r)
}

// buried takes a creature away that is out for good.
func (m *creatures) buried(r *sheet.Row) {
	if m.st.Get(r.ID) == r && !r.Flag(m.book.F.Creature.Alive) && !m.creature(r).Again {
		m.removeCreature(r)
	}
}

func (m *creatures) removeCreature(r *sheet.Row) {
	m.creatureCount[r.Int(m.book.F.Creature.Kind)]--
	m.st.ClearRefs(r)
	m.st.Remove(r)
}

func (m *creatures) clearCreatures() {
	for list := m.st.Of(sheet.Creature); len(list) > 0; list = m.st.Of(sheet.Creature) {
		m.removeCreature(list[len(list)-1])
	}
}

// returning brings back the creatures whose time out is over.
func (m *creatures) returning() {
	if m.returns == 0 || m.returns > m.play {
		return
	}
	m.returns = 0
	for _, r := range m.st.Of(sheet.Creature) {
		at := sheet.Tick(r.Int(m.book.F.Creature.BackAt))
		if at > 0 && at <= m.play {
			m.spawnCreature(r)
			continue
		}
		m.returns = sheet.Sooner(m.returns, at)
	}
}

// creatureDue returns the play tick at which the next of a kind is to come, 0 for never.
func (m *creatures) creatureDue(c *rulebook.Creature) sheet.Tick {
	if m.creatureCount[c.No] >= c.Keep || m.book.Phases[m.phase].Frozen {
		return 0
	}
	return max(m.creatureNext[c.No], m.play+1)
}

// keepCreatures lets those come that are missing, one at an interval.
func (m *creatures) keepCreatures() {
	if m.book.Phases[m.phase].Frozen {
		return
	}
	for _, c := range m.book.Creatures {
		for n := m.creatureCount[c.No]; n < c.Keep && m.creatureNext[c.No] <= m.play; n++ {
			m.creatureNext[c.No] = m.play + c.Every
			if !m.bring(c, m.sideOf(c)) {
				m.creatureNext[c.No] = m.play + max(c.Every, 1)
			}
		}
	}
}

// sideOf is the team that a kind of creature belongs to.
func (m *creatures) sideOf(c *rulebook.Creature) sheet.ID {
	if c.Side == rulebook.NoSide {
		return 0
	}
	return m.teams[c.Side].ID
}

// bring lets one appear where there is room, or not this time.
func (m *creatures) bring(c *rulebook.Creature, side sheet.ID) bool {
	at, ok := m.roomForCreature(c)
	if ok && len(m.st.Of(sheet.Creature)) < maxCreatures {
		m.addCreature(c, at, side)
	}
	return ok
}

// roomForCreature finds where a creature may appear: at one of its points, or anywhere off the walls.
func (m *creatures) roomForCreature(c *rulebook.Creature) (at ground.Point, ok bool) {
	g, chance := m.ground(), draw(m.stage, lots.Creature, uint32(c.No))
	if points := g.Creatures[c.No]; len(points) > 0 {
		return points[chance.IntN(len(points))], true
	}
	w, h := g.Width-2*c.Radius, g.Height-2*c.Radius
	for try := 0; try < tries && w >= 0 && h >= 0; try++ {
		at.X, at.Y = c.Radius+chance.Int64N(w+1), c.Radius+chance.Int64N(h+1)
		if g.Tall > 0 {
			at = m.lands(c, ground.Point{X: at.X, Y: at.Y, Z: chance.Int64N(max(g.Tall-c.Tall, 0) + 1)})
		}
		if isRoom(g, at, c.Body) {
			return at, true
		}
	}
	return ground.Point{}, false
}
