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
	looks  *facing
	up     *heights

	spawned []int      // how often somebody has appeared at each point, in turns
	respawn sheet.Tick // nobody comes back before this play tick; 0 when nobody is to
}

// Steer answers the wish to move in a direction. It holds until the next one.
func (m *motion) Steer(s *Player, in *step.Input) step.Verdict {
	if m.book.Movement == nil {
		return step.Verdict{Code: code.NoMovement, Reason: "this rulebook has no movement"}
	}
	let := rulebook.Also(0)
	if in.X == 0 && in.Y == 0 && in.Z == 0 { // letting go is always taken, and then nobody moves on when play does
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
	case !isPlace(ground.Point{X: in.X, Y: in.Y, Z: in.Z}):
		return step.Verdict{Code: code.BadArgument,
			Reason: "the parts of a direction are from -1000 to 1000, in thousandths of the top speed"}
	}
	way := ground.Steering(ground.Point{X: in.X, Y: in.Y, Z: in.Z}, m.book.Movement.Flies)
	putAt(m.st, s.Row, m.book.F.Player.Steer, way)
	return step.Verdict{}
}

// StopSteering lets a player's body stand still.
func (m *motion) StopSteering(p *Player) {
	if m.book.Movement != nil {
		putAt(m.st, p.Row, m.book.F.Player.Steer, ground.Point{})
		putAt(m.st, p.Row, m.book.F.Player.Rest, ground.Point{})
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
		if x, y := p.Pos(f.Steer); x != 0 || y != 0 || p.Height(f.Steer) != 0 || m.up.aloft(p) {
			return true
		}
		if _, is := pushed(m.stage, p); is {
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
	if m.book.Movement == nil {
		return 0
	}
	return speedBy(m.stage, p, &m.book.Movement.Speed)
}

// speedBy is a speed of a player's movement, from 0 to the fastest.
func speedBy(m *stage, p *sheet.Row, s *rulebook.Speed) int64 {
	if s.Varies == nil {
		return s.Fixed
	}
	was := m.env // somebody may be made to appear in the midst of an effect
	m.subject(sheet.Player, p)
	speed := paceOf(m, s, ground.Fastest)
	m.env = was
	return speed
}

// fastestShot is the most of a shot's speed, in millimetres a second.
const fastestShot = 1_000_000

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

// move takes everybody one tick further.
func (m *motion) move() {
	mv, f := m.book.Movement, &m.book.F.Player
	if mv == nil || m.book.Phases[m.phase].Frozen {
		return
	}
	for i, p := range m.st.Seated {
		x, y := p.Pos(f.Steer)
		push, pushed := pushed(m.stage, p)
		still := x == 0 && y == 0 && !pushed
		if still && m.book.Schema.Deep {
			still = p.Height(f.Steer) == 0 && !m.up.aloft(p)
		}
		if still && !mv.Claims || !p.Flag(f.Alive) {
			continue
		}
		speed := mv.Speed.Fixed
		if mv.Speed.Varies != nil {
			speed = m.speedOf(p)
		}
		if s := m.players[i]; mv.Claims {
			s.reach = min(s.reach+speed, m.most(speed))
			if still {
				continue
			}
		}
		m.onwards(m.players[i], ground.Drive{Steer: placeIn(p, f.Steer), Push: push, Speed: speed}, pushed)
	}
}

// onwards takes a player one tick further.
func (m *motion) onwards(s *Player, d ground.Drive, pushed bool) {
	mv, p := m.book.Movement, s.Row
	if m.book.Facing != nil {
		m.looks.looksAlong(p, d.Steer)
	}
	m.up.drive(p, &d)
	body := m.up.bodyOf(p)
	was := body.At
	landing := body.Tick(&m.ground().Ground, &mv.Gait, &d)
	m.up.takes(p, &body, landing)
	if mv.Claims && !pushed { // what one is pushed uses up nothing
		s.reach = max(s.reach-m.uses(from(body.At, was)), 0)
	}
}

// uses is what a way uses up of a reach, never less than it is long.
func (m *motion) uses(way ground.Point) int64 {
	if !m.book.Movement.Flies {
		way.Z = 0 // how high who walks gets follows from floors, jumps and falls
	}
	rate := int64(m.book.Rate)
	return ground.RootUp(square(way) * rate * rate)
}

// within holds a point in the ground.
func (m *motion) within(p ground.Point) ground.Point {
	if g := m.ground(); g != nil {
		return heldIn(g, p, playersBody(m.stage))
	}
	return p
}

// putDown puts a player somewhere within the ground, to stand there if that is on a floor.
func (m *motion) putDown(p *sheet.Row, at ground.Point) {
	at = m.within(at)
	putAt(m.st, p, m.book.F.Player.Pos, at)
	m.startFrom(p)
	m.up.alights(p, at)
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
	to := ground.Point{X: in.X, Y: in.Y, Z: in.Z}
	if !in.Point || !isPlace(to) {
		return step.Verdict{Code: code.BadArgument, Reason: "a claim needs a point on the ground"}
	}
	was := placeIn(s.Row, f.Pos)
	way := from(to, was)
	reach := min(s.reach, m.most(m.speedOf(s.Row)))
	now, gets := m.claimed(s.Row, was, to)
	if m.uses(way) > reach || !gets {
		m.st.Remark(s.Row, f.Pos)
		return step.Verdict{Code: code.OutOfRange,
			Reason: fmt.Sprintf("you cannot have got there: you are at %s, and may get %s from there now, not "+
				"through walls", s.Row.Get(f.Pos).Show(f.Pos, 0, 0), metres(reach/int64(m.book.Rate)))}
	}
	s.reach = reach - m.uses(way)
	m.looks.looksAlong(s.Row, way)
	putAt(m.st, s.Row, f.Pos, now)
	m.stirred = true
	return step.Verdict{}
}

// claimed is where somebody is who claims to have come to a place, and whether walls let them.
func (m *motion) claimed(p *sheet.Row, was, to ground.Point) (now ground.Point, gets bool) {
	mv, f, g := m.book.Movement, &m.book.F.Player, m.ground()
	switch now = to; {
	case g.Tall == 0:
		x, y := g.Move(was.X, was.Y, to.X-was.X, to.Y-was.Y, mv.Radius)
		return now, x == to.X && y == to.Y
	case mv.Flies:
		return now, g.Fly(was, from(to, was), mv.Body) == to
	}
	now, stands := g.Walk(was, to.X-was.X, to.Y-was.Y, mv.Walker, p.Flag(f.Standing))
	if gets = now.X == to.X && now.Y == to.Y; gets && !stands {
		m.st.SetFlag(p, f.Standing, false)
	}
	return now, gets
}
