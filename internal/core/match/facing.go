package match

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Face looks where an intent says, if the player may turn now; what else it asks for is for others to refuse. It is
// refused where nobody turns so, or the yaw is none.
func (m *motion) Face(s *Player, in *step.Input) step.Verdict {
	switch f := m.book.Facing; {
	case in.Verb != step.Face && in.Verb != step.Steer && in.Verb != step.Claim && in.Verb != step.Act:
		return step.Verdict{Code: code.BadArgument, Reason: "a yaw goes with face, steer, claim and act only"}
	case f == nil:
		return step.Verdict{Code: code.NoMovement, Reason: "this rulebook has no facing"}
	case f.Steered:
		return step.Verdict{Code: code.NoMovement, Reason: "in this rulebook players look where they go"}
	case in.Yaw < 0 || in.Yaw >= ground.FullTurn:
		return step.Verdict{Code: code.BadArgument, Reason: "a yaw is from 0 to 65535, in 1/65536 of a turn"}
	}
	if m.mayTurn(s).OK() {
		m.lookTo(s.Row, in.Yaw)
	}
	return step.Verdict{}
}

// Faced answers the intent that asks for nothing else.
func (m *motion) Faced(s *Player, in *step.Input) step.Verdict {
	if !in.Faces {
		return step.Verdict{Code: code.BadArgument, Reason: "face needs a yaw, from 0 to 65535 in 1/65536 of a turn"}
	}
	return m.mayTurn(s)
}

func (m *motion) mayTurn(s *Player) step.Verdict {
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
func (m *motion) lookTo(p *sheet.Row, yaw int64) {
	f := &m.book.F.Player
	m.st.SetInt(p, f.Wanted, yaw)
	if m.book.Facing.Fastest == 0 {
		m.st.SetInt(p, f.Yaw, yaw)
	}
}

// looksAlong lets a player look where they go, if that is what turns them.
func (m *motion) looksAlong(p *sheet.Row, dx, dy int64) {
	if m.book.Facing == nil || !m.book.Facing.Steered {
		return
	}
	if yaw, is := ground.YawOf(dx, dy); is {
		m.lookTo(p, yaw)
	}
}

// turning tells whether somebody has yet to turn where they want to look.
func (m *motion) turning() bool {
	if m.book.Facing == nil || m.book.Facing.Fastest == 0 || m.book.Phases[m.phase].Frozen {
		return false
	}
	f := &m.book.F.Player
	for _, p := range m.st.Seated {
		if p.Flag(f.Alive) && p.Int(f.Yaw) != p.Int(f.Wanted) {
			return true
		}
	}
	return false
}

// turn lets everybody turn for a tick.
func (m *motion) turn() {
	if !m.turning() {
		return
	}
	f, most := &m.book.F.Player, m.book.Facing.Fastest
	for _, p := range m.st.Seated {
		if yaw := p.Int(f.Yaw); p.Flag(f.Alive) {
			by := min(max(ground.Turned(yaw, p.Int(f.Wanted)), -most), most)
			m.st.SetInt(p, f.Yaw, (yaw+by)&(ground.FullTurn-1))
		}
	}
}

// faced is the yaw of a player or a creature.
func (m *aims) faced(r *sheet.Row) int64 {
	if r.Kind == sheet.Creature {
		return r.Int(m.book.F.Creature.Yaw)
	}
	return r.Int(m.book.F.Player.Yaw)
}

// towards is where an action is pointed: the way that whoever aims faces, where it goes that way.
func (m *aims) towards(me *sheet.Row, a *rulebook.Action, in aimed) aimed {
	if a.Aim.Faces {
		in.x, in.y = ground.Dir(m.faced(me))
		in.point = true
	}
	return in
}
