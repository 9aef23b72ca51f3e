package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// charge is a cost that is being taken where the record is kept.
type charge struct {
	no      int64 // of the save
	of      sheet.ID
	changes []step.Change
}

// charge asks the driver to take the costs of the record, behind what is owed to it.
func (m *kept) charge(s *Player, a *rulebook.Action) step.Verdict {
	c := charge{of: s.Row.ID}
	for i := range a.Cost {
		if !a.Cost[i].Record {
			continue
		}
		_, f := a.Cost[i].At.At(&m.env)
		by := a.Cost[i].By.Value(&m.env, f.Type).N[0]
		if m.faulty(a.Line); m.env.Fault != expr.OK || by < 0 {
			return step.Verdict{Code: code.Condition, Reason: "what it costs cannot be computed"}
		}
		c.changes = append(c.changes,
			step.Change{Field: f.Name, Kind: step.ChangeAdd, Value: sheet.IntValue(f.Type, -by)})
	}
	m.SaveRecord(s)
	m.saves++
	c.no = m.saves
	m.charges = append(m.charges, c)
	e := step.Effect{Kind: step.Charge, Seat: s.Row.ID, Account: s.Row.Text(m.book.F.Player.Account),
		Changes: slices.Clone(c.changes), N: c.no}
	if m.row != nil {
		e.Match = m.count
	}
	m.out.Do(e)
	return step.Verdict{Code: code.Charging}
}

// takeCharge forgets a charge, and returns what it was.
func (m *kept) takeCharge(no int64) (c charge, ok bool) {
	i := slices.IndexFunc(m.charges, func(c charge) bool { return c.no == no })
	if i < 0 {
		return c, false
	}
	c = m.charges[i]
	m.charges = slices.Delete(m.charges, i, i+1)
	return c, true
}

// Uncharge forgets the charge of a seat that is gone.
func (m *kept) Uncharge(no int64) { m.takeCharge(max(no, -no)) }
