package match

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// intent answers what a seat asks for. A number that was answered before is
// answered again and nothing is done twice.
func (m *Machine) intent(in *Input) {
	s := m.seat(in.Seat)
	if s == nil {
		m.verdict(Verdict{Seat: in.Seat, Seq: in.Seq, Code: code.NoSeat, Reason: "there is no such seat in this lobby"})
		return
	}
	if in.Seq > 0 && in.Seq <= s.lastSeq {
		v := s.answers[in.Seq%remembered]
		if v.Seq != in.Seq {
			v = Verdict{Seat: in.Seat, Seq: in.Seq, Code: code.OldIntent, Reason: "this intent is too old to be answered again", At: m.tick}
		}
		m.out.Verdicts = append(m.out.Verdicts, v)
		return
	}
	row := s.row
	v := m.grant(s, in)
	v.Seat, v.Seq, v.At = row.ID, in.Seq, m.tick
	if in.Seq > 0 {
		if s.answers == nil {
			s.answers = make([]Verdict, remembered)
		}
		s.lastSeq, s.answers[in.Seq%remembered] = in.Seq, v
	}
	m.out.Verdicts = append(m.out.Verdicts, v)
}

func (m *Machine) grant(s *seat, in *Input) Verdict {
	switch in.Verb {
	case VerbAct:
		return m.act(s, in)
	case VerbStop:
		return m.stopAction(s, in.Name)
	case VerbSteer:
		return m.steer(s, in)
	case VerbClaim:
		return m.claim(s, in)
	case VerbReady, VerbUnready:
		return m.setReady(s, in.Verb == VerbReady)
	case VerbRename:
		return m.rename(s, in.Text)
	case VerbTeam:
		return m.changeTeam(s, in)
	case VerbStart:
		return m.hostStarts(s)
	case VerbPause:
		return m.askPause(s)
	case VerbResume:
		return m.askResume(s)
	case VerbKick:
		return m.kick(s, in.Target)
	case VerbHandOver:
		return m.handOver(s, in.Target)
	case VerbSettings:
		return m.settings(s, in)
	case VerbBan:
		return m.ban(s, in.Target)
	case VerbUnban:
		return m.unban(s, in.Text)
	case VerbSwap:
		return m.swap(s, in.Target)
	case VerbShuffle:
		return m.shuffle(s)
	case VerbSet:
		if !m.hostIs(s) {
			return Verdict{Code: code.NotHost, Reason: "only the host sets fields by hand"}
		}
		return m.setField(in)
	}
	return Verdict{Code: code.NoVerb, Reason: fmt.Sprintf("there is no intent %q", in.Verb)}
}

// ready tells whether a player may act or steer now.
func (m *Machine) mayPlay(s *seat) (code.Code, string) {
	f := &m.book.F.Player
	switch {
	case m.State() != rulebook.Playing:
		return code.NotNow, "no match is running"
	case m.run.over:
		return code.NotNow, "the match is over"
	case !s.row.Flag(f.Loaded):
		return code.Loading, "your record is still being loaded"
	case !s.row.Flag(f.Playing):
		return code.NotPlaying, "you take no part in this match"
	case !m.playRuns():
		return code.Paused, "play is paused"
	}
	return code.OK, ""
}

// act answers the use of an action.
func (m *Machine) act(s *seat, in *Input) Verdict {
	a := m.acts[in.Name]
	if a == nil {
		return Verdict{Code: code.NoAction, Reason: fmt.Sprintf("there is no action %q", in.Name)}
	}
	if c, why := m.mayPlay(s); c != code.OK {
		return Verdict{Code: c, Reason: why}
	}
	if v := m.mayAct(s, a); v.Code != code.OK {
		return v
	}
	m.subject(sheet.Player, s.row)
	if v := m.arguments(a, in); v.Code != code.OK {
		return v
	}
	if a.If != nil && !a.If.Bool(&m.env) {
		return Verdict{Code: code.Condition, Reason: "its condition does not hold: " + a.If.Source}
	}
	if v := m.affords(s, a); v.Code != code.OK {
		return v
	}
	hits, v := m.aim(s, a, in)
	if v.Code != code.OK {
		return v
	}
	if a.Referee != nil {
		return m.ask(s, a, in, hits)
	}
	m.pay(s, a, -1)
	m.perform(s, a, hits)
	return Verdict{}
}

// mayAct checks what does not depend on the target or the arguments.
func (m *Machine) mayAct(s *seat, a *rulebook.Action) Verdict {
	f := &m.book.F.Player
	phase := m.book.Phases[m.run.phase]
	if a.Phases&(1<<m.run.phase) == 0 {
		if phase.Frozen {
			return Verdict{Code: code.Frozen, Reason: "no actions are taken in the phase " + phase.Title}
		}
		return Verdict{Code: code.NotNow, Reason: a.Title + " may not be used in the phase " + phase.Title}
	}
	has := false
	for i := range m.book.Kits {
		has = has || s.row.Int(f.Kits)&(1<<i) != 0 && m.book.Kits[i].Actions&(1<<a.No) != 0
	}
	switch {
	case !has:
		return Verdict{Code: code.NoKit, Reason: "you have no kit with " + a.Title}
	case !a.Out && !s.row.Flag(f.Alive):
		return Verdict{Code: code.Out, Reason: "you are out"}
	}
	if a.Cool != nil {
		if left := s.row.Clock(a.Cool, m.play); left > 0 {
			ms := sheet.Millis(left, m.book.Rate)
			return Verdict{Code: code.Cooldown, Reason: a.Title + " is ready again in " + sheet.FormatClock(ms), Left: ms}
		}
	}
	if a.Active != nil && m.isActive(s.row, a) {
		return Verdict{Code: code.Active, Reason: a.Title + " is still going on"}
	}
	return Verdict{}
}

// arguments puts the values sent along where expressions find them.
func (m *Machine) arguments(a *rulebook.Action, in *Input) Verdict {
	for i, f := range a.Takes {
		at := slices.IndexFunc(in.Args, func(n Named) bool { return n.Name == f.Name })
		if at < 0 {
			return Verdict{Code: code.BadArgument, Reason: "the value " + f.Name + " is missing"}
		}
		v := in.Args[at].Value
		switch {
		case v.Type != f.Type:
			return Verdict{Code: code.BadArgument, Reason: fmt.Sprintf("%s must be of type %s", f.Name, f.Type)}
		case f.Bounded && f.Clamp(v.N[0]) != v.N[0]:
			return Verdict{Code: code.BadArgument, Reason: fmt.Sprintf("%s must be from %s to %s", f.Name,
				sheet.IntValue(f.Type, f.Min).Show(f, m.book.Rate, 0), sheet.IntValue(f.Type, f.Max).Show(f, m.book.Rate, 0))}
		case !m.fits(f, v), f.Type == sheet.Ref && m.st.GetOr(sheet.ID(v.N[0]), f.Of).ID == 0:
			return Verdict{Code: code.BadArgument, Reason: f.Name + " is not one of what there is"}
		}
		m.env.Args[i] = v.N[0]
	}
	return Verdict{}
}

// affords checks needs and costs against the player's fields.
func (m *Machine) affords(s *seat, a *rulebook.Action) Verdict {
	for _, list := range [2][]rulebook.Amount{a.Needs, a.Cost} {
		for i := range list {
			f := list[i].Field
			want := list[i].By.Value(&m.env, f.Type).N[0]
			if m.env.Fault != expr.OK {
				return Verdict{Code: code.Condition, Reason: "what it costs cannot be computed: " + m.env.Fault.String()}
			}
			if have := s.row.Int(f); have < want {
				return Verdict{Code: code.TooLittle, Reason: fmt.Sprintf("%s takes %s %s, you have %s", a.Title,
					sheet.IntValue(f.Type, want).Show(f, 0, 0), f.Name, sheet.IntValue(f.Type, have).Show(f, 0, 0))}
			}
		}
	}
	return Verdict{}
}

// pay takes the cost (sign -1) and starts the cooldown, or gives it back (+1).
func (m *Machine) pay(s *seat, a *rulebook.Action, sign int64) {
	for i := range a.Cost {
		f := a.Cost[i].Field
		m.st.SetInt(s.row, f, saturating(s.row.Int(f), sign*a.Cost[i].By.Value(&m.env, f.Type).N[0]))
	}
	if a.Cool != nil && sign < 0 {
		m.st.SetClock(s.row, a.Cool, int64(a.Cooldown), -1, m.play)
	}
}

// perform does what the action does, for each one hit.
func (m *Machine) perform(s *seat, a *rulebook.Action, hits []*sheet.Row) {
	if a.Active != nil {
		m.st.SetClock(s.row, a.Active, int64(a.Lasts), -1, m.play)
	}
	if a.Aim.At == rulebook.AimSelf {
		m.do(a.Do)
		return
	}
	for _, t := range hits {
		if m.st.Get(t.ID) == t {
			m.env.Target = t
			m.do(a.Do)
		}
	}
	m.env.Target = nil
	if len(hits) == 0 {
		m.do(a.Miss)
	}
	m.hits = m.hits[:0]
}

// isActive tells whether a lasting action is under way.
func (m *Machine) isActive(p *sheet.Row, a *rulebook.Action) bool {
	return p.N[a.Active.Slot()+1] != 0
}

// stopAction answers the end of a held action.
func (m *Machine) stopAction(s *seat, name string) Verdict {
	a := m.acts[name]
	switch {
	case a == nil:
		return Verdict{Code: code.NoAction, Reason: fmt.Sprintf("there is no action %q", name)}
	case !a.Held || a.Active == nil:
		return Verdict{Code: code.NotNow, Reason: a.Title + " is not one that is held"}
	case !m.inPlay() || !m.isActive(s.row, a):
		return Verdict{} // it is over already, which is what was asked for
	case !m.playRuns():
		return Verdict{Code: code.Paused, Reason: "play is paused"}
	}
	m.endAction(s, a)
	return Verdict{}
}

func (m *Machine) endAction(s *seat, a *rulebook.Action) {
	m.st.SetClock(s.row, a.Active, 0, 0, m.play)
	m.subject(sheet.Player, s.row)
	m.do(a.End)
}

// endActions ends the lasting actions whose time is over.
func (m *Machine) endActions() {
	if !m.book.Lasting {
		return
	}
	for _, a := range m.book.Actions {
		if a.Active == nil {
			continue
		}
		for _, s := range m.seats {
			if s.row.Flag(m.book.F.Player.Playing) && m.isActive(s.row, a) && s.row.Clock(a.Active, m.play) == 0 {
				m.endAction(s, a)
			}
		}
	}
}
