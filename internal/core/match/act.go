package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// acts is what players ask for: actions, what they need and cost, and those that last.
type acts struct {
	*stage
	aims  *aims
	kept  *kept
	turns *turns

	referee    bool // one is signed in
	trying     bool // nothing is done
	decisions  []decision
	decisionNo int64
	windups    []windup
}

// mayPlay tells whether a player may act or steer now.
func (m *acts) mayPlay(s *Player, also rulebook.Also) (code.Code, string) {
	f := &m.book.F.Player
	switch {
	case m.row == nil && also&rulebook.AlsoLobby == 0:
		return code.NotNow, "no match is running"
	case m.over && also&rulebook.AlsoResult == 0:
		return code.NotNow, "the match is over"
	case !s.Row.Flag(f.Loaded):
		return code.Loading, "your record is still being loaded"
	case m.row == nil || m.over:
		return code.OK, ""
	case !s.Row.Flag(f.Playing):
		return code.NotPlaying, "you take no part in this match"
	case f.Benched != nil && m.benched(s.Row):
		return code.Benched, "you are on the bench"
	case f.Frozen != nil && m.frozen(s.Row) > 0:
		left := sheet.FormatClock(sheet.Millis(m.frozen(s.Row), m.book.Rate))
		return code.Stunned, "your inputs are blocked for " + left
	case !m.playRuns() && also&rulebook.AlsoPause == 0:
		return code.Paused, "play is paused"
	}
	return code.OK, ""
}

// Act answers the use of an action. One whose cost is certain is answered with code.Charging first, and then by
// Charged.
func (m *acts) Act(s *Player, in *step.Input) step.Verdict {
	a := m.book.ActionNamed[in.Name]
	if a == nil {
		return step.Verdict{Code: code.NoAction, Reason: fmt.Sprintf("there is no action %q", in.Name)}
	}
	if c, why := m.mayPlay(s, a.Also); c != code.OK {
		return step.Verdict{Code: c, Reason: why}
	}
	if v := m.mayAct(s, a); v.Code != code.OK {
		return v
	}
	paid := in.N > 0
	m.subject(sheet.Player, s.Row)
	if len(a.Takes)+len(in.Args) > 0 {
		m.clearArgs()
		if v := m.accept(s, a.Title, a.Takes, a.Bounds, in.Args); v.Code != code.OK {
			return v
		}
	}
	if a.If != nil && !m.yes(a.If, a.Line) {
		return step.Verdict{Code: code.Condition, Reason: or(a.Else, a.Title+" cannot be used as things are")}
	}
	if !a.Free {
		if v := m.affords(s, a, paid); v.Code != code.OK {
			return v
		}
	}
	m.hits = m.hits[:0]
	if a.Aim.At != rulebook.AimSelf {
		if v := m.aims.aim(s.Row, a, pointed(in)); v.Code != code.OK {
			return v
		}
	}
	if m.trying {
		return step.Verdict{}
	}
	if a.Referee != nil {
		return m.ask(s, a, in, m.hits)
	}
	if a.Certain && !paid && !m.practice() && s.Row.Text(m.book.F.Player.Account) != "" {
		return m.kept.charge(s, a)
	}
	if !a.Free {
		m.pay(s, a, -1, paid)
	}
	if a.Windup {
		m.hits = m.hits[:0]
		m.windUp(s, a, in)
	} else {
		m.perform(s, a, 0)
	}
	return step.Verdict{}
}

// mayAct checks what does not depend on the target or the arguments.
func (m *acts) mayAct(s *Player, a *rulebook.Action) step.Verdict {
	f := &m.book.F.Player
	phase := m.book.Phases[m.phase]
	switch {
	case !m.InPlay():
	case phase.Frozen && a.Also&rulebook.AlsoFrozen == 0:
		return step.Verdict{Code: code.Frozen, Reason: "actions are not accepted in the phase " + phase.Title}
	case a.Phases&(1<<m.phase) == 0:
		return step.Verdict{Code: code.NotNow, Reason: a.Title + " may not be used in the phase " + phase.Title}
	}
	if m.book.Turns != nil && !a.AnyTurn && !m.over {
		if v := m.turns.inTurn(s); v.Code != code.OK {
			return v
		}
	}
	has := false
	for i := range m.book.Kits {
		k := &m.book.Kits[i]
		given := s.Row.Int(f.Kits)&(1<<i) != 0 || m.row == nil && k.Start
		has = has || given && k.Actions&(1<<a.No) != 0
	}
	switch {
	case !has:
		return step.Verdict{Code: code.NoKit, Reason: "you have no kit with " + a.Title}
	case m.InPlay() && !a.Out && !s.Row.Flag(f.Alive):
		return step.Verdict{Code: code.Out, Reason: "you are out"}
	}
	if a.Cool != nil {
		if left := s.Row.Clock(a.Cool, m.play); left > 0 {
			ms := sheet.Millis(left, m.book.Rate)
			return step.Verdict{Code: code.Cooldown, Reason: a.Title + " is ready again in " + sheet.FormatClock(ms),
				Left: ms}
		}
	}
	if a.Active != nil && m.isActive(s.Row, a) {
		return step.Verdict{Code: code.Active, Reason: a.Title + " is still going on"}
	}
	return step.Verdict{}
}

// affords checks needs and costs against the player's fields; of what is paid already, not the costs of the record.
func (m *acts) affords(s *Player, a *rulebook.Action, paid bool) step.Verdict {
	for n, list := range [2][]rulebook.Amount{a.Needs, a.Cost} {
		for i := range list {
			if paid && list[i].Record && n == 1 {
				continue
			}
			row, f := list[i].At.At(&m.env)
			want := list[i].By.Value(&m.env, f.Type).N[0]
			m.faulty(a.Line)
			if m.env.Fault != expr.OK {
				return step.Verdict{Code: code.Condition,
					Reason: "what it costs cannot be computed: " + m.env.Fault.String()}
			}
			if want < 0 {
				return step.Verdict{Code: code.Condition, Reason: fmt.Sprintf("%s comes out at %s %s: nothing costs "+
					"or needs less than nothing", a.Title, sheet.IntValue(f.Type, want).Show(f, 0, 0), f.Name)}
			}
			if have := row.Int(f); have < want {
				return step.Verdict{Code: code.TooLittle, Reason: fmt.Sprintf("%s takes %s %s, you have %s", a.Title,
					sheet.IntValue(f.Type, want).Show(f, 0, 0), f.Name, sheet.IntValue(f.Type, have).Show(f, 0, 0))}
			}
		}
	}
	return step.Verdict{}
}

// pay takes the cost (sign -1) and starts the cooldown, or gives it back (+1); of what is paid already, not the costs
// of the record.
func (m *acts) pay(s *Player, a *rulebook.Action, sign int64, paid bool) {
	for i := range a.Cost {
		if paid && a.Cost[i].Record {
			continue
		}
		row, f := a.Cost[i].At.At(&m.env)
		by := sign * a.Cost[i].By.Value(&m.env, f.Type).N[0]
		if a.Cost[i].Record {
			m.kept.change(row, f, step.ChangeAdd, sheet.IntValue(f.Type, by))
		} else {
			m.st.SetInt(row, f, saturating(row.Int(f), by))
		}
	}
	if a.Cool != nil && sign < 0 {
		m.st.SetClock(s.Row, a.Cool, ticksOf(m.stage, a.Cooldown, a.Line), -1, m.play)
	}
}

// perform does what an action does, for each of the hits from a place on; s is nil for the act of a creature.
func (m *acts) perform(s *Player, a *rulebook.Action, start int) {
	if a.Active != nil && !a.Windup {
		m.st.SetClock(s.Row, a.Active, ticksOf(m.stage, a.Lasts, a.Line), -1, m.play)
	}
	if a.Aim.At == rulebook.AimSelf {
		m.do(a.Do)
		return
	}
	hit := len(m.hits)
	for i := start; i < hit; i++ {
		t := m.hits[i]
		if m.st.Get(t.ID) != t {
			continue
		}
		m.env.Target = t
		switch t.Kind {
		case sheet.Creature:
			m.do(a.Creature)
		case sheet.Piece:
			m.do(a.Piece)
		default:
			m.do(a.Do)
		}
	}
	m.env.Target = nil
	if hit == start {
		m.do(a.Miss)
	}
	m.hits = m.hits[:start]
}

// StopAction answers the end of a held action.
func (m *acts) StopAction(s *Player, name string) step.Verdict {
	a := m.book.ActionNamed[name]
	switch {
	case a == nil:
		return step.Verdict{Code: code.NoAction, Reason: fmt.Sprintf("there is no action %q", name)}
	case !a.Held || a.Active == nil:
		return step.Verdict{Code: code.NotNow, Reason: a.Title + " is not one that is held"}
	case !m.InPlay() || !m.isActive(s.Row, a):
		return step.Verdict{} // it is over already, which is what was asked for
	}
	m.endAction(s, a, false) // in a pause too: whoever lets go of it holds it no more
	return step.Verdict{}
}

// endAction ends what lasts, in time or before it.
func (m *acts) endAction(s *Player, a *rulebook.Action, inTime bool) {
	m.st.SetClock(s.Row, a.Active, 0, 0, m.play)
	m.subject(sheet.Player, s.Row)
	if a.Windup {
		m.strike(s, a, inTime)
		return
	}
	m.do(a.End)
}

// endActions ends the lasting actions whose time is over.
func (m *acts) endActions() {
	if !m.book.Lasting {
		return
	}
	for _, a := range m.book.Actions {
		if a.Active == nil {
			continue
		}
		for _, s := range m.players {
			if s.Row.Flag(m.book.F.Player.Playing) && m.isActive(s.Row, a) && s.Row.Clock(a.Active, m.play) == 0 {
				m.endAction(s, a, true)
			}
		}
	}
}

// frozen is how long a player's inputs are still not taken, in ticks.
func (m *acts) frozen(p *sheet.Row) int64 {
	if f := m.book.F.Player.Frozen; f != nil {
		return p.Clock(f, m.play)
	}
	return 0
}

// endAllActions ends what a player has going on, whatever is at hand.
func (m *acts) endAllActions(s *Player) {
	was := m.env
	for _, a := range m.book.Actions {
		if a.Active != nil && m.isActive(s.Row, a) {
			m.endAction(s, a, false)
		}
	}
	m.env.Me, m.env.Team, m.env.Target, m.env.It = was.Me, was.Team, was.Target, was.It
	m.env.Piece, m.env.Being, m.env.Zone = was.Piece, was.Being, was.Zone
}
