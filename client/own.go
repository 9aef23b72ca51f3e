package client

import (
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/ahead"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// drawing is what frames are made from: guarded by the connection's mu.
type drawing struct {
	screen Screen
	lead   ahead.Lead
	at     time.Time              // of the last frame
	own    map[uint32]*ahead.Body // the bodies of the connection's players; nil before the first frame
	told   sheet.Tick             // the tick of the copy of which they were told
	ground *ground.Ground         // made from of, with those gates
	of     *Ground
	gates  uint64
}

// aheadLocked is the tick of which one's own bodies are drawn now.
func (c *Conn) aheadLocked() float64 {
	return c.draws.lead.At(c.time.exact(), c.time.up(), float64(c.view.Rate))
}

// ownLocked tells the connection's own bodies where the copy has come to.
func (c *Conn) ownLocked() {
	d, v := &c.draws, c.view
	if d.at = time.Now(); d.own == nil {
		d.own = map[uint32]*ahead.Body{}
	} else if d.told == v.copy.Tick {
		return
	}
	d.told = v.copy.Tick
	for _, seat := range v.seats {
		if w, ok := d.world(v, v.Sheet(seat)); ok {
			if d.own[seat] == nil {
				d.own[seat] = &ahead.Body{}
			}
			d.own[seat].Tell(w, v.told(v.Sheet(seat)))
		} else {
			delete(d.own, seat)
		}
	}
	for seat := range d.own {
		if !slices.Contains(v.seats, seat) {
			delete(d.own, seat)
		}
	}
}

// drawnWithin is for how long after a frame somebody is taken to look at what is drawn.
const drawnWithin = 250 * time.Millisecond

// askedLocked has an intent that steers name the tick of which its body is drawn, if it is.
func (c *Conn) askedLocked(m *wire.Intent) {
	b := c.draws.own[m.Seat]
	if b == nil || m.Do != "steer" || len(m.At) < 2 || time.Since(c.draws.at) > drawnWithin {
		return
	}
	m.Tick = int64(c.aheadLocked())
	way := ground.Point{X: m.At[0], Y: m.At[1]}
	if len(m.At) > 2 {
		way.Z = m.At[2]
	}
	b.Asked(m.N, m.Tick, ground.Steering(way, c.view.Book.flies()))
}

func (b *Book) flies() bool { return b.Walk != nil && b.Walk.Flies }

// world is what a player's body moves in, as far as clients are told; it is false where they are not told enough.
func (d *drawing) world(v *Copy, me *Sheet) (w ahead.World, ok bool) {
	b, m, g := v.Book, v.Match(), v.Ground()
	if me == nil || m == nil || g == nil || !b.Moves {
		return w, false
	}
	told := func(fixed int64, field string) int64 {
		if field == "" {
			return fixed
		}
		return me.Int(field)
	}
	if b.Speed == 0 && b.SpeedIn == "" {
		return w, false
	}
	w.Gait = ground.Gait{Walker: ground.Walker{Body: ground.Body{Radius: b.Radius}}, Rate: int64(v.Rate)}
	w.Drive.Speed = told(b.Speed, b.SpeedIn)
	if k := b.Walk; k != nil {
		w.Gait.Tall, w.Gait.Step, w.Gait.Slope, w.Gait.Flies = k.Tall, k.Step, k.Slope, k.Flies
		w.Drive.Jump, w.Drive.Gravity = told(k.Jump, k.JumpIn), told(k.Gravity, k.GravityIn)
	}
	w.Ground = d.groundOf(g, m)
	w.Drive.Push.X, w.Drive.Push.Y, w.Drive.Push.Z = me.Pos("push")
	if left, is := me.Get("push_left"); is && left.N[1] < 0 {
		play, _ := m.Get("play")
		passed := sheet.ClockTicks(play.N[0], play.N[1], play.N[2], v.copy.Tick)
		w.Pushed = int64(v.copy.Tick) + left.N[2] + left.N[0] - passed
	}
	phase := slices.IndexFunc(b.Phases, func(p Phase) bool { return p.Name == m.Text("phase") })
	paused, _ := m.Get("paused")
	w.Moves = me.Flag("alive") && !m.Flag("over") && paused.N[0] == 0 && !(phase >= 0 && b.Phases[phase].Frozen)
	w.Steers = w.Moves && me.Flag("playing") && !me.Flag("benched") && v.Clock(me, "frozen") == 0
	return w, true
}

// told is what the copy says of a player's body.
func (c *Copy) told(me *Sheet) (t ahead.Told) {
	t.Tick = int64(c.copy.Tick)
	t.At = t.Tick
	if s := c.seen[me.ID]; s != nil && c.Book.Every > 0 {
		t.At = max(s.seen[len(s.seen)-1].Tick, t.Tick-int64(c.Rate))
	}
	b := &t.Body
	b.At.X, b.At.Y, b.At.Z = me.Pos("pos")
	t.Steer.X, t.Steer.Y, t.Steer.Z = me.Pos("steer")
	b.Rise, b.Stands = me.Int("rise"), me.Flag("standing")
	return t
}

// groundOf is the ground with the gates that are there.
func (d *drawing) groundOf(g *Ground, match *Sheet) *ground.Ground {
	gates, n := uint64(0), 0
	there := func(flag string) bool {
		if flag == "" {
			return true
		}
		is := match.Flag(flag)
		if n++; is {
			gates |= 1 << n
		}
		return is
	}
	now := &ground.Ground{Width: g.Width, Height: g.Height, Tall: g.Tall, Open: g.Open}
	add := func(box *[4]int64, circle *[3]int64, w ground.Wall) {
		if box != nil {
			w.Left, w.North, w.Right, w.South = box[0], box[1], box[2], box[3]
		} else if circle != nil {
			w.X, w.Y, w.Radius = circle[0], circle[1], circle[2]
		}
		now.Walls = append(now.Walls, w)
	}
	for i := range g.Boxes {
		add(&g.Boxes[i], nil, ground.Wall{})
	}
	for i := range g.Circles {
		add(nil, &g.Circles[i], ground.Wall{})
	}
	for _, x := range g.Gates {
		if there(x.While) {
			add(x.Box, x.Circle, ground.Wall{})
		}
	}
	for _, x := range g.Walls {
		if there(x.While) {
			add(x.Box, x.Circle, ground.Wall{Low: x.Low, High: x.High, Rises: rises(x.Rises)})
		}
	}
	if d.of != g || d.gates != gates {
		now.Index()
		d.ground, d.of, d.gates = now, g, gates
	}
	return d.ground
}

// rises is the way in which a ramp rises.
func rises(word string) ground.Rise {
	return ground.Rise(max(slices.Index([]string{"", "east", "south", "west", "north"}, word), 0))
}
