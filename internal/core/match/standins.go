package match

import (
	"math/rand/v2"
	"turnvex.example/turnvex/internal/core/lots"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// standIns plays the seats that the service plays.
type standIns struct {
	*stage
	acts   *acts
	motion *motion
	whim   *Whim // nil before the first
}

// StandsIn tells whether the service plays a player's seat.
func (m *standIns) StandsIn(p *Player) bool {
	return m.book.StandIns != nil && p.Row.Flag(m.book.StandIns.Flag)
}

// StandIn lets the service play a player's seat from now on, or no longer.
func (m *standIns) StandIn(p *Player, on bool) {
	if s := m.book.StandIns; s != nil && m.st.SetFlag(p.Row, s.Flag, on) {
		p.whimAt = 0
		m.motion.StopSteering(p)
		if on {
			p.whimAt = m.nextWhim(p)
		}
	}
}

// nextWhim is the play tick at which a stand-in does something again.
func (m *standIns) nextWhim(p *Player) sheet.Tick {
	chance := draw(m.stage, lots.NextWhim, uint32(p.Row.ID))
	return m.play + 1 + sheet.Tick(chance.Int64N(2*int64(m.book.StandIns.Every)))
}

// whims returns the play tick at which the next stand-in does something; 0 for never.
func (m *standIns) whims() (next sheet.Tick) {
	if m.book.StandIns == nil || m.over || m.book.Phases[m.phase].Frozen && !m.book.AlsoFrozen() {
		return 0
	}
	for _, p := range m.players {
		next = sheet.Sooner(next, p.whimAt)
	}
	return next
}

// Whimsical lets each stand-in whose moment has come do something, and settle follow it.
func (m *standIns) Whimsical(settle func()) {
	if due := m.whims(); due == 0 || due > m.play || !m.playRuns() {
		return
	}
	if m.whim == nil {
		m.whim = &Whim{on: m.stage, acts: m.acts, Steering: -1}
	}
	for i := 0; i < len(m.players) && m.InPlay(); i++ { // who does something may end the match
		p := m.players[i]
		if p.whimAt == 0 || p.whimAt > m.play {
			continue
		}
		p.whimAt = m.nextWhim(p)
		in := step.Input{Kind: step.Intent, Seat: p.Row.ID}
		m.whim.rand = draw(m.stage, lots.Whim, uint32(p.Row.ID))
		if !m.whim.Does(p.Row, &in) {
			continue
		}
		if in.Faces {
			m.motion.looks.Face(p, &in)
		}
		if in.Verb == step.Steer {
			m.motion.Steer(p, &in)
		} else if m.acts.Act(p, &in).OK() {
			m.tallied(func(t *Tally) { t.StandIns[m.book.ActionNamed[in.Name].No]++ })
		}
		settle()
	}
}

// NewWhim returns what makes up by chance what players of the match do.
func (m *Match) NewWhim(r *rand.Rand) *Whim {
	return &Whim{on: &m.stage, acts: &m.Acts, rand: r, Steering: -1}
}
