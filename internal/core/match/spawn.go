package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// spawn lets a player appear: alive, at a spawn point, with what resets then.
func (m *Machine) spawn(s *seat) {
	f := &m.book.F.Player
	s.respawnAt = 0
	m.st.ResetRow(s.row, sheet.ResetRespawn)
	m.st.SetClock(s.row, f.Respawn, 0, 0, m.play)
	m.stopSteering(s.row)
	if m.book.Ground != nil {
		p := m.spawnPoint(s.row)
		m.st.SetPos(s.row, f.Pos, p.X, p.Y)
	}
	m.st.SetFlag(s.row, f.Alive, true)
	m.stirred = true
	s.claimAt = m.play
	m.emit(rulebook.OnSpawn, s.row)
}

// spawnPoint picks one of the points that are open to the player's team.
func (m *Machine) spawnPoint(p *sheet.Row) rulebook.SpawnPoint {
	all := m.book.Ground.Spawns
	open := func(sp *rulebook.SpawnPoint) bool {
		return sp.Team < 0 || sp.Team < len(m.teams) && m.teams[sp.Team].ID == p.Team
	}
	n := 0
	for i := range all {
		if open(&all[i]) {
			n++
		}
	}
	if n == 0 { // none for this team: all will do
		open, n = func(*rulebook.SpawnPoint) bool { return true }, len(all)
	}
	if m.book.Spawn.Pick == "far" {
		return all[m.farthest(p, open)]
	}
	pick := m.run.spawnTurn % n
	if m.book.Spawn.Pick == "random" {
		pick = m.rng.IntN(n)
	} else {
		m.run.spawnTurn++
	}
	for i := range all {
		if open(&all[i]) {
			if pick == 0 {
				return all[i]
			}
			pick--
		}
	}
	return all[0]
}

// farthest returns the open spawn point whose nearest living rival is farthest
// away; among equals the one with the farthest nearest friend, then the first.
func (m *Machine) farthest(p *sheet.Row, open func(*rulebook.SpawnPoint) bool) int {
	f := &m.book.F.Player
	best, bestRival, bestOther := -1, int64(-1), int64(-1)
	for i := range m.book.Ground.Spawns {
		sp := &m.book.Ground.Spawns[i]
		if !open(sp) {
			continue
		}
		rival, other := int64(1)<<62, int64(1)<<62
		for _, q := range m.st.Seated {
			if q == p || !q.Flag(f.Alive) {
				continue
			}
			x, y := q.Pos(f.Pos)
			d := (x-sp.X)*(x-sp.X) + (y-sp.Y)*(y-sp.Y)
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
func (m *Machine) putOut(s *seat) {
	f := &m.book.F.Player
	if !s.row.Flag(f.Alive) {
		return
	}
	m.st.SetFlag(s.row, f.Alive, false)
	m.stirred = true
	m.stopSteering(s.row)
	if m.book.Spawn.Again {
		delay := max(m.book.Spawn.Delay, 1)
		s.respawnAt = m.play + delay
		m.run.respawn = earlier(m.run.respawn, s.respawnAt)
		m.st.SetClock(s.row, f.Respawn, int64(delay), -1, m.play)
	}
	me, team, target, it := m.env.Me, m.env.Team, m.env.Target, m.env.It
	for _, a := range m.book.Actions {
		if a.Active != nil && m.isActive(s.row, a) {
			m.endAction(s, a)
		}
	}
	m.env.Me, m.env.Team, m.env.Target, m.env.It = me, team, target, it
	for i := range m.book.Bearers {
		if b := &m.book.Bearers[i]; b.Out != "keep" && m.match.Int(b.Field) == int64(s.row.ID) {
			m.passBearer(b, b.Out, s.row)
		}
	}
	m.emit(rulebook.OnOut, s.row)
}

// respawns brings back those whose delay is over.
func (m *Machine) respawns() {
	if m.run.respawn == 0 || m.run.respawn > m.play {
		return
	}
	m.run.respawn = 0
	for _, s := range m.seats {
		if s.respawnAt > 0 && s.respawnAt <= m.play {
			m.spawn(s)
		}
		m.run.respawn = earlier(m.run.respawn, s.respawnAt)
	}
}

// giveBearers hands the things that one player holds out at random.
func (m *Machine) giveBearers() {
	for i := range m.book.Bearers {
		b := &m.book.Bearers[i]
		how := "none"
		if b.Start {
			how = "random"
		}
		m.passBearer(b, how, nil)
	}
}

// bearersWithout passes on what a leaving player holds.
func (m *Machine) bearersWithout(p *sheet.Row) {
	for i := range m.book.Bearers {
		if b := &m.book.Bearers[i]; m.match.Int(b.Field) == int64(p.ID) {
			m.passBearer(b, b.Gone, p)
		}
	}
}

// passBearer gives a bearer to somebody at random, the living first, or to nobody.
func (m *Machine) passBearer(b *rulebook.Bearer, how string, not *sheet.Row) {
	if how == "none" {
		m.st.SetInt(m.match, b.Field, 0)
		return
	}
	start := len(m.hits)
	for _, alive := range []bool{true, false} {
		for _, p := range m.st.Seated {
			if p != not && p.Flag(m.book.F.Player.Alive) == alive {
				m.hits = append(m.hits, p)
			}
		}
		if len(m.hits) > start {
			break
		}
	}
	id := sheet.ID(0)
	if n := len(m.hits) - start; n > 0 {
		id = m.hits[start+m.rng.IntN(n)].ID
	}
	m.hits = m.hits[:start]
	m.st.SetInt(m.match, b.Field, int64(id))
}
