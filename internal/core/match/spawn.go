package match

import (
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// spawn lets a player appear: alive, at a spawn point, with what resets then.
func (m *motion) spawn(s *Player) {
	f := &m.book.F.Player
	s.respawnAt = 0
	if m.benched(s.Row) {
		return
	}
	m.st.ResetRow(s.Row, sheet.ResetRespawn)
	m.values.begin(s.Row, sheet.ResetRespawn)
	m.st.SetClock(s.Row, f.Respawn, 0, 0, m.play)
	m.StopSteering(s)
	if g := m.ground(); g != nil {
		no := m.spawnPoint(g, s.Row)
		p := g.Spawns[no]
		m.tallied(func(t *Tally) { t.Spawns[m.arena()][no]++ })
		putAt(m.st, s.Row, f.Pos, p.Point)
		m.startFrom(s.Row)
		m.up.alights(s.Row, p.Point)
	}
	m.st.SetFlag(s.Row, f.Alive, true)
	m.stirred = true
	s.reach = m.most(m.speedOf(s.Row))
	m.emit(rulebook.OnSpawn, s.Row)
}

// spawnPoint picks the number of one of a ground's points that are open to the player.
func (m *motion) spawnPoint(g *rulebook.Ground, p *sheet.Row) int {
	all := g.Spawns
	open := func(sp *rulebook.SpawnPoint) bool { return m.mayAppear(sp, p) }
	n := 0
	for i := range all {
		if open(&all[i]) {
			n++
		}
	}
	if n == 0 { // none for this player: all will do
		open, n = func(*rulebook.SpawnPoint) bool { return true }, len(all)
	}
	switch m.book.Spawn.Pick {
	case rulebook.PickFar:
		return m.farthest(g, p, open)
	case rulebook.PickTurn:
		return m.nextPoint(all, open)
	}
	pick := draw(m.stage, lots.Spawn, uint32(p.ID)).IntN(n)
	for i := range all {
		if open(&all[i]) {
			if pick == 0 {
				return i
			}
			pick--
		}
	}
	return 0
}

// nextPoint returns the open point at which the fewest have appeared, the first among equals: whoever may appear where
// takes turns with those who may too, and with nobody else.
func (m *motion) nextPoint(all []rulebook.SpawnPoint, open func(*rulebook.SpawnPoint) bool) int {
	for len(m.spawned) < len(all) {
		m.spawned = append(m.spawned, 0)
	}
	best := -1
	for i := range all {
		if open(&all[i]) && (best < 0 || m.spawned[i] < m.spawned[best]) {
			best = i
		}
	}
	m.spawned[best]++
	return best
}

// farthest returns the open spawn point whose nearest living rival is farthest away; among equals the one with the
// farthest nearest friend, then the first.
func (m *motion) farthest(g *rulebook.Ground, p *sheet.Row, open func(*rulebook.SpawnPoint) bool) int {
	f := &m.book.F.Player
	best, bestRival, bestOther := -1, int64(-1), int64(-1)
	for i := range g.Spawns {
		sp := &g.Spawns[i]
		if !open(sp) {
			continue
		}
		rival, other := int64(1)<<62, int64(1)<<62
		for _, q := range m.st.Seated {
			if q == p || !q.Flag(f.Alive) {
				continue
			}
			d := square(from(placeIn(q, f.Pos), sp.Point))
			other = min(other, d)
			if q.Team != p.Team || q.Team == 0 {
				rival = min(rival, d)
			}
		}
		if rival > bestRival || rival == bestRival && other > bestOther {
			best, bestRival, bestOther = i, rival, other
		}
	}
	return best
}

// putOut takes a player out, to come back after a delay if the rulebook says so.
func (m *motion) putOut(s *Player) {
	f := &m.book.F.Player
	if !s.Row.Flag(f.Alive) {
		return
	}
	m.st.SetFlag(s.Row, f.Alive, false)
	m.stirred = true
	m.StopSteering(s)
	if m.book.Spawn.Again {
		delay := max(m.book.Spawn.Delay, 1)
		s.respawnAt = m.play + delay
		m.respawn = sheet.Sooner(m.respawn, s.respawnAt)
		m.st.SetClock(s.Row, f.Respawn, int64(delay), -1, m.play)
	}
	m.acts.endAllActions(s)
	m.emit(rulebook.OnOut, s.Row)
}

// respawns brings back those whose delay is over.
func (m *motion) respawns() {
	if m.respawn == 0 || m.respawn > m.play {
		return
	}
	m.respawn = 0
	for _, s := range m.players {
		if s.respawnAt > 0 && s.respawnAt <= m.play {
			m.spawn(s)
		}
		m.respawn = sheet.Sooner(m.respawn, s.respawnAt)
	}
}
