package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// MaxAdvance is the most ticks of play that one advance lets pass.
const MaxAdvance = 36000

// Advance answers advance, in practice: play that runs stands still from now on; play that stands still runs for so
// many ticks, and stands still again. It uses nobody's budget, and asks for no rule of the rulebook about pauses.
func (m *pauses) Advance(ticks int64) step.Verdict {
	switch {
	case !m.practice():
		return step.Verdict{Code: code.NotPractice, Reason: "this is not a practice lobby"}
	case !m.InPlay():
		return step.Verdict{Code: code.NotNow, Reason: "no match is running"}
	case ticks < 1 || ticks > MaxAdvance:
		return step.Verdict{Code: code.OutOfRange, Reason: fmt.Sprintf("1 to %d ticks pass at once", MaxAdvance)}
	case m.pause.waiting:
		return step.Verdict{Code: code.TooFew, Reason: "play is waiting for players"}
	case m.row.Int(m.book.F.Match.Paused) == rulebook.PauseNo:
		m.pauseNow(0, false)
		return step.Verdict{}
	}
	m.playOn()
	m.pause.stepTo = m.play + sheet.Tick(ticks)
	return step.Verdict{}
}

// stepDone lets play stand still when the ticks of an advance have passed.
func (m *pauses) stepDone() {
	if to := m.pause.stepTo; to > 0 && m.play >= to && m.InPlay() {
		m.pauseNow(0, false)
	}
}
