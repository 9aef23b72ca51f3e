package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// roster begins a match, and is who takes part in it.
type roster struct {
	*stage
	creatures *creatures
	ends      *ends
	flow      *flow
	kept      *kept
	motion    *motion
	pauses    *pauses
	pieces    *pieces
	referee   *referee
	rules     *rules
	standIns  *standIns
	turns     *turns
	values    *values
	zones     *zones
}

// Start begins a match with these players. The lobby's state must say so already.
func (m *roster) Start(players []*Player) {
	f := &m.book.F
	m.count++
	m.forgetRun()
	m.ends.beganWall = m.wall
	m.play, m.env.Play = 0, 0
	m.rules.ruleNext = make([]sheet.Tick, len(m.book.Rules))
	m.pieces.pieceNext, m.pieces.pieceCount = make([]sheet.Tick, len(m.book.Pieces)), make([]int, len(m.book.Pieces))
	m.creatures.creatureNext = make([]sheet.Tick, len(m.book.Creatures))
	m.creatures.creatureCount = make([]int, len(m.book.Creatures))
	m.row = m.st.Add(sheet.Match)
	m.env.Match = m.row
	m.st.SetInt(m.row, f.Match.Number, m.count)
	m.st.SetClock(m.row, f.Match.Play, 0, 1, m.wall)
	m.st.SetInt(m.row, f.Match.After, int64(m.book.End.Then))
	m.st.SetInt(m.row, f.Match.Pausing, int64(m.book.Pause.Who))
	for _, t := range m.teams {
		m.st.ResetRow(t, sheet.ResetMatch)
		t.Edges = 0
	}
	m.st.ResetRow(m.lobby, sheet.ResetMatch)
	m.motion.enterArena()
	m.zones.openZones()
	m.rules.scheduleRules()
	for _, p := range players {
		m.takeIn(p)
	}
	m.beginAll()
	m.turns.orderTurns()
	m.pieces.giveBearers()
	for _, p := range players {
		m.motion.spawn(p)
	}
	m.emit(rulebook.OnStart, nil)
	m.flow.enterPhase(0)
	m.referee.warnReferee()
}

// beginAll gives every sheet what its fields begin with by expression.
func (m *roster) beginAll() {
	for _, l := range m.book.Limits {
		for _, r := range m.subjects(l.Kind) {
			m.values.beginOne(l, r, sheet.ResetMatch)
		}
	}
}

// takeIn makes a player one who takes part, with everything as at the start.
func (m *roster) takeIn(p *Player) {
	f := &m.book.F.Player
	m.st.ResetRow(p.Row, sheet.ResetMatch)
	if p.Row.Edges, p.respawnAt, p.whimAt = 0, 0, 0; m.standIns.StandsIn(p) {
		p.whimAt = m.standIns.nextWhim(p)
	}
	m.st.SetFlag(p.Row, f.Ready, false)
	for i := range m.book.Kits {
		if m.book.Kits[i].Start {
			m.tallied(func(t *Tally) { t.Kits[i]++ })
		}
	}
	m.st.SetInt(p.Row, f.Kits, m.startKits())
	m.st.SetFlag(p.Row, f.Playing, true)
	m.zones.outOfZones(p.Row)
	m.players = append(m.players, p)
	m.st.Seated = append(m.st.Seated, p.Row)
	m.st.TouchAll(sheet.Player)
}

// startKits are the kits that everybody begins with, a bit for each.
func (m *roster) startKits() (kits int64) {
	for i := range m.book.Kits {
		kits |= sheet.Bit(m.book.Kits[i].Start) << i
	}
	return kits
}

// Join lets a latecomer into the running match.
func (m *roster) Join(p *Player) {
	m.takeIn(p)
	m.values.begin(p.Row, sheet.ResetMatch)
	m.turns.lastInOrder(p.Row)
	m.motion.spawn(p)
	if len(m.players) == 1 {
		m.pieces.bearersAgain()
	}
	m.emit(rulebook.OnEnter, p.Row)
	m.EnoughAgain()
}

// Leave takes a player out of the running match, because they leave the lobby. What they had in it is set aside.
func (m *roster) Leave(p *Player, a Absent) {
	m.emit(rulebook.OnLeave, p.Row)
	m.zones.leaves(p.Row)
	m.rules.Settle()
	if !m.InPlay() { // what the rules did at the leaving ended the match
		return
	}
	m.st.SetInt(p.Row, m.book.F.Player.Outcome, m.leaving())
	m.motion.StopSteering(p)
	a.bare = m.bare(p)
	m.leaveOut(p)
	if m.keeps(p.Row) {
		m.setAside(p, a)
	}
	m.st.SetFlag(p.Row, m.book.F.Player.Playing, false)
	m.st.TouchAll(sheet.Player)
	m.pieces.bearersWithout(p.Row)
	m.below()
}

// leaving is the outcome of who leaves now; at the end their team's may be theirs.
func (m *roster) leaving() int64 {
	switch how := m.book.Players.Leavers; {
	case how == rulebook.LeaversLose, how == rulebook.LeaversTeam && !m.book.Win.Teams:
		return rulebook.Lost
	}
	return rulebook.Left
}

// Drop saves the record of a player whose sheets are about to go, and forgets them.
func (m *roster) Drop(p *Player) {
	m.kept.SaveRecord(p)
	m.leaveOut(p)
}

func (m *roster) leaveOut(p *Player) {
	windups := &m.referee.acts.windups
	*windups = slices.DeleteFunc(*windups, func(w windup) bool { return w.of == p.Row.ID })
	for i, x := range m.players {
		if x == p {
			m.zones.outOfZones(p.Row)
			m.players = append(m.players[:i:i], m.players[i+1:]...)
			m.st.Seated = append(m.st.Seated[:i:i], m.st.Seated[i+1:]...)
			return
		}
	}
}

// below does what the rulebook says when too few are left in a match.
func (m *roster) below() {
	if !m.tooFew() {
		return
	}
	switch m.book.Players.Below {
	case rulebook.BelowEnd:
		m.ends.cut = true
		m.ends.endMatch("too few players are left")
	case rulebook.BelowWait:
		m.pauses.pauseNow(0, true)
	}
}

func (m *roster) tooFew() bool {
	if len(m.players) < m.book.Players.Least || len(m.players) == 0 {
		return true
	}
	for i, t := range m.teams {
		n := 0
		for _, p := range m.players {
			n += int(sheet.Bit(p.Row.Team == t.ID))
		}
		if n < m.book.Teams.List[i].Least {
			return true
		}
	}
	return false
}

// EnoughAgain ends the waiting for players, once there are enough.
func (m *roster) EnoughAgain() {
	if m.InPlay() && m.pauses.pause.waiting && !m.tooFew() {
		m.pauses.resumeSoon()
	}
}

// Clear takes the match's sheets away: everyone is back in the lobby.
func (m *roster) Clear() {
	f := &m.book.F.Player
	m.pieces.clearPieces()
	m.creatures.clearCreatures()
	m.zones.closeZones()
	if m.row != nil {
		m.st.Remove(m.row)
	}
	m.row, m.env.Match = nil, m.none
	for _, p := range m.players {
		m.st.SetFlag(p.Row, f.Playing, false)
		m.st.SetFlag(p.Row, f.Alive, false)
	}
	m.players, m.st.Seated = m.players[:0], m.st.Seated[:0]
	m.forgetRun()
}

// forgetRun has every part forget the match that was.
func (m *roster) forgetRun() {
	m.over, m.phase, m.phaseEnds, m.toPhase, m.round, m.broken = false, 0, 0, noPhase, 0, ""
	m.ends.forget()
	m.values.glides = nil
	m.motion.spawned, m.motion.respawn = nil, 0
	m.rules.ruleNext = nil
	m.pieces.pieceNext, m.pieces.pieceCount = nil, nil
	m.creatures.creatureNext, m.creatures.creatureCount, m.creatures.returns = nil, nil, 0
	m.pauses.pause, m.turns.turn = pauseRun{}, turnRun{}
	m.referee.acts.decisions, m.referee.acts.decisionNo, m.referee.acts.windups = nil, 0, nil
}
