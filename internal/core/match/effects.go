package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// effects carries out what rules and actions say.
type effects struct {
	*stage
	creatures *creatures
	ends      *ends
	kept      *kept
	motion    *motion
	pieces    *pieces
	shots     *shots
	sides     *sides
	turns     *turns
	values    *values

	budget int          // effects that the step may still carry out
	frames []*sheet.Row // what definitions are called with, one inside the other
	depth  int          // of them in use
}

// effectBudgetWord is what a rulebook is stopped for that does too much.
const effectBudgetWord = "one input or tick led to more than 200000 effects"

// doers are what each effect does, by verb. They are filled in at the start, because effects do effects; a test finds a
// verb that is left out.
var doers [rulebook.Verbs]func(*effects, *rulebook.Effect)

func init() {
	doers = [rulebook.Verbs]func(*effects, *rulebook.Effect){rulebook.Add: (*effects).addTo,
		rulebook.Set: (*effects).setTo, rulebook.ResetField: (*effects).resetTo,
		rulebook.ClockStart: (*effects).workClock, rulebook.ClockStop: (*effects).workClock,
		rulebook.ClockReset: (*effects).workClock, rulebook.ClockRestart: (*effects).workClock,
		rulebook.ClockSplit: (*effects).workClock, rulebook.Out: (*effects).outNow,
		rulebook.SpawnNow: (*effects).spawnNow, rulebook.Give: (*effects).give, rulebook.Tell: (*effects).tell,
		rulebook.Place: (*effects).placeNow, rulebook.Remove: (*effects).removeNow,
		rulebook.Grant: (*effects).changeKit, rulebook.Withdraw: (*effects).changeKit, rulebook.Each: (*effects).each,
		rulebook.If: (*effects).ifThen, rulebook.Go: (*effects).goTo, rulebook.Finish: (*effects).finishNow,
		rulebook.Save:        (*effects).saveNow,
		rulebook.PostNow:     func(m *effects, e *rulebook.Effect) { m.kept.postNow(e) },
		rulebook.Use:         func(m *effects, e *rulebook.Effect) { m.creatures.use(e) },
		rulebook.PassTurn:    func(m *effects, e *rulebook.Effect) { m.turns.passTurn(e) },
		rulebook.Put:         func(m *effects, e *rulebook.Effect) { m.values.putItem(e) },
		rulebook.Take:        func(m *effects, e *rulebook.Effect) { m.values.takeItems(e) },
		rulebook.ShuffleList: func(m *effects, e *rulebook.Effect) { m.values.shuffleList(e) },
		rulebook.Empty:       func(m *effects, e *rulebook.Effect) { m.values.emptyList(e) },
		rulebook.JoinTeam:    func(m *effects, e *rulebook.Effect) { m.sides.join(e) },
		rulebook.Sides:       func(m *effects, e *rulebook.Effect) { m.sides.changeSides(e) },
		rulebook.Bench:       func(m *effects, e *rulebook.Effect) { m.sides.bench(e) },
		rulebook.Unbench:     func(m *effects, e *rulebook.Effect) { m.sides.unbench(e) },
		rulebook.Freeze:      func(m *effects, e *rulebook.Effect) { m.sides.freeze(e) },
		rulebook.Push:        func(m *effects, e *rulebook.Effect) { m.motion.push(e, m.playerIn(e.Value)) },
		rulebook.KickOut:     func(m *effects, e *rulebook.Effect) { m.sides.kickOut(e) },
		rulebook.StartNext:   func(m *effects, e *rulebook.Effect) { m.sides.startNext(e) },
		rulebook.NextArena:   func(m *effects, e *rulebook.Effect) { m.motion.nextArena(e) },
		rulebook.RunDefined:  (*effects).run}
}

// do carries out a list of effects for the present subject.
func (m *effects) do(list []rulebook.Effect) {
	for i := range list {
		if m.broken != "" {
			return
		}
		if m.budget--; m.budget < 0 {
			m.broken = effectBudgetWord
			return
		}
		doers[list[i].Verb](m, &list[i])
	}
}

func (m *effects) outNow(e *rulebook.Effect) {
	if r := m.creatureIn(e.Value); r != nil {
		m.creatures.creatureOut(r)
	} else if p := m.playerIn(e.Value); p != nil {
		m.motion.putOut(p)
	}
}

func (m *effects) spawnNow(e *rulebook.Effect) {
	if r := m.creatureIn(e.Value); r != nil {
		m.creatures.spawnCreature(r)
	} else if p := m.playerIn(e.Value); p != nil {
		m.motion.spawn(p)
	}
}

func (m *effects) give(e *rulebook.Effect) {
	if m.row == nil {
		return
	}
	b := &m.book.Bearers[e.No]
	id := sheet.ID(e.Value.Int(&m.env))
	if p := m.playing(id); p != nil {
		m.pieces.hold(b, id)
	} else if id == 0 && m.env.Fault == expr.OK {
		m.pieces.layDown(b)
	}
}

func (m *effects) removeNow(e *rulebook.Effect) {
	switch r := m.st.Get(sheet.ID(e.Value.Int(&m.env))); {
	case r == nil:
	case r.Kind == sheet.Piece:
		m.pieces.removePiece(r)
	case r.Kind == sheet.Creature:
		m.creatures.removeCreature(r)
	}
}

// run carries out effects with a name. While they last, arg is what they are called with.
func (m *effects) run(e *rulebook.Effect) {
	row, outer := m.frame(), m.env.Arg
	e.Run.Call.Put(&m.env, row)
	if m.faulty(e.Line); m.env.Fault == expr.OK {
		m.env.Arg = row
		m.do(e.Run.Of.Do)
		m.env.Arg = outer
	}
	m.depth--
}

func (m *effects) ifThen(e *rulebook.Effect) {
	if m.yes(e.Cond, e.Line) {
		m.do(e.Then)
	} else {
		m.do(e.Else)
	}
}

func (m *effects) goTo(e *rulebook.Effect) {
	if !m.InPlay() {
		return
	}
	next, ok := e.Go.To(&m.env, len(m.book.Phases))
	if m.faulty(e.Line); !ok {
		return
	}
	if m.toPhase = next; next == rulebook.EndOfMatch {
		m.ends.because = "the rules ended it"
	}
}

func (m *effects) saveNow(e *rulebook.Effect) {
	id := sheet.ID(e.Value.Int(&m.env)) // somebody in the lobby, too
	if r := m.st.Get(id); r != nil && r.Kind == sheet.Player && !m.kept.unkept {
		m.kept.save(r)
	}
}

func (m *effects) finishNow(e *rulebook.Effect) {
	if m.InPlay() {
		m.ends.wantFinish(e.Reason, e.Winner)
	}
}

// creatureIn evaluates to a creature, or nil.
func (m *effects) creatureIn(p *expr.Prog) *sheet.Row {
	if p.Type.Kind != sheet.Creature {
		return nil
	}
	if r := m.st.GetOr(sheet.ID(p.Int(&m.env)), sheet.Creature); r.ID != 0 {
		return r
	}
	return nil
}

// addTo adds to a field. What cannot be computed (division by zero, overflow) leaves it as it is, and so does a path
// that leads through nobody.
func (m *effects) addTo(e *rulebook.Effect) {
	r, f := e.Path.At(&m.env)
	m.env.Fault = expr.OK
	by := e.Value.Value(&m.env, f.Type).N[0]
	m.faulty(e.Line)
	switch {
	case r.ID == 0 || m.env.Fault != expr.OK:
	case r.Kind == sheet.Record:
		m.kept.change(r, f, step.ChangeAdd, sheet.IntValue(f.Type, by))
	default:
		m.st.SetInt(r, f, m.values.held(r, f, saturating(r.Int(f), by)))
	}
}

func (m *effects) resetTo(e *rulebook.Effect) {
	switch r, f := e.Path.At(&m.env); {
	case r.ID == 0:
	case r.Kind == sheet.Record:
		m.kept.change(r, f, step.ChangeSet, f.Start)
	default:
		m.values.arrive(r, f)
		m.st.Set(r, f, m.values.startOf(r, f))
	}
}

// setTo sets a field, as addTo adds to one.
func (m *effects) setTo(e *rulebook.Effect) {
	r, f := e.Path.At(&m.env)
	if r.ID == 0 {
		return
	}
	if f.Type == sheet.List {
		m.values.setList(e, r, f)
		return
	}
	m.env.Fault = expr.OK
	v := e.Value.Value(&m.env, f.Type)
	m.faulty(e.Line)
	if m.env.Fault != expr.OK {
		return
	}
	if f.Type == sheet.Text {
		v.S = sheet.Cut(v.S, int(f.Max))
	}
	if f.Limit > 0 && (f.Type == sheet.Integer || f.Type == sheet.Number) {
		v.N[0] = m.values.held(r, f, v.N[0])
	}
	switch {
	case r.Kind == sheet.Record:
		m.kept.change(r, f, step.ChangeSet, v)
	case f.Type == sheet.Clock:
		m.st.SetClock(r, f, sheet.Ticks(max(v.N[0], 0), m.book.Rate), r.N[f.Slot()+1], m.clockNow(f))
	case f == m.book.F.Player.Pos:
		m.motion.putDown(r, pointIn(v))
	case f == m.book.F.Piece.Pos:
		m.pieces.movePiece(r, pointIn(v))
	case f == m.book.F.Creature.Pos:
		putAt(m.st, r, f, m.creatures.inside(m.creature(r), pointIn(v)))
		m.startFrom(r)
	case e.Lasts != nil && m.values.glideTo(r, f, v.N[0], ticksOf(m.stage, e.Lasts, e.Line)):
	default:
		m.values.arrive(r, f)
		m.st.Set(r, f, v)
	}
}

// saturating adds within the range that every field's bounds lie in.
func saturating(a, b int64) int64 {
	const most = 1 << 53 * 1000
	b = min(max(b, -most), most)
	return min(max(a+b, -most), most)
}

// workClock starts, stops, resets or splits a clock.
func (m *effects) workClock(e *rulebook.Effect) {
	r, f := e.Path.At(&m.env)
	if r.ID == 0 {
		return
	}
	now := m.clockNow(f)
	rate := int64(1)
	if f.Down {
		rate = -1
	}
	shows := r.Clock(f, now)
	if e.Value != nil { // a length of its own
		m.env.Fault = expr.OK
		v := e.Value.Int(&m.env)
		if m.faulty(e.Line); m.env.Fault == expr.OK {
			m.st.SetClock(r, f, sheet.Ticks(min(max(v, 0), maxClock), m.book.Rate),
				rate*sheet.Bit(e.Verb != rulebook.ClockReset), now)
		}
		return
	}
	switch e.Verb {
	case rulebook.ClockStart:
		if r.N[f.Slot()+1] == 0 {
			m.st.SetClock(r, f, shows, rate, now)
		}
	case rulebook.ClockStop:
		if r.N[f.Slot()+1] != 0 {
			m.st.SetClock(r, f, shows, 0, now)
		}
	case rulebook.ClockReset:
		m.st.SetClock(r, f, m.values.startOf(r, f).N[0], 0, now)
	case rulebook.ClockRestart:
		m.st.SetClock(r, f, m.values.startOf(r, f).N[0], rate, now)
	}
	if e.Into != nil {
		if to, f := e.Into.At(&m.env); to.ID != 0 {
			m.st.SetInt(to, f, sheet.Millis(shows, m.book.Rate))
		}
	}
}

// tell sends a notice.
func (m *effects) tell(e *rulebook.Effect) {
	n := step.Notice{Notice: e.Notice, To: e.To}
	if e.Wrote {
		n.By = m.env.Me.ID
	}
	for i, p := range e.With {
		n.Values = append(n.Values, p.Value(&m.env, e.Notice.Fields[i].Type))
	}
	if e.Who == nil {
		m.tallied(func(t *Tally) { t.Notices[e.Notice.No]++ })
		m.out.Tell(n)
		return
	}
	for _, of := range m.whom(e) {
		n.Of = of.ID
		m.tallied(func(t *Tally) { t.Notices[e.Notice.No]++ })
		m.out.Tell(n)
	}
}

// whom are those whom an effect is for.
func (m *effects) whom(e *rulebook.Effect) []*sheet.Row {
	list := e.Who.Append(&m.env, nil)
	m.faulty(e.Line)
	return list
}

func (m *effects) changeKit(e *rulebook.Effect) {
	f := m.book.F.Player.Kits
	for _, r := range m.whom(e) {
		if m.playing(r.ID) == nil {
			continue
		}
		kits := r.Int(f)
		if e.Verb == rulebook.Grant {
			kits |= 1 << e.No
			m.tallied(func(t *Tally) { t.Kits[e.No]++ })
		} else {
			kits &^= 1 << e.No
		}
		m.st.SetInt(r, f, kits)
	}
}

// each does something for every sheet of a list, as it or by a name. Sheets that go while this is under way are left
// out.
func (m *effects) each(e *rulebook.Effect) {
	walked := &m.env.It
	if e.As != rulebook.AsIt {
		walked = &m.env.Named[e.As]
	}
	outer := *walked
	start := len(m.hits) // the list may change while it is walked
	var keep func(of, r *sheet.Row) bool
	of := m.env.Me
	if e.List != nil && e.List.Item != nil {
		m.eachValue(e, walked)
		*walked = outer
		return
	}
	if e.List != nil {
		m.hits = e.List.Append(&m.env, m.hits)
	} else {
		if keep = expr.Relation(e.Walk.String()); e.Walk.OfTeam() {
			of = m.env.Team
		}
		m.hits = append(m.hits, m.subjects(e.Walk.Over())...)
	}
	for i, end := start, len(m.hits); i < end; i++ {
		r := m.hits[i]
		if m.st.Get(r.ID) != r || keep != nil && !keep(of, r) {
			continue
		}
		*walked = r
		if e.Cond == nil || m.yes(e.Cond, e.Line) {
			m.do(e.Then)
		}
	}
	m.hits = m.hits[:start]
	*walked = outer
}

// eachValue does something for every value of a list, which stands in a row of its own meanwhile.
func (m *effects) eachValue(e *rulebook.Effect, walked **sheet.Row) {
	m.env.Fault = expr.OK
	list := e.List.Values(&m.env)
	if m.faulty(e.Line); m.env.Fault != expr.OK {
		return
	}
	row := m.frame()
	defer func() { m.depth-- }()
	texts := e.List.Item.Item == sheet.Text
	for _, item := range sheet.Items(list) {
		if m.env.Work.Done++; m.broken != "" {
			return
		}
		if row.S[0] = item; !texts {
			row.N[0], _ = sheet.NextItem(item)
		}
		*walked = row
		if e.Cond == nil || m.yes(e.Cond, e.Line) {
			m.do(e.Then)
		}
	}
}

// frame is a row that is free until who asked counts it back.
func (m *effects) frame() *sheet.Row {
	if m.depth == len(m.frames) {
		m.frames = append(m.frames, expr.NewFrame())
	}
	m.depth++
	return m.frames[m.depth-1]
}

// Allow begins a step: it gets its budget of effects and the memory of what was removed before it.
func (m *effects) Allow() {
	m.budget, m.env.Work.Done = effectBudget, 0
	m.st.Reuse()
}
