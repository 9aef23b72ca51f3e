package rehearse

import (
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/journal"
)

// looksASecond is how often a random player does something, on average.
const looksASecond = 4

// actor is a random player.
type actor struct {
	seat sheet.ID
	seq  uint64
	next sheet.Tick // when they do something again
}

// table is a match with random players.
type table struct {
	b      *rulebook.Book
	m      *lobby.Lobby
	r      *rand.Rand
	oc     *outcome
	actors []*actor
	due    []*actor        // of the present tick
	asked  []step.Decision // that wait for the referee
	chosen []choice        // what players may do, with its weight
	weight int             // of all together
	record *journal.Writer
	in     step.Input
}

// choice is something that a random player may do: an action, or steering where it is nil.
type choice struct {
	action *rulebook.Action
	weight int
}

func playRandom(b *rulebook.Book, o *Options, i int) *outcome {
	t := newTable(b, o, i, nil)
	t.play(o)
	return t.oc
}

// Record rehearses one match of a rehearsal again, by its number, and writes its
// journal.
func Record(b *rulebook.Book, o Options, i int, w io.Writer) error {
	if err := o.defaults(b); err != nil {
		return err
	}
	jw, err := journal.NewWriter(w, journal.Head{Rulebook: b.Source, Setup: setup(b, &o, i)}, hashEvery(b))
	if err != nil {
		return err
	}
	t := newTable(b, &o, i, jw)
	t.play(&o)
	return jw.Hash(t.m)
}

// setup is how the lobby of a match is opened. Where nothing is said of the arena, each match
// begins in the next one.
func setup(b *rulebook.Book, o *Options, i int) lobby.Setup {
	s := lobby.Setup{Code: "REHEARSE", Seed: seedOf(o.Seed, i), Options: o.Options}
	if a := b.Arenas; a != nil &&
		!slices.ContainsFunc(o.Options, func(n step.Named) bool { return n.Name == a.Next.Name }) {
		s.Options = append(slices.Clone(o.Options), step.Named{Name: a.Next.Name,
			Value: sheet.IntValue(sheet.Choice, int64(i%len(b.Grounds)))})
	}
	return s
}

func newTable(b *rulebook.Book, o *Options, i int, record *journal.Writer) *table {
	seed := seedOf(o.Seed, i)
	t := &table{
		b:      b,
		m:      lobby.New(b, setup(b, o, i)),
		r:      rand.New(rand.NewPCG(seed, 1)),
		oc:     newOutcome(b, seed),
		record: record,
	}
	t.m.Count(t.oc.tally)
	t.choices(o)
	if hasReferee(b) {
		t.in = step.Input{Kind: step.RefereeOn, N: 1}
		t.take()
	}
	for n := range o.Players {
		t.in = step.Input{
			Kind: step.Enter,
			Acct: fmt.Sprint("player", n+1),
			Name: fmt.Sprint("Player ", n+1),
			Conn: fmt.Sprint(n),
		}
		seat := t.take()
		if seat == 0 {
			continue
		}
		t.in = step.Input{Kind: step.Loaded, Seat: seat, Yes: t.r.IntN(2) == 0}
		t.take()
		t.actors = append(t.actors, &actor{seat: seat})
	}
	return t
}

// take hands the prepared input to the authority.
func (t *table) take() sheet.ID {
	t.in.At = max(t.in.At, t.m.Tick())
	if t.record != nil {
		t.record.Hash(t.m)
		t.record.Input(&t.in)
	}
	out, charged := t.m.Step(&t.in), int64(0)
	for _, e := range out.Effects {
		if e.Kind == step.AskReferee {
			t.asked = append(t.asked, *e.Decision)
		}
		if e.Kind == step.Charge {
			charged = e.N
		}
	}
	t.oc.note(t.b, t.m, &t.in, out)
	t.m.Store().ClearChanges()
	seat := out.Seat
	if charged > 0 { // nobody else spends here what the record has
		t.in.N = charged
		t.take()
	}
	return seat
}

// play starts the match and lets everybody act, each at a moment of their own,
// until it is over or the limit has passed.
func (t *table) play(o *Options) {
	for _, a := range t.actors {
		t.in = step.Input{Kind: step.Intent, Seat: a.seat, Verb: step.Ready}
		t.take()
	}
	if t.m.State() == rulebook.Gathering && len(t.actors) > 0 {
		t.in = step.Input{Kind: step.Intent, Seat: t.actors[0].seat, Verb: step.Start}
		t.take()
	}
	if t.b.Players.Least > len(t.actors) || t.m.State() == rulebook.Gathering {
		t.oc.stuck = true
		return
	}
	every := max(t.b.Rate/looksASecond, 1)
	for _, a := range t.actors {
		a.next = t.m.Tick() + 1 + sheet.Tick(t.r.IntN(every))
	}
	limit := sheet.Tick(o.Limit * time.Duration(t.b.Rate) / time.Second)
	last := t.m.Tick() + limit + sheet.Tick(t.b.Start.Countdown)
	for tick := t.m.Tick() + 1; t.oc.result == nil && tick <= last; tick++ {
		if !t.actAll(tick, every) && t.m.Next() > 0 && t.m.Next() <= tick {
			t.in = step.Input{At: tick, Kind: step.Tick}
			t.take()
		}
		t.decide(tick)
	}
	if t.oc.result == nil {
		t.in = step.Input{At: last, Kind: step.Tick}
		t.take()
	}
	t.oc.ticks = t.m.PlayTick()
	t.oc.endless = t.oc.result == nil
	t.oc.stuck = t.oc.endless && t.m.Next() == 0
}

// actAll lets everybody act whose moment has come, in an order of chance, until the
// match is over: nobody comes first because of where they sit.
func (t *table) actAll(tick sheet.Tick, every int) bool {
	t.due = t.due[:0]
	for _, a := range t.actors {
		if a.next <= tick {
			t.due = append(t.due, a)
			a.next = tick + 1 + sheet.Tick(t.r.IntN(2*every))
		}
	}
	t.r.Shuffle(len(t.due), func(i, k int) { t.due[i], t.due[k] = t.due[k], t.due[i] })
	acted := false
	for _, a := range t.due {
		if t.oc.result == nil && t.act(a, tick) {
			acted = true
		}
	}
	return acted
}

// decide answers what waits for the referee, and does what a referee may do: now and then,
// and by chance.
func (t *table) decide(tick sheet.Tick) {
	for len(t.asked) > 0 && t.oc.result == nil && t.r.IntN(4) == 0 {
		d := t.asked[0]
		t.in = step.Input{At: tick, Kind: step.Answer, N: d.No, Yes: t.r.IntN(2) == 0}
		r := t.b.ActionNamed[d.Action].Referee
		for i, f := range r.Answers {
			t.in.Args = append(t.in.Args, step.Named{Name: f.Name, Value: t.value(nil, f, &r.Bounds[i])})
		}
		t.asked = t.asked[1:]
		t.take()
	}
	if r := t.b.Referee; r != nil && len(r.Acts) > 0 && t.oc.result == nil && t.r.IntN(4*t.b.Rate) == 0 {
		a := r.Acts[t.r.IntN(len(r.Acts))]
		t.in = step.Input{At: tick, Kind: step.RefereeAct, Name: a.Name}
		for i, f := range a.Takes {
			t.in.Args = append(t.in.Args, step.Named{Name: f.Name, Value: t.value(nil, f, &a.Bounds[i])})
		}
		t.take()
	}
}

// choices finds what players may do, and how often they do it beside the rest.
func (t *table) choices(o *Options) {
	add := func(a *rulebook.Action, name string, otherwise int) {
		w, given := o.Weights[name]
		if !given {
			w = otherwise
		}
		t.chosen = append(t.chosen, choice{a, w})
		t.weight += w
	}
	for _, a := range t.b.Actions {
		add(a, a.Name, 1)
	}
	if t.b.Movement != nil {
		add(nil, Steering, max(len(t.b.Actions), 1))
	}
}

// frozen tells whether nobody can do anything at present, so that asking for it would
// only make a noise: before the match, and in a phase in which inputs are frozen.
func (t *table) frozen() bool {
	list := t.m.Store().Of(sheet.Match)
	if len(list) == 0 {
		return true
	}
	no := list[0].Int(t.b.F.Match.Phase)
	return t.b.Phases[no].Frozen && !slices.ContainsFunc(t.b.Actions, func(a *rulebook.Action) bool {
		return a.Phases&(1<<no) != 0 && a.Also&rulebook.AlsoFrozen != 0
	})
}

// act lets a player do something at random: steer, or use an action on somebody. It
// tells whether they did.
func (t *table) act(a *actor, tick sheet.Tick) bool {
	me := t.m.Store().Get(a.seat)
	if me == nil || t.frozen() {
		return false
	}
	a.seq++
	t.in = step.Input{At: tick, Kind: step.Intent, Seat: a.seat, Seq: a.seq}
	if t.weight == 0 {
		return false
	}
	n := t.r.IntN(t.weight)
	for _, c := range t.chosen {
		if n -= c.weight; n >= 0 {
			continue
		}
		if c.action == nil {
			t.steer(me)
		} else {
			t.use(me, c.action)
		}
		break
	}
	t.take()
	return true
}

// steer heads for a piece, another player or anywhere.
func (t *table) steer(me *sheet.Row) {
	t.in.Verb = step.Steer
	pos := t.b.F.Player.Pos
	x, y := me.Pos(pos)
	pieces := t.m.Store().Of(sheet.Piece)
	beings := t.m.Store().Of(sheet.Creature)
	switch n := t.r.IntN(4); {
	case n == 0 && len(beings) > 0:
		cx, cy := beings[t.r.IntN(len(beings))].Pos(t.b.F.Creature.Pos)
		t.in.X, t.in.Y = full(cx-x, cy-y)
	case n < 2 && len(pieces) > 0:
		px, py := pieces[t.r.IntN(len(pieces))].Pos(t.b.F.Piece.Pos)
		t.in.X, t.in.Y = full(px-x, py-y)
	case n < 3:
		if p := t.other(me); p != nil {
			px, py := p.Pos(pos)
			t.in.X, t.in.Y = full(px-x, py-y)
		}
	default:
		t.in.X, t.in.Y = full(t.r.Int64N(2001)-1000, t.r.Int64N(2001)-1000)
	}
	t.in.Point = true
}

// full stretches a direction to full speed.
func full(x, y int64) (int64, int64) {
	d := max(x, -x, y, -y, 1)
	return x * 1000 / d, y * 1000 / d
}

// other picks another player, a rival most of the time.
func (t *table) other(me *sheet.Row) *sheet.Row {
	seated := t.m.Store().Seated
	if len(seated) < 2 {
		return nil
	}
	for range 4 {
		p := seated[t.r.IntN(len(seated))]
		if p != me && (p.Team != me.Team || p.Team == 0 || t.r.IntN(4) == 0) {
			return p
		}
	}
	return nil
}

// use makes the intent to use an action, with a target, a direction and values
// at random.
func (t *table) use(me *sheet.Row, a *rulebook.Action) {
	t.in.Verb, t.in.Name = step.Act, a.Name
	p := t.other(me)
	if a.Aim.Who == rulebook.WhoAnyone && t.r.IntN(3) == 0 {
		p = me
	}
	if a.Aim.Who == rulebook.WhoFriends {
		for _, q := range t.m.Store().Seated {
			if q != me && q.Team == me.Team && (p == nil || p.Team != me.Team || t.r.IntN(2) == 0) {
				p = q
			}
		}
	}
	pos := t.b.F.Player.Pos
	if c := t.quarry(a); c != nil && (p == nil || !a.Aim.Players || t.r.IntN(2) == 0) {
		if p, pos = c, t.b.F.Creature.Pos; c.Kind == sheet.Piece {
			pos = t.b.F.Piece.Pos
		}
	}
	if p != nil {
		t.in.Target = p.ID
		if pos != nil && a.Aim.At >= rulebook.AimLine {
			x, y := p.Pos(pos)
			if a.Aim.At.Direction() {
				mx, my := me.Pos(t.b.F.Player.Pos)
				x, y = x-mx, y-my
			}
			t.in.X, t.in.Y, t.in.Point = x, y, true
		}
	}
	for i, f := range a.Takes {
		t.in.Args = append(t.in.Args, step.Named{Name: f.Name, Value: t.value(me, f, &a.Bounds[i])})
	}
}

// quarry picks a creature or piece that an action may hit, nil for none.
func (t *table) quarry(a *rulebook.Action) *sheet.Row {
	kind := sheet.Creature
	if a.Aim.Creatures == 0 {
		kind = sheet.Piece
	}
	list := t.m.Store().Of(kind)
	if a.Aim.Creatures|a.Aim.Pieces == 0 || len(list) == 0 {
		return nil
	}
	return list[t.r.IntN(len(list))]
}

// value makes a value up that an argument may have.
func (t *table) value(me *sheet.Row, f *sheet.Field, b *rulebook.Bound) sheet.Value {
	switch f.Type {
	case sheet.Position:
		return t.place(me, b)
	case sheet.Text:
		return sheet.TextValue(fmt.Sprint("text ", t.r.IntN(100)))
	case sheet.Flag:
		return sheet.IntValue(f.Type, t.r.Int64N(2))
	case sheet.Choice:
		return sheet.IntValue(f.Type, t.r.Int64N(int64(len(f.Choices))))
	case sheet.Ref:
		list := t.m.Store().Of(f.Of)
		if len(list) == 0 {
			return sheet.IntValue(f.Type, 0)
		}
		return sheet.IntValue(f.Type, int64(list[t.r.IntN(len(list))].ID))
	}
	lo, hi := max(f.Min, -1000), min(f.Max, 1000)
	if lo > hi {
		lo, hi = f.Min, f.Max
	}
	return sheet.IntValue(f.Type, lo+t.r.Int64N(hi-lo+1))
}

// ground is what the present match is played on.
func (t *table) ground() *rulebook.Ground {
	if a := t.b.Arenas; a != nil {
		return t.b.Grounds[t.m.Store().Of(sheet.Match)[0].Int(a.Field)]
	}
	return t.b.Ground
}

// place makes up a place within reach, or a direction.
func (t *table) place(me *sheet.Row, b *rulebook.Bound) sheet.Value {
	v := sheet.Value{Type: sheet.Position}
	if b.Direction {
		v.N[0], v.N[1] = full(t.r.Int64N(2001)-1000, t.r.Int64N(2000)-1000)
		return v
	}
	g := t.ground()
	lo, hi := [2]int64{}, [2]int64{g.Width, g.Height}
	if b.Reach > 0 && me != nil { // a square that lies within the circle
		x, y := me.Pos(t.b.F.Player.Pos)
		near := b.Reach * 7 / 10
		lo = [2]int64{max(x-near, 0), max(y-near, 0)}
		hi = [2]int64{min(x+near, g.Width), min(y+near, g.Height)}
	}
	for i := range lo {
		v.N[i] = lo[i] + t.r.Int64N(max(hi[i]-lo[i], 0)+1)
	}
	return v
}
