package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// missing says what a match still lacks, or nothing.
func (m *Machine) missing() (code.Code, string) {
	if n, least := len(m.seats), m.book.Players.Least; n < least {
		return code.TooFew, fmt.Sprintf("%d players are here, %d are needed", n, least)
	}
	for i, t := range m.teams {
		if n, least := m.teamSize(t), m.book.Teams.List[i].Least; n < least {
			return code.TooFew, fmt.Sprintf("team %s has %d players, %d are needed", m.book.Teams.List[i].Title, n, least)
		}
	}
	for _, s := range m.seats {
		if !s.row.Flag(m.book.F.Player.Loaded) {
			return code.Loading, "the record of " + s.row.Text(m.book.F.Player.Name) + " is still being loaded"
		}
	}
	return code.OK, ""
}

// startCheck begins the start countdown when all is there, and calls it off
// when it no longer is.
func (m *Machine) startCheck() {
	c, _ := m.missing()
	switch m.State() {
	case rulebook.Gathering:
		if c == code.OK && m.book.Start.By != "host" && m.allReady() {
			m.beginCountdown(false)
		}
	case rulebook.Starting:
		if c != code.OK || !m.hostStart && !m.allReady() {
			m.callOff()
		}
	}
}

func (m *Machine) allReady() bool {
	for _, s := range m.seats {
		if !s.row.Flag(m.book.F.Player.Ready) || s.heldUntil > 0 {
			return false
		}
	}
	return len(m.seats) > 0
}

func (m *Machine) beginCountdown(byHost bool) {
	f := &m.book.F.Lobby
	m.hostStart = byHost
	if m.book.Start.Countdown == 0 {
		m.begin()
		return
	}
	m.startAt = m.tick + m.book.Start.Countdown
	m.st.SetInt(m.lobby, f.State, rulebook.Starting)
	m.st.SetClock(m.lobby, f.Countdown, int64(m.book.Start.Countdown), -1, m.tick)
}

func (m *Machine) callOff() {
	f := &m.book.F.Lobby
	m.startAt, m.hostStart = 0, false
	m.st.SetInt(m.lobby, f.State, rulebook.Gathering)
	m.st.SetClock(m.lobby, f.Countdown, 0, 0, m.tick)
}

// setReady answers ready and unready.
func (m *Machine) setReady(s *seat, on bool) Verdict {
	switch state := m.State(); {
	case state == rulebook.Playing:
		return Verdict{Code: code.NotNow, Reason: "a match is running"}
	case state == rulebook.Results && m.book.End.Then != "vote":
		return Verdict{Code: code.NotNow, Reason: "the result is being shown; the lobby is back in a moment"}
	}
	m.st.SetFlag(s.row, m.book.F.Player.Ready, on)
	m.startCheck()
	return Verdict{}
}

// hostStarts answers start.
func (m *Machine) hostStarts(s *seat) Verdict {
	if !m.hostIs(s) {
		return Verdict{Code: code.NotHost, Reason: "only the host starts the match"}
	}
	if m.book.Start.By == "ready" {
		return Verdict{Code: code.NotNow, Reason: "this match starts when all are ready"}
	}
	if m.State() != rulebook.Gathering {
		return Verdict{Code: code.NotNow, Reason: "the lobby is not gathering players now"}
	}
	if c, why := m.missing(); c != code.OK {
		return Verdict{Code: c, Reason: why}
	}
	m.beginCountdown(true)
	return Verdict{}
}

// begin starts a match with everyone who has a seat.
func (m *Machine) begin() {
	f := &m.book.F
	m.startAt, m.hostStart = 0, false
	m.st.SetInt(m.lobby, f.Lobby.State, rulebook.Playing)
	m.st.SetClock(m.lobby, f.Lobby.Countdown, 0, 0, m.tick)
	m.count++
	m.run = run{began: m.play, toPhase: noPhase, ruleNext: make([]sheet.Tick, len(m.book.Rules)),
		pieceNext: make([]sheet.Tick, len(m.book.Pieces)), pieceCount: make([]int, len(m.book.Pieces))}
	if m.match != nil {
		m.st.Remove(m.match)
	}
	m.match = m.st.Add(sheet.Match)
	m.env.Match = m.match
	m.st.SetInt(m.match, f.Match.Number, m.count)
	m.st.SetClock(m.match, f.Match.Play, int64(m.play), 1, m.tick)
	for _, t := range m.teams {
		m.st.ResetRow(t, sheet.ResetMatch)
		t.Edges = 0
	}
	m.st.ResetRow(m.lobby, sheet.ResetMatch)
	m.scheduleRules()
	for _, s := range m.seats {
		m.resetPlayer(s)
		m.st.SetFlag(s.row, f.Player.Playing, true)
		m.st.Seated = append(m.st.Seated, s.row)
	}
	m.st.TouchAll(sheet.Player)
	m.giveBearers()
	for _, s := range m.seats {
		m.spawn(s)
	}
	m.emit(rulebook.OnStart, nil)
	m.enterPhase(0)
	m.warnReferee()
}

func (m *Machine) resetPlayer(s *seat) {
	m.st.ResetRow(s.row, sheet.ResetMatch)
	s.row.Edges, s.respawnAt = 0, 0
	m.st.SetFlag(s.row, m.book.F.Player.Ready, false)
	kits := int64(0)
	for i := range m.book.Kits {
		if m.book.Kits[i].Start {
			kits |= 1 << i
		}
	}
	m.st.SetInt(s.row, m.book.F.Player.Kits, kits)
}

// joinMatch lets a latecomer into the running match.
func (m *Machine) joinMatch(s *seat) {
	m.resetPlayer(s)
	m.st.SetFlag(s.row, m.book.F.Player.Playing, true)
	m.st.Seated = append(m.st.Seated, s.row)
	m.st.TouchAll(sheet.Player)
	m.spawn(s)
	m.emit(rulebook.OnEnter, s.row)
	m.enoughAgain()
}

// inPlay tells whether a match is running and not over.
func (m *Machine) inPlay() bool { return m.State() == rulebook.Playing && !m.run.over }

// leaveMatch takes a player out of the running match.
func (m *Machine) leaveMatch(s *seat) {
	m.emit(rulebook.OnLeave, s.row)
	m.settle()
	if !m.inPlay() { // what the rules did at the leaving ended the match
		return
	}
	m.st.SetInt(s.row, m.book.F.Player.Outcome, rulebook.Left)
	m.run.left = append(m.run.left, m.playerResult(s.row, s.name))
	m.keepRecord(s)
	for i, r := range m.st.Seated {
		if r == s.row {
			m.st.Seated = append(m.st.Seated[:i:i], m.st.Seated[i+1:]...)
			break
		}
	}
	m.st.SetFlag(s.row, m.book.F.Player.Playing, false)
	m.st.TouchAll(sheet.Player)
	m.bearersWithout(s.row)
	m.below()
}

// below does what the rulebook says when too few are left in a match.
func (m *Machine) below() {
	if !m.tooFew() {
		return
	}
	switch m.book.Players.Below {
	case "end":
		m.endMatch("too few players are left")
	case "wait":
		m.pauseNow(0, true)
	}
}

func (m *Machine) tooFew() bool {
	if len(m.st.Seated) < m.book.Players.Least || len(m.st.Seated) == 0 {
		return true
	}
	for i, t := range m.teams {
		n := 0
		for _, p := range m.st.Seated {
			if p.Team == t.ID {
				n++
			}
		}
		if n < m.book.Teams.List[i].Least {
			return true
		}
	}
	return false
}

// enoughAgain ends the waiting for players.
func (m *Machine) enoughAgain() {
	if m.inPlay() && m.run.pause.waiting && !m.tooFew() {
		m.resumeSoon()
	}
}
