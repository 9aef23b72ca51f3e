package match

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// referee is what a referee decides and does, and what is set by hand.
type referee struct {
	*stage
	acts   *acts
	motion *motion
	values *values
}

// decision is an action that waits for a referee.
type decision struct {
	step.Decision
	seq  uint64
	act  *rulebook.Action
	hits []sheet.ID
	args []step.Named
	way  [expr.AimSlots]int64 // of the aim
}

// warnReferee tells at the start of a match that nobody is there to decide.
func (m *referee) warnReferee() {
	if m.acts.referee {
		return
	}
	for _, a := range m.book.Actions {
		if a.Referee != nil {
			m.out.Tell(step.Notice{Notice: rulebook.NoRefereeNotice, Values: []sheet.Value{sheet.TextValue(a.Name)}})
			m.out.Do(step.Effect{Kind: step.Unmanned,
				Text: "the action " + a.Name + " asks a referee, and none is signed in"})
			return
		}
	}
}

// RefereeOn notes whether a referee is signed in. One that has come, or come back, is offered what waits for a
// decision.
func (m *referee) RefereeOn(on bool) {
	m.acts.referee = on
	for i := range m.acts.decisions {
		if on {
			asked := m.acts.decisions[i].Decision
			m.out.Do(step.Effect{Kind: step.AskReferee, Decision: &asked})
		}
	}
}

// Answer applies a referee's word on the decision with that number, and what it says with it.
func (m *referee) Answer(no int64, yes bool, args []step.Named) step.Verdict {
	i := slices.IndexFunc(m.acts.decisions, func(d decision) bool { return d.No == no })
	if i < 0 || !m.InPlay() {
		return step.Verdict{Code: code.NoDecision,
			Reason: "no decision with this number is pending; its time may be up"}
	}
	r := m.acts.decisions[i].act.Referee
	m.acts.clearArgs()
	if v := m.acts.accept(m.playing(m.acts.decisions[i].Seat), "the answer", r.Answers, r.Bounds,
		args); yes && !v.OK() {
		return v
	}
	if !yes {
		m.acts.clearArgs()
	}
	m.decide(i, yes)
	return step.Verdict{}
}

// Deciding is the action that waits for a decision with that number, or nil.
func (m *referee) Deciding(no int64) *rulebook.Action {
	for i := range m.acts.decisions {
		if m.acts.decisions[i].No == no {
			return m.acts.decisions[i].act
		}
	}
	return nil
}

// RefereeAct does what a referee may do of its own accord.
func (m *referee) RefereeAct(in *step.Input) step.Verdict {
	var a *rulebook.Action
	if m.book.Referee != nil {
		a = m.book.Referee.Act(in.Name)
	}
	switch {
	case a == nil:
		return step.Verdict{Code: code.NoAction, Reason: fmt.Sprintf("a referee has no act %q", in.Name)}
	case a.Phases != ^uint64(0) && !m.InPlay():
		return step.Verdict{Code: code.NotNow, Reason: a.Title + " belongs into a match, and none is running"}
	case m.InPlay() && a.Phases&(1<<m.phase) == 0:
		return step.Verdict{Code: code.NotNow, Reason: a.Title + " may not be done in the phase " +
			m.book.Phases[m.phase].Title}
	}
	m.subject(sheet.Match, m.env.Match)
	m.acts.clearArgs()
	if v := m.acts.accept(nil, a.Title, a.Takes, a.Bounds, in.Args); !v.OK() {
		return v
	}
	if a.If != nil && !m.yes(a.If, a.Line) {
		return step.Verdict{Code: code.Condition, Reason: or(a.Else, a.Title+" cannot be done as things are")}
	}
	m.tallied(func(t *Tally) { t.Acts[a.No]++ })
	m.do(a.Do)
	return step.Verdict{}
}

// RefereeSet sets a field that the rulebook leaves to referees.
func (m *referee) RefereeSet(in *step.Input) step.Verdict {
	r := m.st.Get(in.Target)
	if r == nil {
		return step.Verdict{Code: code.NoField, Reason: fmt.Sprintf("there is no sheet %d", in.Target)}
	}
	f := m.book.Schema.Field(r.Kind, in.Name)
	if f == nil || m.book.Referee == nil ||
		!slices.Contains(m.book.Referee.Sets, rulebook.Settable{Kind: r.Kind, Field: f}) {
		return step.Verdict{Code: code.NoField,
			Reason: fmt.Sprintf("the %s sheet has no field %q that referees may set", r.Kind, in.Name)}
	}
	if v := m.maySet(f, in.Value); !v.OK() {
		return v
	}
	m.setNow(r, f, in.Value)
	return step.Verdict{}
}

// overdueDecisions applies what the rulebook says where no answer came in time.
func (m *referee) overdueDecisions() {
	for i := 0; i < len(m.acts.decisions); i++ {
		if d := &m.acts.decisions[i]; d.Until <= m.play {
			m.acts.clearArgs()
			m.decide(i, d.act.Referee.Accept)
			i--
		}
	}
}

// decide carries a decision out, with what the referee has said where expressions find it.
func (m *referee) decide(i int, yes bool) {
	d := m.acts.decisions[i]
	m.acts.decisions = slices.Delete(m.acts.decisions, i, i+1)
	s := m.playing(d.Seat)
	if s == nil || !s.Row.Flag(m.book.F.Player.Playing) {
		return
	}
	m.subject(sheet.Player, s.Row)
	copy(m.env.Aim.N, d.way[:])
	for _, given := range d.args { // as they were taken, wherever everybody is now
		for _, f := range d.act.Takes {
			if f.Name == given.Name {
				m.env.Arg.Put(f, given.Value)
			}
		}
	}
	if yes {
		m.hits = m.hits[:0]
		for _, id := range d.hits {
			if r := m.st.Get(id); r != nil {
				m.hits = append(m.hits, r)
			}
		}
		m.acts.perform(s, d.act, 0)
	} else {
		m.acts.pay(s, d.act, 1, false)
		m.do(d.act.Referee.Refused)
	}
	m.out.Tell(step.Notice{
		Notice: rulebook.DecidedNotice,
		To:     sheet.OwnerOnly,
		Of:     d.Seat,
		Values: []sheet.Value{sheet.TextValue(d.Action), sheet.IntValue(sheet.Integer, int64(d.seq)),
			sheet.IntValue(sheet.Flag, sheet.Bit(yes))},
	})
}
