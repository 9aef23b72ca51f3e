package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
)

// windup is an action that has been accepted, and is done when its time has passed.
type windup struct {
	of     sheet.ID
	action int
	at     aimed
	args   []step.Named
}

// windUp begins an action that takes a while before it is done.
func (m *acts) windUp(s *Player, a *rulebook.Action, in *step.Input) {
	m.unwind(s.Row.ID, a)
	m.windups = append(m.windups, windup{s.Row.ID, a.No, pointed(in),
		slices.Clone(in.Args)})
	if ticks := ticksOf(m.stage, a.Lasts, a.Line); ticks > 0 {
		m.st.SetClock(s.Row, a.Active, ticks, -1, m.play)
	} else {
		m.strike(s, a, true)
	}
}

// unwind forgets what a player has wound up for with an action, and returns it.
func (m *acts) unwind(of sheet.ID, a *rulebook.Action) (w windup, is bool) {
	i := slices.IndexFunc(m.windups, func(w windup) bool { return w.of == of && w.action == a.No })
	if i < 0 {
		return w, false
	}
	w = m.windups[i]
	m.windups = slices.Delete(m.windups, i, i+1)
	return w, true
}

// strike does what a player has wound up for, where its time has come and it still may be done.
func (m *acts) strike(s *Player, a *rulebook.Action, inTime bool) {
	w, is := m.unwind(s.Row.ID, a)
	if !is || !inTime {
		return
	}
	if len(a.Takes) > 0 {
		m.clearArgs()
		if !m.accept(s, a.Title, a.Takes, a.Bounds, w.args).OK() {
			return // somebody whom it names has gone
		}
	}
	if a.If != nil && !m.yes(a.If, a.Line) {
		return
	}
	start := len(m.hits)
	if a.Aim.At != rulebook.AimSelf && !m.aims.aim(s.Row, a, w.at).OK() {
		m.hits = m.hits[:start]
	}
	m.perform(s, a, start)
}

func (m *acts) walkWindups(w *state.Walk) {
	state.List(w, "windups", &m.windups, func(x *windup) {
		state.Int(w, "of", &x.of)
		state.Int(w, "action", &x.action)
		state.Int(w, "target", &x.at.target)
		state.Int(w, "x", &x.at.at.X)
		state.Int(w, "y", &x.at.at.Y)
		if m.book.Schema.Deep {
			state.Int(w, "z", &x.at.at.Z)
		}
		state.Bool(w, "point", &x.at.point)
		m.walkNamed(w, "args", &x.args)
		if w.Restoring() && !w.Failed() && (x.action < 0 || x.action >= len(m.book.Actions)) {
			w.Fail("a wind-up of an action that there is not")
		}
	})
}
