package rehearse

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/match"
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
	no   int // as which they came in
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
	came   int             // how many have come in
	due    []*actor        // of the present tick
	asked  []step.Decision // that wait for the referee
	whim   *match.Whim
	took   func(*lobby.Lobby, *step.Input) // called with each input before it is taken; may be nil
	in     step.Input
}

// inARow is how many matches are played in one lobby, one after the other, people coming and going between them.
const inARow = 3

// row is the matches of one lobby, up to a last one. Where a lobby does not come to the next match, a new one is opened
// for it.
type row struct {
	b      *rulebook.Book
	o      *Options
	opened func(lobby.Setup) func(*lobby.Lobby, *step.Input) // gives what is called with each input before it is taken
}

// play plays the matches of the row in which one stands, up to that, and returns their outcomes and the last lobby.
func (r *row) play(last int) (out []*outcome, t *table) {
	for i := last - last%inARow; i <= last; i++ {
		if t == nil || !t.again(r.o) {
			s := setup(r.b, r.o, i)
			t = newTable(r.b, r.o, s, r.opened(s))
		}
		t.oc.match = i + 1
		t.play(r.o)
		out = append(out, t.oc)
	}
	return out, t
}

// Record rehearses the matches of a lobby again, up to one, by its number from 1, and writes their journal.
func Record(b *rulebook.Book, o Options, match int, w io.Writer) error {
	if err := o.defaults(b); err != nil {
		return err
	}
	if match < 1 || match > o.Matches {
		return fmt.Errorf("there is no match %d; this rehearsal has 1 to %d", match, o.Matches)
	}
	var err error
	var text bytes.Buffer
	var jw *journal.Writer
	_, t := (&row{b, &o, func(s lobby.Setup) func(*lobby.Lobby, *step.Input) {
		text.Reset() // of a lobby before
		var bad error
		jw, bad = journal.NewWriter(&text, journal.Head{Rulebook: b.Source, Setup: s}, hashEvery(b))
		err = errors.Join(err, bad)
		return func(m *lobby.Lobby, in *step.Input) { err = errors.Join(err, jw.Hash(m), jw.Input(in)) }
	}}).play(match - 1)
	if err = errors.Join(err, jw.Hash(t.m)); err != nil {
		return err
	}
	_, err = w.Write(text.Bytes())
	return err
}

// setup is how the lobby of a match is opened. Where nothing is said of the arena, each match begins in the next one.
func setup(b *rulebook.Book, o *Options, i int) lobby.Setup {
	s := lobby.Setup{Code: "REHEARSE", Seed: seedOf(o.Seed, i), Options: o.Options, Hidden: i%2 == 1}
	if a := b.Arenas; a != nil &&
		!slices.ContainsFunc(o.Options, func(n step.Named) bool { return n.Name == a.Next.Name }) {
		s.Options = append(slices.Clone(o.Options), step.Named{Name: a.Next.Name,
			Value: sheet.IntValue(sheet.Choice, int64(i%len(b.Grounds)))})
	}
	return s
}

func newTable(b *rulebook.Book, o *Options, s lobby.Setup, took func(*lobby.Lobby, *step.Input)) *table {
	t := &table{b: b, m: lobby.New(b, s), r: rand.New(rand.NewPCG(s.Seed, 1)), oc: newOutcome(b, s.Seed), took: took}
	t.m.Count(t.oc.tally)
	t.m.Held(true)
	t.whims(o)
	if hasReferee(b) {
		t.in = step.Input{Kind: step.RefereeOn, N: 1}
		t.take()
	}
	for n := range o.Players {
		t.enter(n)
	}
	return t
}

// enter lets somebody come in, by number.
func (t *table) enter(n int) {
	t.came++
	t.in = step.Input{Kind: step.Enter, Acct: fmt.Sprint("player", t.came), Name: fmt.Sprint("Player ", n+1),
		Conn: fmt.Sprint(t.came)}
	seat := t.take()
	if seat == 0 {
		return
	}
	t.in = step.Input{Kind: step.Loaded, Seat: seat, Yes: t.r.IntN(2) == 0}
	t.take()
	t.actors = append(t.actors, &actor{seat: seat, no: n})
}

// again lets the result be saved and shown, and some people go and others come in their places. It tells whether the
// next match may begin, or has begun by itself.
func (t *table) again(o *Options) bool {
	if t.oc.result == nil {
		return false
	}
	t.in = step.Input{Kind: step.Saved, N: t.oc.result.Match}
	t.take()
	limit := t.m.Tick() + sheet.Tick((time.Minute+o.Limit)*time.Duration(t.b.Rate)/time.Second)
	for t.over() && !t.m.Closed() && t.m.Next() > 0 && t.m.Next() <= limit {
		t.in = step.Input{At: t.m.Next(), Kind: step.Tick}
		t.take()
	}
	if t.over() || t.m.Closed() {
		return false
	}
	t.oc, t.asked = newOutcome(t.b, t.oc.seed), nil
	t.m.Count(t.oc.tally)
	if t.m.State() != rulebook.Gathering {
		return true
	}
	for _, a := range slices.Clone(t.actors) {
		if t.r.IntN(4) == 0 && !t.m.Closed() {
			t.in = step.Input{Kind: step.Leave, Seat: a.seat}
			t.take()
			t.actors = slices.DeleteFunc(t.actors, func(x *actor) bool { return x == a })
			t.enter(a.no)
		}
	}
	return !t.m.Closed() && len(t.actors) == o.Players
}

// over tells whether a match is over, and its result is shown.
func (t *table) over() bool {
	list := t.m.Store().Of(sheet.Match)
	return len(list) > 0 && list[0].Flag(t.b.F.Match.Over)
}

// take hands the prepared input to the authority.
func (t *table) take() sheet.ID {
	t.in.At = max(t.in.At, t.m.Tick())
	if t.took != nil {
		t.took(t.m, &t.in)
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

// play starts the match and lets everybody act, each at a moment of their own, until it is over or the limit has
// passed.
func (t *table) play(o *Options) {
	for _, a := range t.actors {
		if t.m.State() == rulebook.Gathering { // it may have begun by itself
			t.in = step.Input{Kind: step.Intent, Seat: a.seat, Verb: step.Ready}
			t.take()
		}
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

// actAll lets everybody act whose moment has come, in an order of chance, until the match is over: nobody comes first
// because of where they sit.
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

// decide answers what waits for the referee, and does what a referee may do: now and then, and by chance.
func (t *table) decide(tick sheet.Tick) {
	for len(t.asked) > 0 && t.oc.result == nil && t.r.IntN(4) == 0 {
		d := t.asked[0]
		t.in = step.Input{At: tick, Kind: step.Answer, N: d.No, Yes: t.r.IntN(2) == 0}
		r := t.b.ActionNamed[d.Action].Referee
		for i, f := range r.Answers {
			t.in.Args = append(t.in.Args, step.Named{Name: f.Name, Value: t.whim.Value(nil, f, &r.Bounds[i])})
		}
		t.asked = t.asked[1:]
		t.take()
	}
	if r := t.b.Referee; r != nil && len(r.Acts) > 0 && t.oc.result == nil && t.r.IntN(4*t.b.Rate) == 0 {
		a := r.Acts[t.r.IntN(len(r.Acts))]
		t.in = step.Input{At: tick, Kind: step.RefereeAct, Name: a.Name}
		for i, f := range a.Takes {
			t.in.Args = append(t.in.Args, step.Named{Name: f.Name, Value: t.whim.Value(nil, f, &a.Bounds[i])})
		}
		t.take()
	}
}

// whims finds how often players do what.
func (t *table) whims(o *Options) {
	t.whim = t.m.Whim(t.r)
	if len(o.Weights) == 0 {
		return
	}
	weight := func(name string, otherwise int) int {
		if w, given := o.Weights[name]; given {
			return w
		}
		return otherwise
	}
	t.whim.Acts = []int{}
	for _, a := range t.b.Actions {
		t.whim.Acts = append(t.whim.Acts, weight(a.Name, 1))
	}
	t.whim.Steering = weight(Steering, max(len(t.b.Actions), 1))
}

// frozen tells whether nobody can do anything at present, so that asking for it would only make a noise: before the
// match, and in a phase in which inputs are frozen.
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

// act lets a player do something at random: steer, or use an action on somebody. It tells whether they did.
func (t *table) act(a *actor, tick sheet.Tick) bool {
	me := t.m.Store().Get(a.seat)
	if me == nil || t.frozen() {
		return false
	}
	t.in = step.Input{At: tick, Kind: step.Intent, Seat: a.seat, Seq: a.seq + 1}
	if !t.whim.Does(me, &t.in) {
		return false
	}
	a.seq++
	t.take()
	return true
}
