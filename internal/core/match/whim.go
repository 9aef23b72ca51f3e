package match

import (
	"fmt"
	"math/rand/v2"
	"strconv"

	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Whim makes up what players do by chance: a rehearsal's, and those whom the service plays.
type Whim struct {
	on   *stage
	acts *acts
	rand *rand.Rand

	// Acts and Steering are weights: what is done how often beside the rest. Nil and negative: what the rulebook says
	// of its stand-ins, or else 1 each, and as much for steering as for all actions together.
	Acts     []int
	Steering int

	weights []int // of the actions, steering and rest, for the player at hand
}

// Does makes up what a player does next; false for nothing. Most of the time it is something that the rules would
// accept, as far as the player can see.
func (w *Whim) Does(me *sheet.Row, in *step.Input) bool {
	blind := w.rand.IntN(blindly) == 0
	for n := w.weigh(me); n > 0; {
		i, at := 0, w.rand.IntN(n)
		for at -= w.weights[i]; at >= 0; at -= w.weights[i] {
			i++
		}
		switch actions := w.on.book.Actions; {
		case i < len(actions):
			if blind || w.accepted(me, actions[i], in) {
				if blind {
					w.use(me, actions[i], in)
				}
				return true
			}
		case i == len(actions):
			w.steer(me, in)
			return true
		default:
			return false
		}
		n -= w.weights[i] // something else, then
		w.weights[i] = 0
	}
	return false
}

// weigh finds the weights for a player, and returns their sum.
func (w *Whim) weigh(me *sheet.Row) (sum int) {
	m, s := w.on, w.on.book.StandIns
	w.weights = w.weights[:0]
	for i := range m.book.Actions {
		n := 1
		switch {
		case w.Acts != nil:
			n = w.Acts[i]
		case s != nil && s.Weights[i] != nil:
			n = w.worth(s, me, i)
		}
		w.weights = append(w.weights, n)
	}
	steering, rest := 0, 0
	if m.book.Movement != nil {
		steering = max(len(m.book.Actions), 1)
		switch {
		case w.Steering >= 0:
			steering = w.Steering
		case s != nil && s.Steering != nil:
			steering = w.worth(s, me, -1)
		}
	}
	if s != nil && s.Rest != nil && w.Acts == nil {
		rest = w.worth(s, me, -2)
	}
	w.weights = append(w.weights, steering, rest)
	for _, n := range w.weights {
		sum += n
	}
	return sum
}

// maxWeight is the greatest weight of one thing.
const maxWeight = 1000

// worth is the weight of an action, of steering (-1) or of rest (-2) by expression.
func (w *Whim) worth(s *rulebook.StandIns, me *sheet.Row, i int) int {
	p := s.Rest
	switch {
	case i >= 0:
		p = s.Weights[i]
	case i == -1:
		p = s.Steering
	}
	m := w.on
	m.subject(sheet.Player, me)
	m.env.Fault = 0
	n := p.Int(&m.env)
	if m.faulty(s.Line); m.env.Fault != 0 {
		return 0
	}
	return int(min(max(n, 0), maxWeight))
}

// steer heads somewhere and looks there.
func (w *Whim) steer(me *sheet.Row, in *step.Input) {
	w.heads(me, in)
	w.look(in)
}

// heads makes for where the rulebook says, or for a creature, a piece, another player or anywhere.
func (w *Whim) heads(me *sheet.Row, in *step.Input) {
	m := w.on
	in.Verb, in.Point = step.Steer, true
	at := m.at(me)
	if s := m.book.StandIns; s != nil && s.Steer != nil {
		if w.rand.IntN(100) >= s.Stray {
			w.goes(in, w.towards(s, me, at))
		} else {
			w.goes(in, w.anywhere())
		}
		return
	}
	pieces, beings := m.st.Of(sheet.Piece), m.st.Of(sheet.Creature)
	switch n := w.rand.IntN(4); {
	case n == 0 && len(beings) > 0:
		w.goes(in, from(m.at(beings[w.rand.IntN(len(beings))]), at))
	case n < 2 && len(pieces) > 0:
		w.goes(in, from(m.at(pieces[w.rand.IntN(len(pieces))]), at))
	case n < 3:
		if p := w.other(me); p != nil {
			w.goes(in, from(m.at(p), at))
		}
	default:
		w.goes(in, w.anywhere())
	}
}

// anywhere is a way in any direction.
func (w *Whim) anywhere() (way ground.Point) {
	way.X = w.rand.Int64N(2001) - 1000
	if way.Y = w.rand.Int64N(2001) - 1000; w.on.book.Schema.Deep {
		way.Z = w.rand.Int64N(2001) - 1000
	}
	return way
}

// goes has an intent steer along a way at full speed. Who cannot fly jumps where it leads up.
func (w *Whim) goes(in *step.Input, way ground.Point) {
	up := way.Z > 0
	if !w.on.book.Movement.Flies {
		way.Z = 0
	}
	in.X, in.Y, in.Z = stretched(way)
	if up && in.Z == 0 {
		in.Z = ground.Full
	}
}

// there is how near one must be to a place to stand still, in millimetres.
const there = 300

// towards is the direction to where the rulebook says; none where it says nothing.
func (w *Whim) towards(s *rulebook.StandIns, me *sheet.Row, at ground.Point) (way ground.Point) {
	m := w.on
	m.subject(sheet.Player, me)
	m.env.Fault = 0
	v := s.Steer.Value(&m.env, sheet.Position)
	if m.faulty(s.Line); m.env.Fault != 0 || inReach(at, pointIn(v), there) {
		return way
	}
	return from(pointIn(v), at)
}

// stretched is a direction at full speed.
func stretched(way ground.Point) (x, y, z int64) {
	d := max(way.X, -way.X, way.Y, -way.Y, way.Z, -way.Z, 1)
	return way.X * ground.Full / d, way.Y * ground.Full / d, way.Z * ground.Full / d
}

// other picks another player, a rival most of the time.
func (w *Whim) other(me *sheet.Row) *sheet.Row {
	seated := w.on.st.Seated
	if len(seated) < 2 {
		return nil
	}
	for range 4 {
		p := seated[w.rand.IntN(len(seated))]
		if p != me && (p.Team != me.Team || p.Team == 0 || w.rand.IntN(4) == 0) {
			return p
		}
	}
	return nil
}

// aimedAt is whom the rulebook says to aim at; nil where it says nobody, or nothing.
func (w *Whim) aimedAt(me *sheet.Row) (r *sheet.Row, says bool) {
	m, s := w.on, w.on.book.StandIns
	if s == nil || s.Target == nil {
		return nil, false
	}
	m.subject(sheet.Player, me)
	m.env.Fault = 0
	list := s.Target.Append(&m.env, nil)
	if m.faulty(s.Line); m.env.Fault != 0 || len(list) == 0 {
		return nil, true
	}
	if s.Target.Several {
		return list[w.rand.IntN(len(list))], true
	}
	return list[0], true
}

// use makes the intent to use an action: with a target, a direction and values that the rulebook says, or at random.
func (w *Whim) use(me *sheet.Row, a *rulebook.Action, in *step.Input) {
	in.Verb, in.Name, in.Args, in.Point, in.Faces = step.Act, a.Name, in.Args[:0], false, false
	if p := w.victim(me, a); p != nil {
		in.Target = p.ID
		if w.on.book.Ground != nil && a.Aim.At >= rulebook.AimLine {
			at := middleOf(w.on, p)
			if a.Aim.At.Direction() {
				at = from(at, eyeOf(w.on, me))
			}
			in.X, in.Y, in.Z, in.Point = at.X, at.Y, at.Z, true
			if a.Aim.Faces {
				w.look(in)
			}
		}
	}
	for i, f := range a.Takes {
		in.Args = append(in.Args, step.Named{Name: f.Name, Value: w.sent(me, a, f, &a.Bounds[i])})
	}
}

// look has an intent look where it points, where players turn so.
func (w *Whim) look(in *step.Input) {
	if f := w.on.book.Facing; f != nil && !f.Steered {
		in.Yaw, in.Faces = ground.YawOf(in.X, in.Y)
		if w.on.book.Schema.Deep {
			in.Pitch = ground.PitchOf(ground.Point{X: in.X, Y: in.Y, Z: in.Z})
		}
	}
}

// victim picks whom an action is used on.
func (w *Whim) victim(me *sheet.Row, a *rulebook.Action) *sheet.Row {
	if p, says := w.aimedAt(me); says {
		return p
	}
	p := w.other(me)
	if a.Aim.Who == rulebook.WhoAnyone && w.rand.IntN(3) == 0 {
		p = me
	}
	if a.Aim.Who == rulebook.WhoFriends {
		for _, q := range w.on.st.Seated {
			if q != me && q.Team == me.Team && (p == nil || p.Team != me.Team || w.rand.IntN(2) == 0) {
				p = q
			}
		}
	}
	if c := w.quarry(a); c != nil && (p == nil || !a.Aim.Players || w.rand.IntN(2) == 0) {
		p = c
	}
	return p
}

// quarry picks a creature or piece that an action may hit, nil for none.
func (w *Whim) quarry(a *rulebook.Action) *sheet.Row {
	kind := sheet.Creature
	if a.Aim.Creatures == 0 {
		kind = sheet.Piece
	}
	list := w.on.st.Of(kind)
	if a.Aim.Creatures|a.Aim.Pieces == 0 || len(list) == 0 {
		return nil
	}
	return list[w.rand.IntN(len(list))]
}

// Value makes a value up that an argument may have; me is nil for a referee.
func (w *Whim) Value(me *sheet.Row, f *sheet.Field, b *rulebook.Bound) sheet.Value {
	switch f.Type {
	case sheet.Position, sheet.Position3:
		v := w.place(me, b)
		v.Type = f.Type
		return v
	case sheet.List:
		one := *f
		one.Type = f.Item
		items := make([]string, w.rand.IntN(min(f.Most, 5)+1))
		for i := range items {
			items[i] = strconv.FormatInt(w.Value(me, &one, b).N[0], 10)
		}
		return sheet.Value{Type: sheet.List, S: sheet.ListOf(items, false)}
	case sheet.Text:
		return sheet.TextValue(sheet.Cut(fmt.Sprint("text", w.rand.IntN(100)), int(f.Max)))
	case sheet.Flag:
		return sheet.IntValue(f.Type, w.rand.Int64N(2))
	case sheet.Choice:
		return sheet.IntValue(f.Type, w.rand.Int64N(int64(len(f.Choices))))
	case sheet.Ref:
		list := w.on.st.Of(f.Of)
		if len(list) == 0 {
			return sheet.IntValue(f.Type, 0)
		}
		return sheet.IntValue(f.Type, int64(list[w.rand.IntN(len(list))].ID))
	}
	if n, is := w.known(me, f); is {
		return sheet.IntValue(f.Type, n)
	}
	lo, hi := max(f.Min, -1000), min(f.Max, 1000)
	if lo > hi {
		lo, hi = f.Min, f.Max
	}
	return sheet.IntValue(f.Type, lo+w.rand.Int64N(hi-lo+1))
}

// place makes up a place within reach, or a direction.
func (w *Whim) place(me *sheet.Row, b *rulebook.Bound) sheet.Value {
	v := sheet.Value{Type: sheet.Position}
	if b.Direction {
		way := ground.Point{X: w.rand.Int64N(2001) - 1000, Y: w.rand.Int64N(2000) - 1000}
		if w.on.book.Schema.Deep {
			way.Z = w.rand.Int64N(2001) - 1000
		}
		v.N[0], v.N[1], v.N[2] = stretched(way)
		return v
	}
	g := w.on.ground()
	lo, hi := [3]int64{}, [3]int64{g.Width, g.Height, g.Tall}
	if b.Reach > 0 && me != nil { // a square that lies within the circle
		at := w.on.at(me)
		near := b.Reach * 7 / 10
		lo = [3]int64{max(at.X-near, 0), max(at.Y-near, 0), at.Z}
		hi = [3]int64{min(at.X+near, g.Width), min(at.Y+near, g.Height), at.Z}
	}
	for i := range w.on.book.Parts {
		v.N[i] = lo[i] + w.rand.Int64N(max(hi[i]-lo[i], 0)+1)
	}
	return v
}
