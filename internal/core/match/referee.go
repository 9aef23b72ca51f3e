package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// decision is an action that waits for a referee.
type decision struct {
	Decision
	seq  uint64
	act  *rulebook.Action
	hits []sheet.ID
	args []Named
}

// warnReferee tells at the start of a match that nobody is there to decide.
func (m *Machine) warnReferee() {
	if m.referee {
		return
	}
	for _, a := range m.book.Actions {
		if a.Referee != nil {
			m.out.Notices = append(m.out.Notices, Notice{Notice: rulebook.NoRefereeNotice, Values: []sheet.Value{sheet.TextValue(a.Name)}})
			m.effect(Effect{Kind: Fault, Text: "the action " + a.Name + " asks a referee, and none is signed in"})
			return
		}
	}
}

// refereeOn notes whether a referee is signed in. One that has come, or come back,
// is offered what waits for a decision.
func (m *Machine) refereeOn(on bool) {
	m.referee = on
	for i := range m.run.decisions {
		if on {
			asked := m.run.decisions[i].Decision
			m.effect(Effect{Kind: AskReferee, Decision: &asked})
		}
	}
}

// ask offers an action to the referee. It is paid for now; the verdict is that
// it was taken for decision, and the decision itself follows as a notice.
func (m *Machine) ask(s *seat, a *rulebook.Action, in *Input, hits []*sheet.Row) Verdict {
	if !m.referee && !a.Referee.Accept {
		return Verdict{Code: code.NoReferee, Reason: "no referee is signed in to decide this"}
	}
	m.pay(s, a, -1)
	m.run.decisionNo++
	d := decision{act: a, seq: in.Seq, args: slices.Clone(in.Args)}
	d.Decision = Decision{No: m.run.decisionNo, Seat: s.row.ID, Target: in.Target, Action: a.Name, Until: m.play + max(a.Referee.Within, 1)}
	for _, h := range hits {
		d.hits = append(d.hits, h.ID)
	}
	if len(hits) > 0 {
		m.env.Target = hits[0]
		d.Target = hits[0].ID
	} else {
		m.env.Target = m.st.GetOr(0, sheet.Player)
	}
	for _, t := range a.Referee.Tell {
		v := t.Is.Value(&m.env, t.Is.Type.Of)
		d.Tell = append(d.Tell, Named{t.Name, v})
	}
	m.hits = m.hits[:0]
	m.run.decisions = append(m.run.decisions, d)
	if m.referee {
		asked := d.Decision
		m.effect(Effect{Kind: AskReferee, Decision: &asked})
	}
	return Verdict{}
}

// answer applies a referee's word.
func (m *Machine) answer(in *Input) {
	i := slices.IndexFunc(m.run.decisions, func(d decision) bool { return d.No == in.N })
	if i < 0 || !m.inPlay() {
		m.verdict(Verdict{Code: code.NoDecision, Reason: "no decision with this number is waiting; it may have run out"})
		return
	}
	m.decide(i, in.Yes)
	m.verdict(Verdict{})
}

// overdueDecisions applies what the rulebook says where no answer came in time.
func (m *Machine) overdueDecisions() {
	for len(m.run.decisions) > 0 && m.run.decisions[0].Until <= m.play {
		m.decide(0, m.run.decisions[0].act.Referee.Accept)
	}
}

// decide carries a decision out.
func (m *Machine) decide(i int, yes bool) {
	d := m.run.decisions[i]
	m.run.decisions = slices.Delete(m.run.decisions, i, i+1)
	s := m.seat(d.Seat)
	if s == nil || !s.row.Flag(m.book.F.Player.Playing) {
		return
	}
	m.subject(sheet.Player, s.row)
	m.arguments(d.act, &Input{Args: d.args})
	if yes {
		m.hits = m.hits[:0]
		for _, id := range d.hits {
			if r := m.st.Get(id); r != nil {
				m.hits = append(m.hits, r)
			}
		}
		m.perform(s, d.act, m.hits)
	} else {
		m.pay(s, d.act, 1)
	}
	m.out.Notices = append(m.out.Notices, Notice{Notice: rulebook.DecidedNotice, To: sheet.OwnerOnly, Of: d.Seat,
		Values: []sheet.Value{sheet.TextValue(d.Action), sheet.IntValue(sheet.Integer, int64(d.seq)), sheet.IntValue(sheet.Flag, b2i(yes))}})
}
