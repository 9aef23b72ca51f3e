package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// push has somebody move some way for a while, beside what they do themselves.
func (m *motion) push(e *rulebook.Effect, s *Player) {
	if s == nil || !s.Row.Flag(m.book.F.Player.Alive) {
		return
	}
	f, p := &m.book.F.Player, s.Row
	way := e.Push.Way
	if way == nil {
		way = e.Push.To
	}
	v := way.Value(&m.env, sheet.Position)
	if m.faulty(e.Line); m.env.Fault != expr.OK {
		return
	}
	dx, dy := v.N[0], v.N[1]
	if e.Push.Way == nil {
		x, y := p.Pos(f.Pos)
		dx, dy = dx-x, dy-y
	}
	dx, dy = min(max(dx, -ground.MaxSide), ground.MaxSide), min(max(dy, -ground.MaxSide), ground.MaxSide)
	speed := min(max(e.Push.Speed.Int(&m.env), -fastest), fastest)
	m.faulty(e.Line)
	if d := ground.Root(dx*dx + dy*dy); d > 0 {
		m.st.SetPos(p, f.Push, dx*speed/d, dy*speed/d)
		m.st.SetClock(p, f.PushLeft, min(ticksOf(m.stage, e.Lasts, e.Line), longestPush*int64(m.book.Rate)), -1, m.play)
	}
}

// longestPush is for how long somebody is pushed at most, in seconds.
const longestPush = 5

// pushed is how somebody is pushed at the moment, in millimetres a second, and whether they are.
func (m *motion) pushed(p *sheet.Row) (vx, vy int64, is bool) {
	f := &m.book.F.Player
	if f.Push == nil || p.Clock(f.PushLeft, m.play-1) == 0 { // what ran out with the last tick is over
		return 0, 0, false
	}
	vx, vy = p.Pos(f.Push)
	return vx, vy, true
}
