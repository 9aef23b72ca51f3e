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
	where := e.Push.Way
	if where == nil {
		where = e.Push.To
	}
	v := where.Value(&m.env, sheet.Position)
	if m.faulty(e.Line); m.env.Fault != expr.OK {
		return
	}
	way := pointIn(v)
	if e.Push.Way == nil {
		way = from(way, m.at(p))
	}
	for _, part := range []*int64{&way.X, &way.Y, &way.Z} {
		*part = min(max(*part, -ground.MaxSide), ground.MaxSide)
	}
	speed := min(max(e.Push.Speed.Int(&m.env), -ground.Fastest), ground.Fastest)
	m.faulty(e.Line)
	if d := ground.Root(square(way)); d > 0 {
		by := ground.Point{X: way.X * speed / d, Y: way.Y * speed / d, Z: way.Z * speed / d}
		putAt(m.st, p, f.Push, by)
		m.up.lift(p, by.Z)
		m.st.SetClock(p, f.PushLeft, min(ticksOf(m.stage, e.Lasts, e.Line), longestPush*int64(m.book.Rate)), -1, m.play)
	}
}

// longestPush is for how long somebody is pushed at most, in seconds.
const longestPush = 5

// pushed is how somebody is pushed at the moment, in millimetres a second, and whether they are.
func pushed(m *stage, p *sheet.Row) (by ground.Point, is bool) {
	f := &m.book.F.Player
	if f.Push == nil || p.Clock(f.PushLeft, m.play-1) == 0 { // what ran out with the last tick is over
		return by, false
	}
	return placeIn(p, f.Push), true
}
