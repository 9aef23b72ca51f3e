package match

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// facing turns players to where they want to look.
type facing struct {
	*stage
	acts *acts
}

// Face looks where an intent says, if the player may turn now; what else it asks for is for others to refuse. It is
// refused where nobody turns so, or the yaw is none.
func (m *facing) Face(s *Player, in *step.Input) step.Verdict {
	switch f := m.book.Facing; {
	case in.Verb != step.Face && in.Verb != step.Steer && in.Verb != step.Claim && in.Verb != step.Act:
		return step.Verdict{Code: code.BadArgument, Reason: "a yaw goes with face, steer, claim and act only"}
	case f == nil:
		return step.Verdict{Code: code.NoMovement, Reason: "this rulebook has no facing"}
	case f.Steered:
		return step.Verdict{Code: code.NoMovement, Reason: "in this rulebook players look where they go"}
	case in.Yaw < 0 || in.Yaw >= ground.FullTurn:
		return step.Verdict{Code: code.BadArgument, Reason: "a yaw is from 0 to 65535, in 1/65536 of a turn"}
	case in.Pitch != 0 && m.book.F.Player.Pitch == nil:
		return step.Verdict{Code: code.BadArgument, Reason: "this ground is flat: nobody looks up or down"}
	case max(in.Pitch, -in.Pitch) > ground.FullTurn/4:
		return step.Verdict{Code: code.BadArgument, Reason: "a pitch is from -16384 to 16384, in 1/65536 of a turn"}
	}
	if m.mayTurn(s).OK() {
		m.lookTo(s.Row, in.Yaw, in.Pitch)
	}
	return step.Verdict{}
}

// Faced answers the intent that asks for nothing else.
func (m *facing) Faced(s *Player, in *step.Input) step.Verdict {
	if !in.Faces {
		return step.Verdict{Code: code.BadArgument, Reason: "face needs a yaw, from 0 to 65535 in 1/65536 of a turn"}
	}
	return m.mayTurn(s)
}

func (m *facing) mayTurn(s *Player) step.Verdict {
	c, why := m.acts.mayPlay(s, 0)
	switch {
	case c != code.OK:
		return step.Verdict{Code: c, Reason: why}
	case m.book.Phases[m.phase].Frozen:
		return step.Verdict{Code: code.Frozen, Reason: "nobody turns in the phase " + m.book.Phases[m.phase].Title}
	case !s.Row.Flag(m.book.F.Player.Alive):
		return step.Verdict{Code: code.Out, Reason: "you are out"}
	}
	return step.Verdict{}
}

// lookTo lets a player look somewhere: at once, or turn that way from the next tick on.
func (m *facing) lookTo(p *sheet.Row, yaw, pitch int64) {
	f, at := &m.book.F.Player, m.book.Facing.Fastest == 0
	m.st.SetInt(p, f.Wanted, yaw)
	if at {
		m.st.SetInt(p, f.Yaw, yaw)
	}
	if f.Pitch == nil {
		return
	}
	if m.st.SetInt(p, f.WantedPitch, pitch); at {
		m.st.SetInt(p, f.Pitch, pitch)
	}
}

// looksAlong lets a player look where they go, if that is what turns them.
func (m *facing) looksAlong(p *sheet.Row, way ground.Point) {
	if m.book.Facing == nil || !m.book.Facing.Steered {
		return
	}
	if yaw, is := ground.YawOf(way.X, way.Y); is {
		m.lookTo(p, yaw, ground.PitchOf(way))
	}
}

// astray tells whether somebody does not look where they want to.
func (m *facing) astray(p *sheet.Row) bool {
	f := &m.book.F.Player
	return p.Int(f.Yaw) != p.Int(f.Wanted) || f.Pitch != nil && p.Int(f.Pitch) != p.Int(f.WantedPitch)
}

// turning tells whether somebody has yet to turn where they want to look.
func (m *facing) turning() bool {
	if m.book.Facing == nil || m.book.Facing.Fastest == 0 || m.book.Phases[m.phase].Frozen {
		return false
	}
	for _, p := range m.st.Seated {
		if p.Flag(m.book.F.Player.Alive) && m.astray(p) {
			return true
		}
	}
	return false
}

// turn lets everybody turn for a tick.
func (m *facing) turn() {
	if !m.turning() {
		return
	}
	f, most := &m.book.F.Player, m.book.Facing.Fastest
	for _, p := range m.st.Seated {
		if !p.Flag(f.Alive) {
			continue
		}
		yaw := p.Int(f.Yaw)
		by := min(max(ground.Turned(yaw, p.Int(f.Wanted)), -most), most)
		m.st.SetInt(p, f.Yaw, (yaw+by)&(ground.FullTurn-1))
		if f.Pitch != nil {
			up := p.Int(f.Pitch)
			m.st.SetInt(p, f.Pitch, up+min(max(p.Int(f.WantedPitch)-up, -most), most))
		}
	}
}

// towards is where an action is pointed: the way that whoever aims faces, where it goes that way.
func (m *aims) towards(me *sheet.Row, a *rulebook.Action, in aimed) aimed {
	if a.Aim.Faces {
		in.at, in.point = m.book.Looks(me), true
	}
	return in
}
