package ground

// Full is a part of a steering direction at top speed.
const Full = 1000

// Fastest is the most of a speed, in millimetres a second; nobody falls faster.
const Fastest = 100_000

// Gait is how bodies of one build move.
type Gait struct {
	Walker
	Flies bool
	Rate  int64 // ticks a second
}

// Drive is what moves a body in a tick. Speeds are in millimetres a second.
type Drive struct {
	Steer                Point // thousandths of the speed; up is the wish to jump, of who does not fly
	Push                 Point
	Speed, Jump, Gravity int64 // its own, of a jump upwards, and by which falling gets faster in a second
}

// Moving is a body on its way: what one tick takes over from the one before.
type Moving struct {
	At     Point
	Rest   Point // what it has yet to go, less than a millimetre
	Rise   int64 // how fast it rises, in millimetres a second; below 0 while it falls
	Stands bool  // on a floor, where the ground is tall
}

// Landing is how a body met a floor in a tick.
type Landing struct {
	Lands bool
	Speed int64 // with which it fell, in millimetres a second
	Aloft bool  // it was in the air when the tick began, or jumped in it
}

// Tick takes a body one tick further. What is less than a millimetre is kept for the next tick. It is to be called
// for who is steered, pushed, or in the air; it changes nothing else in whoever stands still on a floor.
func (m *Moving) Tick(g *Ground, t *Gait, d *Drive) (l Landing) {
	unit := ShareOf(Full * t.Rate)
	whole := Point{d.Steer.X*d.Speed + d.Push.X*Full + m.Rest.X, d.Steer.Y*d.Speed + d.Push.Y*Full + m.Rest.Y, 0}
	way := Point{unit.Of(whole.X), unit.Of(whole.Y), 0}
	m.Rest.X, m.Rest.Y = whole.X-way.X*unit.By, whole.Y-way.Y*unit.By
	switch {
	case g.Tall == 0:
		m.At.X, m.At.Y = g.Move(m.At.X, m.At.Y, way.X, way.Y, t.Radius)
	case t.Flies:
		up := d.Steer.Z*d.Speed + d.Push.Z*Full + m.Rest.Z
		way.Z = unit.Of(up)
		m.Rest.Z = up - way.Z*unit.By
		m.At = g.Fly(m.At, way, t.Body)
	default:
		return m.walk(g, t, d, way)
	}
	return l
}

// walk is a tick of who walks on tall ground.
func (m *Moving) walk(g *Ground, t *Gait, d *Drive, way Point) (l Landing) {
	if m.Stands && d.Steer.Z > 0 && d.Jump > 0 {
		m.Stands, m.Rise = false, d.Jump
	}
	l.Aloft = !m.Stands
	var near Near
	here := g.Part(m.At, way.X, way.Y, t.Radius, &near)
	if m.At, m.Stands = here.Walk(m.At, way.X, way.Y, &t.Walker, m.Stands); m.Stands {
		m.Rise = 0
		return l
	}
	m.fall(&here, t, d.Gravity, &l)
	return l
}

// fall takes who does not stand up or down for a tick, by how fast they rise.
func (m *Moving) fall(here *Place, t *Gait, gravity int64, l *Landing) {
	unit := ShareOf(t.Rate)
	rise := max(m.Rise-unit.Of(gravity), -Fastest)
	by := rise + m.Rest.Z
	dz := unit.Of(by)
	var stopped bool
	m.At, stopped = here.Fall(m.At, dz, &t.Walker)
	if m.Rise, m.Rest.Z = rise, by-dz*unit.By; !stopped {
		return
	}
	m.Rise, m.Rest.Z = 0, 0
	if m.Stands = by <= 0 && m.At.Z > -here.Tall; m.Stands {
		l.Lands, l.Speed = true, -rise
	}
}

// Steering is a steering direction as it is taken: no faster along the diagonal, and of who does not fly level, up
// being the wish to jump.
func Steering(p Point, flies bool) Point {
	way := p
	if !flies {
		way.Z = 0
	}
	if sq := way.X*way.X + way.Y*way.Y + way.Z*way.Z; sq > Full*Full {
		r := Root(sq)
		way = Point{way.X * Full / r, way.Y * Full / r, way.Z * Full / r}
	}
	if !flies {
		way.Z = min(max(p.Z, 0), Full)
	}
	return way
}
