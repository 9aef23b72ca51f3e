package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Start begins a match with these players. The lobby's state must say so already.
func (m *Match) Start(players []*Player) {
	f := &m.book.F
	m.count++
	m.run = run{began: m.play, beganWall: m.wall, toPhase: noPhase, ruleNext: make([]sheet.Tick, len(m.book.Rules)),
		pieceNext: make([]sheet.Tick, len(m.book.Pieces)), pieceCount: make([]int, len(m.book.Pieces)),
		creatureNext: make([]sheet.Tick, len(m.book.Creatures)), creatureCount: make([]int, len(m.book.Creatures))}
	m.row = m.st.Add(sheet.Match)
	m.env.Match = m.row
	m.st.SetInt(m.row, f.Match.Number, m.count)
	m.st.SetClock(m.row, f.Match.Play, int64(m.play), 1, m.wall)
	m.st.SetInt(m.row, f.Match.After, int64(m.book.End.Then))
	m.st.SetInt(m.row, f.Match.Pausing, int64(m.book.Pause.Who))
	for _, t := range m.teams {
		m.st.ResetRow(t, sheet.ResetMatch)
		t.Edges = 0
	}
	m.st.ResetRow(m.lobby, sheet.ResetMatch)
	m.enterArena()
	m.openZones()
	m.scheduleRules()
	for _, p := range players {
		m.takeIn(p)
	}
	m.beginAll()
	m.orderTurns()
	m.giveBearers()
	for _, p := range players {
		m.spawn(p)
	}
	m.emit(rulebook.OnStart, nil)
	m.enterPhase(0)
	m.warnReferee()
}

// beginAll gives every sheet what its fields begin with by expression.
func (m *Match) beginAll() {
	for _, l := range m.book.Limits {
		for _, r := range m.subjects(l.Kind) {
			m.beginOne(l, r, sheet.ResetMatch)
		}
	}
}

// takeIn makes a player one who takes part, with everything as at the start.
func (m *Match) takeIn(p *Player) {
	f := &m.book.F.Player
	m.st.ResetRow(p.Row, sheet.ResetMatch)
	if p.Row.Edges, p.respawnAt = 0, 0; m.StandsIn(p) {
		p.whimAt = m.nextWhim()
	}
	m.st.SetFlag(p.Row, f.Ready, false)
	kits := int64(0)
	for i := range m.book.Kits {
		if m.book.Kits[i].Start {
			kits |= 1 << i
			m.tallied(func(t *Tally) { t.Kits[i]++ })
		}
	}
	m.st.SetInt(p.Row, f.Kits, kits)
	m.st.SetFlag(p.Row, f.Playing, true)
	m.outOfZones(p.Row)
	m.players = append(m.players, p)
	m.st.Seated = append(m.st.Seated, p.Row)
	m.st.TouchAll(sheet.Player)
}

// Join lets a latecomer into the running match.
func (m *Match) Join(p *Player) {
	m.takeIn(p)
	m.begin(p.Row, sheet.ResetMatch)
	m.lastInOrder(p.Row)
	m.spawn(p)
	m.emit(rulebook.OnEnter, p.Row)
	m.EnoughAgain()
}

// Leave takes a player out of the running match, because they leave the lobby.
func (m *Match) Leave(p *Player) {
	m.emit(rulebook.OnLeave, p.Row)
	m.Settle()
	if !m.InPlay() { // what the rules did at the leaving ended the match
		return
	}
	m.st.SetInt(p.Row, m.book.F.Player.Outcome, m.leaving())
	if m.keeps(p.Row) {
		m.run.left = append(m.run.left, m.playerResult(p.Row, p.Name))
	}
	m.keepRecord(p)
	if m.book.Players.Leavers != rulebook.LeaversLeft && !m.practice() {
		m.run.leftPosts = append(m.run.leftPosts, m.posts(p.Row)...)
	}
	m.leaveOut(p)
	m.st.SetFlag(p.Row, m.book.F.Player.Playing, false)
	m.st.TouchAll(sheet.Player)
	m.bearersWithout(p.Row)
	m.below()
}

// leaving is the outcome of who leaves now; at the end their team's may be theirs.
func (m *Match) leaving() int64 {
	switch how := m.book.Players.Leavers; {
	case how == rulebook.LeaversLose, how == rulebook.LeaversTeam && !m.book.Win.Teams:
		return rulebook.Lost
	}
	return rulebook.Left
}

// Drop saves the record of a player whose sheets are about to go, and forgets them.
func (m *Match) Drop(p *Player) {
	m.SaveRecord(p)
	m.leaveOut(p)
}

func (m *Match) leaveOut(p *Player) {
	for i, x := range m.players {
		if x == p {
			m.outOfZones(p.Row)
			m.players = append(m.players[:i:i], m.players[i+1:]...)
			m.st.Seated = append(m.st.Seated[:i:i], m.st.Seated[i+1:]...)
			return
		}
	}
}

// below does what the rulebook says when too few are left in a match.
func (m *Match) below() {
	if !m.tooFew() {
		return
	}
	switch m.book.Players.Below {
	case rulebook.BelowEnd:
		m.run.cut = true
		m.endMatch("too few players are left")
	case rulebook.BelowWait:
		m.pauseNow(0, true)
	}
}

func (m *Match) tooFew() bool {
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
func (m *Match) EnoughAgain() {
	if m.InPlay() && m.run.pause.waiting && !m.tooFew() {
		m.resumeSoon()
	}
}

// Clear takes the match's sheets away: everyone is back in the lobby.
func (m *Match) Clear() {
	f := &m.book.F.Player
	m.clearPieces()
	m.clearCreatures()
	m.closeZones()
	if m.row != nil {
		m.st.Remove(m.row)
	}
	m.row, m.env.Match = nil, m.none
	for _, p := range m.players {
		m.st.SetFlag(p.Row, f.Playing, false)
		m.st.SetFlag(p.Row, f.Alive, false)
	}
	m.players, m.st.Seated = m.players[:0], m.st.Seated[:0]
	m.run = run{toPhase: noPhase}
}
