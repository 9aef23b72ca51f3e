package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// kept is what outlives the match: changes of records that are owed, saves, charges and posts.
type kept struct {
	*stage
	owed    []owed
	saves   int64      // of records, so far
	saveAt  sheet.Tick // wall tick at which what is owed is saved; 0 when nothing is
	unkept  bool       // nothing can be saved now: what is owed waits, and adds up
	full    bool       // no more can wait to be saved
	charges []charge   // that are being taken where records are kept
}

// owed is a change of a player's record that is yet to be saved.
type owed struct {
	of sheet.ID // the player's sheet
	step.Change
}

// change does something to a field of a record, here at once, and owes it to what is kept. Practice owes nothing.
func (m *kept) change(record *sheet.Row, f *sheet.Field, kind step.ChangeKind, v sheet.Value) {
	c := step.Change{Field: f.Name, Kind: kind, Value: v}
	if f.Type == sheet.Text {
		c.Value.S = sheet.Cut(c.Value.S, int(f.Max))
	}
	if row := m.st.GetOr(record.Owner, sheet.Player); !m.keeps(row) {
		return
	}
	m.take(record, f, &c)
	if m.practice() {
		return
	}
	for i := len(m.owed) - 1; i >= 0; i-- {
		o := &m.owed[i]
		if o.of != record.Owner || o.Field != f.Name {
			continue
		}
		if one, ok := o.Change.Join(f, c); ok {
			o.Change = one
			return
		}
		break
	}
	m.owed = append(m.owed, owed{record.Owner, c})
	if m.saveAt == 0 {
		m.saveAt = m.wall + m.book.SaveEvery
	}
}

// take lets a change happen to a record's sheet.
func (m *kept) take(record *sheet.Row, f *sheet.Field, c *step.Change) {
	kept, bit := m.book.F.Record.Kept, m.keptBit(f)
	set := record.Int(kept)
	held := set&bit != 0 || bit == 0 && record.Get(f) != f.Start
	m.st.Set(record, f, c.On(f, record.Get(f), held))
	m.st.SetInt(record, kept, set|bit)
}

// keptBit is the bit that says of a field of the record that something is kept; 0 for those behind the first 63, of
// which that is so where they hold something else than their start.
func (m *kept) keptBit(f *sheet.Field) int64 {
	i := slices.IndexFunc(m.book.Record, func(r *rulebook.RecordField) bool { return r.Field == f })
	if i >= 63 {
		return 0
	}
	return 1 << i
}

// stands is how a field of a player's record stands when values are what is kept of it: with what is owed to it on top;
// at its start, and not kept, where there is neither.
func (m *kept) stands(p *Player, f *sheet.Field, values []step.Named) (v sheet.Value, kept bool) {
	v = f.Start
	i := slices.IndexFunc(values, func(n step.Named) bool { return n.Name == f.Name })
	if i >= 0 && values[i].Value.Type == f.Type && f.Fits(values[i].Value) {
		v, kept = values[i].Value, true
	}
	for i := range m.owed {
		if o := &m.owed[i]; o.of == p.Row.ID && o.Field == f.Name {
			v, kept = o.On(f, v, kept), true
		}
	}
	return v, kept
}

// Kept puts a player's record as it is kept in place, and what is owed to it on top.
func (m *kept) Kept(p *Player, values []step.Named) {
	set := int64(0)
	for _, r := range m.book.Record {
		v, kept := m.stands(p, r.Field, values)
		m.st.Set(p.Record, r.Field, v)
		if kept {
			set |= m.keptBit(r.Field)
		}
	}
	m.st.SetInt(p.Record, m.book.F.Record.Kept, set)
}

// Knows tells whether a record stands as it would after Kept.
func (m *kept) Knows(p *Player, values []step.Named) bool {
	set := p.Record.Int(m.book.F.Record.Kept)
	return !slices.ContainsFunc(m.book.Record, func(r *rulebook.RecordField) bool {
		v, kept := m.stands(p, r.Field, values)
		return p.Record.Get(r.Field) != v || m.keptBit(r.Field) != 0 && set&m.keptBit(r.Field) != 0 != kept
	})
}

// keepRecord does to a player's record what the rulebook keeps of the match.
func (m *kept) keepRecord(s *Player) {
	if m.practice() || m.broken != "" || !s.Row.Flag(m.book.F.Player.Loaded) || !m.keeps(s.Row) {
		return
	}
	for _, r := range m.book.Record {
		m.subject(sheet.Player, s.Row)
		if r.Of == nil || r.If != nil && !m.yes(r.If, r.Line) {
			continue
		}
		v := r.Of.Value(&m.env, r.Field.Type)
		m.faulty(r.Line)
		if m.env.Fault == 0 {
			m.change(s.Record, r.Field, keepKinds[r.Keep], v)
		}
	}
}

// keepKinds are what the ways to keep do.
var keepKinds = [...]step.ChangeKind{rulebook.KeepLatest: step.ChangeSet, rulebook.KeepBest: step.ChangeRaise,
	rulebook.KeepLowest: step.ChangeLower, rulebook.KeepTotal: step.ChangeAdd}

// SavesDue tells whether changes have waited long enough: every seat's record is to be saved then. While nothing can be
// saved they wait, and add up.
func (m *kept) SavesDue() bool { return !m.unkept && m.saveAt > 0 && m.saveAt <= m.wall }

// Unkept says that nothing can be saved now, or that it can again.
func (m *kept) Unkept(on bool) { m.unkept = on }

// Fill says that no more can wait to be saved, or that it can again: no match begins meanwhile, and what effects post
// to boards is refused.
func (m *kept) Fill(on bool) { m.full = on }

// Full tells whether no more can wait to be saved.
func (m *kept) Full() bool { return m.full }

// SaveRecord asks the driver to keep what is owed to a player's record.
func (m *kept) SaveRecord(s *Player) { m.save(s.Row) }

func (m *kept) save(r *sheet.Row) {
	var changes []step.Change
	m.owed = slices.DeleteFunc(m.owed, func(o owed) bool {
		if o.of == r.ID {
			changes = append(changes, o.Change)
		}
		return o.of == r.ID
	})
	if len(m.owed) == 0 {
		m.saveAt = 0
	}
	if len(changes) == 0 {
		return
	}
	m.saves++
	e := step.Effect{Kind: step.SaveRecord, Seat: r.ID, Account: r.Text(m.book.F.Player.Account),
		Changes: changes, N: m.saves}
	if m.row != nil {
		e.Match = m.count
	}
	m.out.Do(e)
}
