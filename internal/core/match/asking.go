package match

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
)

// ask offers an action to the referee. It is paid for now; the verdict is that it was taken for decision, and the
// decision itself follows as a notice.
func (m *acts) ask(s *Player, a *rulebook.Action, in *step.Input, hits []*sheet.Row) step.Verdict {
	if !m.referee && !a.Referee.Accept {
		return step.Verdict{Code: code.NoReferee, Reason: "no referee is signed in to decide this"}
	}
	m.pay(s, a, -1, false)
	m.decisionNo++
	d := decision{act: a, seq: in.Seq, args: slices.Clone(in.Args)}
	d.Decision = step.Decision{No: m.decisionNo, Seat: s.Row.ID, Target: in.Target, Action: a.Name,
		Until: m.play + max(a.Referee.Within, 1)}
	for _, h := range hits {
		d.hits = append(d.hits, h.ID)
	}
	copy(d.way[:], m.env.Aim.N)
	m.env.Target = m.st.GetOr(0, sheet.Player)
	if len(hits) > 0 {
		m.env.Target = m.st.GetOr(hits[0].ID, sheet.Player) // what is told is said of players
		d.Target = hits[0].ID
	}
	for _, t := range a.Referee.Tell {
		v := t.Is.Value(&m.env, t.Is.Type.Of)
		d.Tell = append(d.Tell, step.Named{Name: t.Name, Value: v})
	}
	m.hits = m.hits[:0]
	m.decisions = append(m.decisions, d)
	if m.referee {
		asked := d.Decision
		m.out.Do(step.Effect{Kind: step.AskReferee, Decision: &asked})
	}
	return step.Verdict{Waits: true}
}

func (m *acts) walkDecisions(w *state.Walk) {
	state.List(w, "decisions", &m.decisions, func(d *decision) { m.walkDecision(w, d) })
	state.Int(w, "decision no", &m.decisionNo)
}

func (m *acts) walkDecision(w *state.Walk, d *decision) {
	state.Int(w, "no", &d.No)
	state.Int(w, "seat", &d.Seat)
	state.Int(w, "target", &d.Target)
	state.Text(w, "action", &d.Action)
	m.walkNamed(w, "tell", &d.Tell)
	state.Int(w, "until", &d.Until)
	state.Int(w, "seq", &d.seq)
	state.Ints(w, "hits", &d.hits)
	m.walkNamed(w, "args", &d.args)
	slots := []int{0, 1, 3, 4, 6, 7, 2, 5, 8} // of x and y, and then of z
	if !m.book.Schema.Deep {
		slots = slots[:6]
	}
	for i, slot := range slots {
		state.Int(w, fmt.Sprintf("way %d", i), &d.way[slot])
	}
	if m.book.Met {
		state.Int(w, "met", &d.way[expr.AimMet.Slot()])
	}
	name := ""
	if d.act != nil {
		name = d.act.Name
	}
	if state.Text(w, "act", &name); w.Restoring() && !w.Failed() {
		if d.act = m.book.ActionNamed[name]; d.act == nil || d.act.Referee == nil {
			w.Fail("a decision on %q, which is no action for a referee", name)
		}
	}
}
