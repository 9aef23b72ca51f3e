package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// motion moves players: they appear, steer, claim and come back.
type motion struct {
	*stage
	acts   *acts
	values *values

	spawned []int      // how often somebody has appeared at each point, in turns
	respawn sheet.Tick // nobody comes back before this play tick; 0 when nobody is to
}

// full is a steering intent at top speed.
const full = 1000

// Steer answers the wish to move in a direction. It holds until the next one.
func (m *motion) Steer(s *Player, in *step.Input) step.Verdict {
	if m.book.Movement == nil {
		return step.Verdict{Code: code.NoMovement, Reason: "this rulebook has no movement"}
	}
	let := rulebook.Also(0)
	if in.X == 0 && in.Y == 0 { // letting go is always taken, and then nobody moves on when play does
		let = rulebook.AlsoPause
	}
	if c, why := m.acts.mayPlay(s, let); c != code.OK {
		return step.Verdict{Code: c, Reason: why}
	}
	switch {
	case m.book.Phases[m.phase].Frozen:
		return step.Verdict{Code: code.Frozen, Reason: "nobody moves in the phase " + m.book.Phases[m.phase].Title}
	case !s.Row.Flag(m.book.F.Player.Alive):
		return step.Verdict{Code: code.Out, Reason: "you are out"}
	case !inRange(in.X) || !inRange(in.Y):
		return step.Verdict{Code: code.BadArgument,
			Reason: "a direction has two parts from -1000 to 1000, in thousandths of the top speed"}
	}
	x, y := in.X, in.Y
	if sq := x*x + y*y; sq > full*full { // no faster along the diagonal
		r := ground.Root(sq)
		x, y = x*full/r, y*full/r
	}
	m.st.SetPos(s.Row, m.book.F.Player.Steer, x, y)
	return step.Verdict{}
}

// StopSteering lets a player's body stand still.
func (m *motion) StopSteering(p *Player) {
	if m.book.Movement != nil {
		m.st.SetPos(p.Row, m.book.F.Player.Steer, 0, 0)
		m.st.SetPos(p.Row, m.book.F.Player.Rest, 0, 0)
	}
}

// moving tells whether anybody moves, or may get farther at once than a tick before.
func (m *motion) moving() bool {
	mv, f := m.book.Movement, &m.book.F.Player
	if mv == nil || m.book.Phases[m.phase].Frozen {
		return false
	}
	for i, p := range m.st.Seated {
		if !p.Flag(f.Alive) {
			continue
		}
		if x, y := p.Pos(f.Steer); x != 0 || y != 0 {
			return true
		}
		if _, _, is := m.pushed(p); is {
			return true
		}
		if mv.Claims && (mv.Speed.Varies != nil || m.players[i].reach < m.most(mv.Speed.Fixed)) {
			return true
		}
	}
	return false
}

// speedOf is how fast a player can move now, in millimetres a second.
func (m *motion) speedOf(p *sheet.Row) int64 {
	mv := m.book.Movement
	if mv == nil {
		return 0
	}
	if mv.Speed.Varies == nil {
		return mv.Speed.Fixed
	}
	was := m.env // somebody may be made to appear in the midst of an effect
	m.subject(sheet.Player, p)
	speed := paceOf(m.stage, &mv.Speed, fastest)
	m.env = was
	return speed
}

// The most of a speed, in millimetres a second.
const fastest, fastestShot = 100_000, 1_000_000

// paceOf is the speed of whom the environment is set for, from 0 to most.
func paceOf(m *stage, s *rulebook.Speed, most int64) int64 {
	if s.Varies == nil {
		return s.Fixed
	}
	n := s.Varies.Int(&m.env)
	m.faulty(s.Line)
	return min(max(n, 0), most)
}

// most is how far somebody of that speed may get at once, as reach has it.
func (m *motion) most(speed int64) int64 {
	if m.book.Movement == nil {
		return 0
	}
	return speed * max(int64(m.book.Movement.Burst), 1)
}

// move takes everybody one tick further. What is less than a millimetre is kept for the next tick.
func (m *motion) move() {
	mv, f := m.book.Movement, &m.book.F.Player
	if mv == nil || m.book.Phases[m.phase].Frozen {
		return
	}
	unit := shareOf(int64(full * m.book.Rate))
	for i, p := range m.st.Seated {
		sx, sy := p.Pos(f.Steer)
		vx, vy, pushed := m.pushed(p)
		if sx == 0 && sy == 0 && !mv.Claims && !pushed || !p.Flag(f.Alive) {
			continue
		}
		speed := m.speedOf(p)
		if s := m.players[i]; mv.Claims {
			s.reach = min(s.reach+speed, m.most(speed))
			if sx == 0 && sy == 0 && !pushed {
				continue
			}
		}
		m.looksAlong(p, sx, sy)
		rx, ry := p.Pos(f.Rest)
		wx, wy := sx*speed+vx*full+rx, sy*speed+vy*full+ry
		dx, dy := unit.of(wx), unit.of(wy)
		x, y := p.Pos(f.Pos)
		nx, ny := m.ground().Move(x, y, dx, dy, mv.Radius)
		if m.st.SetPos(p, f.Pos, nx, ny) {
			m.stirred = true
		}
		if s := m.players[i]; mv.Claims && !pushed { // what one is pushed uses up nothing
			s.reach = max(s.reach-m.uses(nx-x, ny-y), 0)
		}
		n := p.N[f.Rest.Slot():] // hidden and read by nothing else, so not marked
		n[0], n[1] = wx-dx*unit.by, wy-dy*unit.by
	}
}

// uses is what a way uses up of a reach, never less than it is long.
func (m *motion) uses(dx, dy int64) int64 {
	rate := int64(m.book.Rate)
	return ground.RootUp((dx*dx + dy*dy) * rate * rate)
}

// share divides by the same number again and again, faster than a division would.
type share struct {
	by  int64
	inv float64
}

func shareOf(by int64) share { return share{by, 1 / float64(by)} }

// of is a/by, rounded towards 0 as Go does. The guess is off by one at most for what floats hold exactly, and is made
// exact.
func (s share) of(a int64) int64 {
	if a > 1<<52 || a < -1<<52 {
		return a / s.by
	}
	q := int64(float64(a) * s.inv)
	r := a - q*s.by
	if a >= 0 {
		if r < 0 {
			q--
		} else if r >= s.by {
			q++
		}
		return q
	}
	if r > 0 {
		q++
	} else if r <= -s.by {
		q--
	}
	return q
}

// within holds a point in the ground.
func (m *motion) within(x, y int64) (int64, int64) {
	g, r := m.ground(), m.radius()
	if g == nil {
		return x, y
	}
	if g.Width < 2*r || g.Height < 2*r {
		r = 0
	}
	return min(max(x, r), g.Width-r), min(max(y, r), g.Height-r)
}

// Claim checks a position that a client says it has: it must lie where the player can have got, by what they may get at
// once now. Otherwise the claim is refused, uses up nothing, and the authority's own position stays.
func (m *motion) Claim(s *Player, in *step.Input) step.Verdict {
	mv, f := m.book.Movement, &m.book.F.Player
	if mv == nil || !mv.Claims {
		return step.Verdict{Code: code.NoMovement, Reason: "this rulebook does not accept positions from clients"}
	}
	if c, why := m.acts.mayPlay(s, 0); c != code.OK {
		return step.Verdict{Code: c, Reason: why}
	}
	switch {
	case m.book.Phases[m.phase].Frozen:
		return step.Verdict{Code: code.Frozen, Reason: "nobody moves in the phase " + m.book.Phases[m.phase].Title}
	case !s.Row.Flag(f.Alive):
		return step.Verdict{Code: code.Out, Reason: "you are out"}
	}
	if !in.Point || !inRange(in.X) || !inRange(in.Y) {
		return step.Verdict{Code: code.BadArgument, Reason: "a claim needs a point on the ground"}
	}
	x, y := s.Row.Pos(f.Pos)
	reach := min(s.reach, m.most(m.speedOf(s.Row)))
	nx, ny := m.ground().Move(x, y, in.X-x, in.Y-y, mv.Radius)
	if m.uses(in.X-x, in.Y-y) > reach || nx != in.X || ny != in.Y {
		m.st.Remark(s.Row, f.Pos)
		return step.Verdict{Code: code.OutOfRange,
			Reason: fmt.Sprintf("you cannot have got there: you are at (%s, %s), and may get %s from there now, not "+
				"through walls", metres(x), metres(y), metres(reach/int64(m.book.Rate)))}
	}
	s.reach = reach - m.uses(in.X-x, in.Y-y)
	m.looksAlong(s.Row, in.X-x, in.Y-y)
	m.st.SetPos(s.Row, f.Pos, in.X, in.Y)
	m.stirred = true
	return step.Verdict{}
}
