package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// do carries out a list of effects for the present subject.
func (m *Machine) do(list []rulebook.Effect) {
	for i := range list {
		if m.run.broken != "" {
			return
		}
		if m.budget--; m.budget < 0 {
			m.run.broken = "one input or tick led to more than 200000 effects"
			return
		}
		m.carryOut(&list[i])
	}
}

func (m *Machine) carryOut(e *rulebook.Effect) {
	switch e.Verb {
	case rulebook.Add, rulebook.Set, rulebook.ResetField:
		m.write(e)
	case rulebook.ClockStart, rulebook.ClockStop, rulebook.ClockReset, rulebook.ClockRestart, rulebook.ClockSplit:
		m.workClock(e)
	case rulebook.Out:
		if s := m.seatIn(e.Value); s != nil {
			m.putOut(s)
		}
	case rulebook.SpawnNow:
		if s := m.seatIn(e.Value); s != nil {
			m.spawn(s)
		}
	case rulebook.Give:
		if p := m.playerIn(e.Value); p != nil {
			m.st.SetInt(m.match, m.book.Bearers[e.No].Field, int64(p.ID))
		}
	case rulebook.Tell:
		m.tell(e)
	case rulebook.Place:
		m.placeNow(e)
	case rulebook.Remove:
		if r := m.st.Get(sheet.ID(e.Value.Int(&m.env))); r != nil && r.Kind == sheet.Piece {
			m.removePiece(r)
		}
	case rulebook.Grant, rulebook.Withdraw:
		m.changeKit(e)
	case rulebook.Each:
		m.each(e)
	case rulebook.If:
		if e.Cond.Bool(&m.env) {
			m.do(e.Then)
		} else {
			m.do(e.Else)
		}
	case rulebook.Go:
		m.run.toPhase = e.No
		if e.No == rulebook.EndOfMatch {
			m.run.because = "the rules ended it"
		}
	case rulebook.Finish:
		m.wantFinish(e.Reason, e.Winner)
	}
}

// playerIn evaluates to a player who takes part, or nil.
func (m *Machine) playerIn(p *expr.Prog) *sheet.Row {
	r := m.st.Get(sheet.ID(p.Int(&m.env)))
	if r == nil || r.Kind != sheet.Player || !r.Flag(m.book.F.Player.Playing) {
		return nil
	}
	return r
}

func (m *Machine) seatIn(p *expr.Prog) *seat {
	if r := m.playerIn(p); r != nil {
		return m.seat(r.ID)
	}
	return nil
}

// write carries out add, set and reset. A value that cannot be computed
// (division by zero, overflow) leaves the field as it is.
func (m *Machine) write(e *rulebook.Effect) {
	r, f := e.Path.Row(&m.env), e.Path.Field
	if r.ID == 0 {
		return // the path led through nobody
	}
	if e.Verb == rulebook.ResetField {
		m.st.Set(r, f, f.Start)
		return
	}
	m.env.Fault = expr.OK
	v := e.Value.Value(&m.env, f.Type)
	if m.env.Fault != expr.OK {
		return
	}
	switch {
	case e.Verb == rulebook.Add:
		m.st.SetInt(r, f, saturating(r.Int(f), v.N[0]))
	case f.Type == sheet.Clock:
		at := m.clockNow(f)
		m.st.SetClock(r, f, sheet.Ticks(max(v.N[0], 0), m.book.Rate), r.N[f.Slot()+1], at)
	case f.Type == sheet.Text:
		m.st.SetText(r, f, cut(v.S, int(f.Max)))
	case f == m.book.F.Player.Pos || f == m.book.F.Piece.Pos:
		x, y := m.within(v.N[0], v.N[1])
		m.st.SetPos(r, f, x, y)
		m.stirred = true
	default:
		m.st.Set(r, f, v)
	}
}

// saturating adds within the range that every field's bounds lie in.
func saturating(a, b int64) int64 {
	const most = 1 << 53 * 1000
	b = min(max(b, -most), most)
	return min(max(a+b, -most), most)
}

func cut(s string, most int) string {
	n := 0
	for i := range s {
		if n == most {
			return s[:i]
		}
		n++
	}
	return s
}

func (m *Machine) clockNow(f *sheet.Field) sheet.Tick {
	if f.Wall {
		return m.tick
	}
	return m.play
}

// workClock starts, stops, resets or splits a clock.
func (m *Machine) workClock(e *rulebook.Effect) {
	r, f := e.Path.Row(&m.env), e.Path.Field
	if r.ID == 0 {
		return
	}
	now := m.clockNow(f)
	rate := int64(1)
	if f.Down {
		rate = -1
	}
	shows := r.Clock(f, now)
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
		m.st.SetClock(r, f, f.Start.N[0], 0, now)
	case rulebook.ClockRestart:
		m.st.SetClock(r, f, f.Start.N[0], rate, now)
	}
	if e.Into != nil {
		if to := e.Into.Row(&m.env); to.ID != 0 {
			m.st.SetInt(to, e.Into.Field, sheet.Millis(shows, m.book.Rate))
		}
	}
}

// tell sends a notice.
func (m *Machine) tell(e *rulebook.Effect) {
	n := Notice{Notice: e.Notice, To: e.To}
	if e.Of != nil {
		p := m.st.Get(sheet.ID(e.Of.Int(&m.env)))
		if p == nil {
			return
		}
		n.Of = p.ID
		if e.To == sheet.TeamOnly {
			n.Of = p.Team
		}
	}
	for i, p := range e.With {
		n.Values = append(n.Values, p.Value(&m.env, e.Notice.Fields[i].Type))
	}
	m.out.Notices = append(m.out.Notices, n)
}

func (m *Machine) changeKit(e *rulebook.Effect) {
	p := m.playerIn(e.Value)
	if p == nil {
		return
	}
	f := m.book.F.Player.Kits
	kits := p.Int(f)
	if e.Verb == rulebook.Grant {
		kits |= 1 << e.No
	} else {
		kits &^= 1 << e.No
	}
	m.st.SetInt(p, f, kits)
}

// each does something for every sheet of a list, as it. Sheets that go while
// this is under way are left out.
func (m *Machine) each(e *rulebook.Effect) {
	outer := m.env.It
	keep, of := expr.Relation(e.Walk), m.env.Me
	if e.Walk == "members" {
		of = m.env.Team
	}
	rows := m.subjects(e.Over)
	start := len(m.hits)
	m.hits = append(m.hits, rows...) // the list may change while it is walked
	for i := start; i < start+len(rows); i++ {
		r := m.hits[i]
		if m.st.Get(r.ID) != r || keep != nil && !keep(of, r) {
			continue
		}
		m.env.It = r
		if e.Cond == nil || e.Cond.Bool(&m.env) {
			m.do(e.Then)
		}
	}
	m.hits = m.hits[:start]
	m.env.It = outer
}
