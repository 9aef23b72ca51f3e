package spec_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/ahead"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/wire"
)

// walkVector is a body on a ground, as the book tells of both, and what each tick brings.
type walkVector struct {
	Rate    int64           `json:"rate"`
	Radius  int64           `json:"radius"`
	Speed   int64           `json:"speed"`
	Ground  wire.GroundInfo `json:"ground"`
	Walk    *wire.WalkInfo  `json:"walk,omitempty"`
	From    row             `json:"from"`
	Stands  bool            `json:"stands,omitempty"`
	Drives  []row           `json:"drives"`
	Becomes []row           `json:"becomes"`

	even   int64 // all lengths on the ground are multiples of this
	ground *ground.Ground
	gait   ground.Gait
	drive  ground.Drive
}

// row is some numbers in one line.
type row []int64

// MarshalText writes them with spaces between.
func (r row) MarshalText() ([]byte, error) {
	return []byte(strings.Trim(fmt.Sprint([]int64(r)), "[]")), nil
}

// UnmarshalText reads them.
func (r *row) UnmarshalText(text []byte) (err error) {
	for _, word := range strings.Fields(string(text)) {
		n, e := strconv.ParseInt(word, 10, 64)
		*r, err = append(*r, n), errors.Join(err, e)
	}
	return err
}

// walks are random walks: on flat ground, on tall ground with and without a floor, and in flight, among walls,
// platforms, ramps and ceilings.
func walks() (list []walkVector) {
	r := rand.New(rand.NewPCG(31, 7))
	for i := range 48 {
		v := walkVector{Rate: []int64{20, 30, 7}[i%3], Radius: 200 + r.Int64N(400), Speed: 3000 + r.Int64N(6000),
			even: 1}
		if i%2 == 0 { // bodies and walls touch
			v.even, v.Radius, v.Speed = 100, int64(i%3)*200, v.Rate*100
		}
		g := &ground.Ground{Width: 9000, Height: 7000}
		info := wire.GroundInfo{Width: g.Width, Height: g.Height}
		v.gait = ground.Gait{Walker: ground.Walker{Body: ground.Body{Radius: v.Radius}}, Rate: v.Rate}
		v.drive = ground.Drive{Speed: v.Speed}
		tall := i >= 6
		if tall {
			g.Tall, g.Open = 6000, i%4 == 1
			info.Tall, info.Open = g.Tall, g.Open
			w := &wire.WalkInfo{Tall: 1200 + r.Int64N(500), Step: r.Int64N(500), Slope: 5000 + r.Int64N(9000),
				Jump: 3000 + r.Int64N(4000), Gravity: 9000 + r.Int64N(6000), Flies: i%5 == 0}
			v.Walk = w
			v.gait.Tall, v.gait.Step, v.gait.Slope, v.gait.Flies = w.Tall, w.Step, w.Slope, w.Flies
			v.drive.Jump, v.drive.Gravity = w.Jump, w.Gravity
		}
		for range 9 {
			wallOf(r, g, &info, tall, v.even)
		}
		v.ground, v.Ground = g, info
		v.somewhere(r)
		v.goes(r, 18)
		list = append(list, v)
	}
	return list
}

// somewhere lets the body begin where there is room for it, on a floor where that is tall.
func (v *walkVector) somewhere(r *rand.Rand) {
	for {
		p := ground.Point{X: r.Int64N(v.ground.Width) / v.even * v.even, Y: r.Int64N(v.ground.Height) / v.even * v.even}
		if v.ground.Tall == 0 && !v.ground.Free(p.X, p.Y, v.Radius) {
			continue
		}
		if floor, is := v.ground.Floor(p.X, p.Y, 3000); v.ground.Tall > 0 {
			if p.Z = floor; !is || !v.ground.Room(p, v.gait.Body) {
				continue
			}
			v.Stands = !v.gait.Flies
		}
		v.From = row{p.X, p.Y, p.Z}
		return
	}
}

// wallOf adds a wall to a ground, and to what clients are told of it.
func wallOf(r *rand.Rand, g *ground.Ground, info *wire.GroundInfo, tall bool, even int64) {
	to := func(n int64) int64 { return r.Int64N(n) / even * even }
	x, y := to(g.Width), to(g.Height)
	w := ground.Wall{Left: x, North: y, Right: x + 500 + to(3000), South: y + 500 + to(2000)}
	box, circle := &[4]int64{w.Left, w.North, w.Right, w.South}, (*[3]int64)(nil)
	if r.IntN(3) == 0 {
		w = ground.Wall{X: x, Y: y, Radius: 300 + to(1500)}
		box, circle = nil, &[3]int64{w.X, w.Y, w.Radius}
	}
	switch {
	case tall:
		if w.Low = 0; r.IntN(2) == 0 { // some are low ceilings
			w.Low = 1200 + to(1200)
		}
		w.High = w.Low + 100 + to(1200)
		told := wire.WallInfo{Box: box, Circle: circle, Low: w.Low, High: w.High}
		if box != nil && r.IntN(2) == 0 {
			w.Rises = ground.Rise(1 + r.IntN(4))
			told.Rises = []string{"", "east", "south", "west", "north"}[w.Rises]
		}
		info.Walls = append(info.Walls, told)
	case box != nil:
		info.Boxes = append(info.Boxes, *box)
	default:
		info.Rounds = append(info.Rounds, *circle)
	}
	g.Walls = append(g.Walls, w)
}

// goes lets the body walk for some ticks.
func (v *walkVector) goes(r *rand.Rand, ticks int) {
	m := ground.Moving{At: ground.Point{X: v.From[0], Y: v.From[1], Z: v.From[2]}, Stands: v.Stands}
	d, way := v.drive, ground.Point{}
	for tick := range ticks {
		if tick%9 == 0 {
			way = ground.Point{X: r.Int64N(2001) - 1000, Y: r.Int64N(2001) - 1000}
			if v.even > 1 {
				way.X, way.Y = (r.Int64N(3)-1)*ground.Full, 0
				if r.IntN(2) == 0 {
					way.X, way.Y = way.Y, way.X
				}
			}
			if v.Walk != nil {
				way.Z = r.Int64N(2001) - 1000
			}
			d.Steer, d.Push = ground.Steering(way, v.gait.Flies), ground.Point{}
			if r.IntN(4) == 0 {
				d.Push = ground.Point{X: r.Int64N(8000) - 4000, Y: r.Int64N(8000) - 4000}
			}
		}
		m.Tick(v.ground, &v.gait, &d)
		stands := int64(0)
		if m.Stands {
			stands = 1
		}
		s, p := way, d.Push
		v.Drives = append(v.Drives, row{s.X, s.Y, s.Z, p.X, p.Y, p.Z})
		v.Becomes = append(v.Becomes,
			row{m.At.X, m.At.Y, m.At.Z, m.Rest.X, m.Rest.Y, m.Rest.Z, m.Rise, stands})
	}
}

// aheadVector is what becomes of one's own body, in order.
type aheadVector struct {
	Steps []aheadStep `json:"steps"`
	Wrong int         `json:"wrong"`
}

// aheadStep is one thing of these: what the service said, as [tick, at, x, y, steer x, steer y, pushed, push x, push y,
// moves, steers]; a wish, as [n, tick, x, y]; an answer, as [n, whether taken, tick]; or a frame, and where it draws.
type aheadStep struct {
	Tell     row        `json:"tell,omitempty"`
	Asked    row        `json:"asked,omitempty"`
	Answered row        `json:"answered,omitempty"`
	Place    float64    `json:"place,omitempty"`
	At       [2]float64 `json:"at,omitzero"`
}

// aheadOf steers a body, pushes it, puts it elsewhere, refuses wishes, takes some late, and lets it rest.
func aheadOf(on *walkVector) (v aheadVector) {
	r := rand.New(rand.NewPCG(3, 1))
	var body ahead.Body
	truth, d := ground.Moving{At: ground.Point{X: on.From[0], Y: on.From[1]}}, on.drive
	var sent row
	n, refused := int64(0), false
	for tick := int64(101); tick < 260; tick++ {
		pushed := [3]int64{}
		if d.Push = (ground.Point{}); tick%40 < 5 {
			d.Push = ground.Point{X: 3000, Y: -2000}
			pushed = [3]int64{tick/40*40 + 4, 3000, -2000}
		}
		moves := tick < 180 || tick > 190
		if moves {
			truth.Tick(on.ground, &on.gait, &d)
		}
		if tick == 220 {
			truth.At = ground.Point{X: 1000, Y: 1000}
		}
		told := aheadStep{Tell: row{tick, tick - tick%3, truth.At.X, truth.At.Y, d.Steer.X, d.Steer.Y, pushed[0],
			pushed[1], pushed[2], bit(moves), bit(moves && tick%50 > 5)}}
		v.take(on, &body, told)
		if sent != nil && sent[1] < tick {
			late := r.Int64N(2)
			v.take(on, &body, aheadStep{Answered: row{sent[0], bit(!refused), tick - 1 + late}})
			if !refused {
				d.Steer = ground.Point{X: sent[2], Y: sent[3]}
			}
			sent = nil
		}
		if sent == nil && r.IntN(5) == 0 {
			n++
			angle := r.Float64() * 6
			sent = row{n, tick + 2, int64(math.Cos(angle) * 1000), int64(math.Sin(angle) * 1000)}
			refused = r.IntN(5) == 0
			v.take(on, &body, aheadStep{Asked: sent})
		}
		for part := range 3 {
			v.take(on, &body, aheadStep{Place: float64(tick) + 2.2 + float64(part)/3})
		}
	}
	v.Wrong = body.Wrong()
	return v
}

func bit(is bool) int64 {
	if is {
		return 1
	}
	return 0
}

// take does a step with the body, and notes it.
func (v *aheadVector) take(on *walkVector, b *ahead.Body, s aheadStep) {
	switch {
	case s.Tell != nil:
		t := s.Tell
		w := ahead.World{Ground: on.ground, Gait: on.gait, Drive: on.drive, Pushed: t[6], Moves: t[9] > 0,
			Steers: t[10] > 0}
		w.Drive.Push = ground.Point{X: t[7], Y: t[8]}
		b.Tell(w, ahead.Told{Tick: t[0], At: t[1], Body: ground.Moving{At: ground.Point{X: t[2], Y: t[3]}},
			Steer: ground.Point{X: t[4], Y: t[5]}})
	case s.Asked != nil:
		b.Asked(uint64(s.Asked[0]), s.Asked[1], ground.Point{X: s.Asked[2], Y: s.Asked[3]})
	case s.Answered != nil:
		b.Answered(uint64(s.Answered[0]), s.Answered[1] > 0, s.Answered[2])
	default:
		s.At[0], s.At[1], _, _ = b.Place(s.Place)
	}
	v.Steps = append(v.Steps, s)
}
