package match

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// pauses is when play stands still, and who may let it.
type pauses struct {
	*stage
	pause pauseRun
}

// pauseRun is the state of pausing in one match.
type pauseRun struct {
	by       sheet.ID   // whose budget the present pause uses
	since    sheet.Tick // wall tick
	ends     sheet.Tick // wall tick at which it ends by itself; 0 for never
	resumeAt sheet.Tick // wall tick at which play goes on; 0 when that is not under way
	stepTo   sheet.Tick // play tick at which play stands still again; 0 when it does not
	waiting  bool       // for players, not for a word
	used     []pauseUse
}

// pauseUse is what one budget has used.
type pauseUse struct {
	of    sheet.ID // a player, a team, or 0 for the host's
	times int
	ticks sheet.Tick
}

func (p *pauseRun) reset() { *p = pauseRun{used: p.used} }

// budgetOf says whose budget a player's pause uses.
func (m *pauses) budgetOf(s *Player) sheet.ID {
	switch m.book.Pause.Who {
	case rulebook.PauseTeams:
		return s.Row.Team
	case rulebook.PauseAnyone:
		return s.Row.ID
	}
	return 0
}

func (m *pauses) pauseUse(of sheet.ID) *pauseUse {
	used := &m.pause.used
	for i := range *used {
		if (*used)[i].of == of {
			return &(*used)[i]
		}
	}
	*used = append(*used, pauseUse{of: of})
	return &(*used)[len(*used)-1]
}

// MaxWhy is the greatest number of characters in the reason of a pause.
const MaxWhy = 80

// AskPause answers pause. The reason, which may be empty, is told with the pause.
func (m *pauses) AskPause(s *Player, why string) step.Verdict {
	p := &m.book.Pause
	if !m.InPlay() {
		return step.Verdict{Code: code.NotNow, Reason: "no match is running"}
	}
	switch {
	case !s.Row.Flag(m.book.F.Player.Playing):
		return step.Verdict{Code: code.NotPlaying, Reason: "you take no part in this match"}
	case m.row.Int(m.book.F.Match.Paused) != rulebook.PauseNo:
		return step.Verdict{Code: code.PauseAlready, Reason: "play is already paused"}
	case p.Who == rulebook.PauseNobody && !m.hostMay(s):
		return step.Verdict{Code: code.PauseNobody, Reason: m.book.Host.Refuses(rulebook.PowerPause)}
	case p.Phases&(1<<m.phase) == 0:
		return step.Verdict{Code: code.PauseNobody,
			Reason: "pauses are not allowed in the phase " + m.book.Phases[m.phase].Title}
	}
	use := m.pauseUse(m.budgetOf(s))
	if p.Times > 0 && use.times >= p.Times || p.Total > 0 && use.ticks >= p.Total {
		return step.Verdict{Code: code.PauseSpent, Reason: "your pauses for this match are used up"}
	}
	why, err := names.Line(why, MaxWhy)
	if err != nil {
		return step.Verdict{Code: code.OutOfRange, Reason: "the reason of the pause " + err.Error()}
	}
	use.times++
	m.pauseNow(s.Row.ID, false)
	m.st.SetText(m.row, m.book.F.Match.Why, why)
	m.pause.by = use.of
	end := p.Longest
	if left := p.Total - use.ticks; p.Total > 0 && (end == 0 || left < end) {
		end = left
	}
	if end > 0 {
		m.pause.ends = m.wall + end
		m.st.SetClock(m.row, m.book.F.Match.Longest, int64(end), -1, m.wall)
	}
	m.tellBudget(use)
	return step.Verdict{}
}

// tellBudget tells clients what is left of a budget.
func (m *pauses) tellBudget(u *pauseUse) {
	f, row := &m.book.F.Pauses, m.row
	if u.of != 0 {
		row = m.st.Get(u.of)
	}
	if row == nil {
		return
	}
	if f.Left != nil {
		m.st.SetInt(row, f.Left, max(int64(m.book.Pause.Times-u.times), 0))
	}
	if f.Time != nil {
		m.st.SetInt(row, f.Time, sheet.Millis(max(int64(m.book.Pause.Total-u.ticks), 0), m.book.Rate))
	}
}

// pauseNow stops play time.
func (m *pauses) pauseNow(by sheet.ID, waiting bool) {
	f := &m.book.F.Match
	if m.row.Int(f.Paused) == rulebook.PauseYes {
		m.pause.waiting = m.pause.waiting || waiting
		return
	}
	pr := &m.pause
	pr.reset()
	pr.since, pr.waiting = m.wall, waiting
	m.st.SetInt(m.row, f.Paused, rulebook.PauseYes)
	m.st.SetInt(m.row, f.Pauser, int64(by))
	m.st.SetClock(m.row, f.Resume, 0, 0, m.wall)
	m.st.SetClock(m.row, f.Play, int64(m.play), 0, m.wall)
}

// AskResume answers resume: whoever may pause, or paused, may let play go on.
func (m *pauses) AskResume(s *Player) step.Verdict {
	f := &m.book.F.Match
	if !m.InPlay() || m.row.Int(f.Paused) == rulebook.PauseNo {
		return step.Verdict{Code: code.NotPaused, Reason: "play is not paused"}
	}
	switch {
	case m.pause.waiting:
		return step.Verdict{Code: code.TooFew, Reason: "play is waiting for players"}
	case m.row.Int(f.Pauser) != int64(s.Row.ID) && !m.hostMay(s) &&
		(!s.Row.Flag(m.book.F.Player.Playing) || m.book.Pause.Who != rulebook.PauseTeams || m.pause.by != s.Row.Team):
		return step.Verdict{Code: code.PauseNobody, Reason: "only who paused may resume play"}
	}
	m.resumeSoon()
	return step.Verdict{}
}

// resumeSoon begins the countdown before play goes on.
func (m *pauses) resumeSoon() {
	f := &m.book.F.Match
	pr := &m.pause
	if m.row.Int(f.Paused) != rulebook.PauseYes {
		return
	}
	asked := pr.by != 0 || m.book.Pause.Who == rulebook.PauseNobody && m.row.Int(f.Pauser) != 0
	if use := m.pauseUse(pr.by); asked && !pr.waiting { // one between steps is nobody's
		use.ticks += m.wall - pr.since
		m.tellBudget(use)
	}
	m.st.SetClock(m.row, f.Longest, 0, 0, m.wall)
	pr.ends, pr.waiting = 0, false
	if m.book.Pause.Countdown == 0 {
		m.playOn()
		return
	}
	pr.resumeAt = m.wall + m.book.Pause.Countdown
	m.st.SetInt(m.row, f.Paused, rulebook.PauseResuming)
	m.st.SetClock(m.row, f.Resume, int64(m.book.Pause.Countdown), -1, m.wall)
}

// playOn lets play time go on from the next tick.
func (m *pauses) playOn() {
	f := &m.book.F.Match
	m.pause.reset()
	m.st.SetInt(m.row, f.Paused, rulebook.PauseNo)
	m.st.SetInt(m.row, f.Pauser, 0)
	m.st.SetText(m.row, f.Why, "")
	m.st.SetClock(m.row, f.Resume, 0, 0, m.wall)
	m.st.SetClock(m.row, f.Play, int64(m.play), 1, m.wall)
}

// pauseStep ends pauses whose time is up.
func (m *pauses) pauseStep() {
	pr := &m.pause
	if pr.ends > 0 && pr.ends <= m.wall {
		m.resumeSoon()
	}
	if pr.resumeAt > 0 && pr.resumeAt <= m.wall {
		m.playOn()
	}
}

// hostMay tells whether a player is the lobby's host and may pause and resume in it; in practice also resume what was
// frozen to be stepped through.
func (m *pauses) hostMay(p *Player) bool {
	f, practice := &m.book.F.Lobby, m.lobby.Flag(m.book.F.Lobby.Practice)
	stepped := practice && m.row.Int(m.book.F.Match.Paused) != rulebook.PauseNo && m.row.Int(m.book.F.Match.Pauser) == 0
	return m.lobby.Int(f.Host) == int64(p.Row.ID) &&
		(stepped || m.book.Host.Has(rulebook.PowerPause, practice, m.lobby.Flag(f.Public), true))
}
