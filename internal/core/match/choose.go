package match

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

const (
	aimedTries = 3  // the same of those that take no arguments
	uses       = 40 // ways of using an action that are looked at before another action is
	blindly    = 8  // once in so many times nothing is looked at, so that refusals come too
)

// accepted makes the intent to use an action in a way that the rules would accept; false if none is found. Where a
// refusal would tell what the player may not see, it is not asked for.
func (w *Whim) accepted(me *sheet.Row, a *rulebook.Action, in *step.Input) bool {
	p := w.on.playing(me.ID)
	if p == nil {
		w.use(me, a, in)
		return true
	}
	if c, _ := w.acts.mayPlay(p, a.Also); c != code.OK {
		return false
	}
	if !w.acts.mayAct(p, a).OK() {
		return false
	}
	n := int64(1)
	if a.Aim.At != rulebook.AimSelf {
		n = aimedTries
	}
	for _, f := range a.Takes {
		n = min(n*ways(f), uses)
	}
	for range n {
		if w.use(me, a, in); a.Tells || w.acts.would(p, in) {
			return true
		}
	}
	return false
}

// ways is how often an argument is tried, beside those of others.
func ways(f *sheet.Field) int64 {
	switch {
	case f.Type == sheet.Flag:
		return 2
	case f.Type == sheet.Choice:
		return int64(len(f.Choices))
	case f.Type == sheet.Integer && f.Max-f.Min < uses:
		return f.Max - f.Min + 1
	}
	return uses
}

// would tells whether an action would be accepted, and leaves everything as it was.
func (m *acts) would(p *Player, in *step.Input) bool {
	tally, broken, done := m.tally, m.broken, m.env.Work.Done
	m.tally, m.trying = nil, true
	yes := m.Act(p, in).OK() && !m.env.Work.Over()
	m.tally, m.broken, m.env.Work.Done, m.trying, m.hits = tally, broken, done, false, m.hits[:0]
	return yes
}

// sent is the value of an argument: what the rulebook says that stand-ins send, or one at random.
func (w *Whim) sent(me *sheet.Row, a *rulebook.Action, f *sheet.Field, b *rulebook.Bound) sheet.Value {
	m := w.on
	if s := m.book.StandIns; s != nil && me != nil {
		for i := range s.Sends[a.No] {
			if x := &s.Sends[a.No][i]; x.Name == f.Name {
				m.subject(sheet.Player, me)
				chance := m.env.Random
				m.env.Random = func(_ uint32, n int64) int64 { return w.rand.Int64N(n) } // not the lobby's own
				v := x.Value(&m.env, f)
				m.env.Random = chance
				if m.faulty(s.Line); m.env.Fault == 0 {
					return v
				}
			}
		}
	}
	return w.Value(me, f, b)
}

// known is an integer within bounds that stands in a list of the player's, half of the time.
func (w *Whim) known(me *sheet.Row, f *sheet.Field) (n int64, is bool) {
	if me == nil || f.Type != sheet.Integer || w.rand.IntN(2) == 0 {
		return 0, false
	}
	seen := 0
	for _, g := range w.on.book.Schema.Fields(sheet.Player) {
		if g.Type != sheet.List || g.Item != sheet.Integer || g.See == sheet.RefereesOnly {
			continue
		}
		for s := me.Text(g); s != ""; {
			var item int64
			if item, s = sheet.NextItem(s); f.Clamp(item) == item {
				if seen++; w.rand.IntN(seen) == 0 { // each of them is as likely
					n, is = item, true
				}
			}
		}
	}
	return n, is
}
