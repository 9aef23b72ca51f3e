package replica

import (
	"fmt"
	"maps"
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Copy is a client's copy of what it may see.
type Copy struct {
	Schema *Schema
	Tick   sheet.Tick
	sheets map[sheet.ID]*Sheet
	told   []Change // what Apply returned last, to be reused
}

// Sheet is one sheet of a copy.
type Sheet struct {
	ID     sheet.ID
	Kind   sheet.Kind
	Owner  sheet.ID
	schema *Schema
	have   sheet.Mask
	values []sheet.Value
	steps  []step // of its places

	expected []*Expectation
}

// Change tells of one thing that changed in a copy. Old is the zero value where there was none; a field that was
// withdrawn has Seen false.
type Change struct {
	Sheet    *Sheet
	Field    *sheet.Field // nil when the sheet itself came or went
	Old, New sheet.Value
	First    bool // the field was not there before
	Seen     bool // the field is there now
	Appeared bool
	Gone     bool
	Expected bool // New is not the service's value but an expectation
	Undone   bool // an expectation has ended, and the service's value is another one
}

// NewCopy returns an empty copy.
func NewCopy(s *Schema) *Copy { return &Copy{Schema: s, sheets: map[sheet.ID]*Sheet{}} }

// Sheet returns a sheet by number, or nil.
func (c *Copy) Sheet(id sheet.ID) *Sheet { return c.sheets[id] }

// Of returns the sheets of a kind in order of their numbers.
func (c *Copy) Of(k sheet.Kind) []*Sheet {
	var out []*Sheet
	for _, id := range slices.Sorted(maps.Keys(c.sheets)) {
		if s := c.sheets[id]; s.Kind == k {
			out = append(out, s)
		}
	}
	return out
}

// Get returns a field's value and whether it is to be seen.
func (s *Sheet) Get(name string) (sheet.Value, bool) {
	if s == nil {
		return sheet.Value{}, false
	}
	f := s.schema.Named(s.Kind, name)
	if f == nil || !s.have.Has(f.No) {
		return sheet.Value{}, false
	}
	if v, ok := s.expects(f.No); ok {
		return v, true
	}
	return s.values[f.No], true
}

// Int returns a field's number (see sheet.Value), 0 where it is not to be seen.
func (s *Sheet) Int(name string) int64 { v, _ := s.Get(name); return v.N[0] }

// Text returns a text field's value, or a choice's word.
func (s *Sheet) Text(name string) string {
	v, ok := s.Get(name)
	if ok && v.Type == sheet.Choice {
		f := s.schema.Named(s.Kind, name)
		if i := v.N[0]; i >= 0 && i < int64(len(f.Choices)) {
			return f.Choices[i]
		}
	}
	return v.S
}

// Flag returns a flag's value.
func (s *Sheet) Flag(name string) bool { return s.Int(name) != 0 }

// Fields returns the fields that are to be seen, in their order.
func (s *Sheet) Fields() []*sheet.Field {
	var out []*sheet.Field
	for n := s.have.Next(0); n >= 0; n = s.have.Next(n + 1) {
		out = append(out, s.schema.Field(s.Kind, n))
	}
	return out
}

// Replace takes a snapshot's parts as the whole new copy and tells what differs from the old one.
func (c *Copy) Replace(parts Source) ([]Change, error) {
	fresh := NewCopy(c.Schema)
	if _, err := fresh.Apply(parts); err != nil {
		return nil, err
	}
	var out []Change
	for _, id := range slices.Sorted(maps.Keys(c.sheets)) {
		if fresh.sheets[id] == nil {
			out = append(out, Change{Sheet: c.sheets[id], Gone: true})
		}
	}
	for _, id := range slices.Sorted(maps.Keys(fresh.sheets)) {
		if old := c.sheets[id]; old != nil {
			fresh.sheets[id].expected = old.expected
		}
		out = append(out, differences(c.sheets[id], fresh.sheets[id])...)
	}
	c.sheets = fresh.sheets
	return out, nil
}

func differences(old, now *Sheet) []Change {
	var out []Change
	if old == nil {
		out = append(out, Change{Sheet: now, Appeared: true})
		old = &Sheet{Kind: now.Kind, values: make([]sheet.Value, len(now.values))}
	}
	for n := 0; n < len(now.values); n++ {
		had, has := old.have.Has(n), now.have.Has(n)
		if had == has && old.values[n] == now.values[n] || !had && !has {
			continue
		}
		if _, hidden := now.expects(n); hidden && had && has {
			continue
		}
		out = append(out, Change{Sheet: now, Field: now.schema.Field(now.Kind, n), Old: old.values[n],
			New: now.values[n], First: !had, Seen: has})
	}
	return out
}

// Apply takes a delta's parts into the copy and tells each change; the list is good until the next call. After an error
// the copy must be replaced by a snapshot.
func (c *Copy) Apply(parts Source) ([]Change, error) {
	c.told = c.told[:0]
	for {
		n, ok, err := parts.part()
		if err != nil || !ok {
			return c.told, err
		}
		if err := c.part(parts, n); err != nil {
			return c.told, err
		}
	}
}

// part takes in one part of n elements.
func (c *Copy) part(p Source, n int) error {
	op, err := p.int()
	if err != nil {
		return err
	}
	switch op {
	case opAppear:
		return c.appear(p, n)
	case opGone:
		return c.gone(p, n-1)
	case opWithdraw:
		return c.withdraw(p, n)
	case opColumn:
		return c.column(p, n)
	case opSplice:
		return c.splice(p, n)
	case opCourse:
		return c.course(p, n)
	}
	s, err := c.known(op)
	if err != nil {
		return err
	}
	return c.fields(p, s, n-1)
}

func (c *Copy) known(id int64) (*Sheet, error) {
	if s := c.sheets[sheet.ID(id)]; s != nil {
		return s, nil
	}
	return nil, fmt.Errorf("sheet %d is changed but was never told", id)
}

func (c *Copy) appear(p Source, n int) error {
	var head [3]int64 // sheet, kind, owner
	for i := range head {
		var err error
		if head[i], err = p.int(); err != nil {
			return err
		}
	}
	if head[1] < 0 || head[1] >= int64(sheet.Kinds) {
		return fmt.Errorf("sheet %d is of unknown kind %d", head[0], head[1])
	}
	s := &Sheet{ID: sheet.ID(head[0]), Kind: sheet.Kind(head[1]), Owner: sheet.ID(head[2]), schema: c.Schema}
	s.values = make([]sheet.Value, len(c.Schema.kinds[s.Kind]))
	c.sheets[s.ID] = s
	c.told = append(c.told, Change{Sheet: s, Appeared: true})
	return c.fields(p, s, n-4)
}

func (c *Copy) gone(p Source, n int) error {
	for range n {
		id, err := p.int()
		if err != nil {
			return err
		}
		if s := c.sheets[sheet.ID(id)]; s != nil {
			delete(c.sheets, s.ID)
			c.told = append(c.told, Change{Sheet: s, Gone: true})
		}
	}
	return nil
}

func (c *Copy) withdraw(p Source, n int) error {
	id, err := p.int()
	if err != nil {
		return err
	}
	s := c.sheets[sheet.ID(id)]
	for range n - 2 {
		no, err := p.int()
		if err != nil {
			return err
		}
		if s == nil {
			continue
		}
		f := c.Schema.Field(s.Kind, int(no))
		if f == nil || !s.have.Has(f.No) {
			continue
		}
		c.told = append(c.told, Change{Sheet: s, Field: f, Old: s.values[f.No]})
		s.have.Clear(f.No)
		s.values[f.No] = sheet.Value{}
	}
	return nil
}

func (c *Copy) column(p Source, n int) error {
	no, err := p.int()
	if err != nil {
		return err
	}
	for n -= 2; n > 0; {
		id, err := p.int()
		if err != nil {
			return err
		}
		s, err := c.known(id)
		if err != nil {
			return err
		}
		width, err := c.put(p, s, no, true)
		if err != nil {
			return err
		}
		n -= 1 + width
	}
	if n < 0 {
		return errShort
	}
	return nil
}

func (c *Copy) fields(p Source, s *Sheet, n int) error {
	for ; n > 0; n -= 2 {
		no, err := p.int()
		if err != nil {
			return err
		}
		if _, err := c.put(p, s, no, false); err != nil {
			return err
		}
	}
	if n < 0 {
		return fmt.Errorf("sheet %d: a field without a value", s.ID)
	}
	return nil
}

// put takes one value into the copy and tells how many elements it took.
func (c *Copy) put(p Source, s *Sheet, no int64, flat bool) (int, error) {
	f := c.Schema.Field(s.Kind, int(no))
	if f == nil {
		return 0, fmt.Errorf("%s %d has no field number %d", s.Kind, s.ID, no)
	}
	v, err := p.value(f.Type, flat)
	if err != nil {
		return 0, fmt.Errorf("%s %d, field %s: %w", s.Kind, s.ID, f.Name, err)
	}
	c.set(s, f, v)
	if !flat {
		return 1, nil
	}
	return max(f.Type.Width(), 1), nil
}

// set gives a field its value, and notes what that changes.
func (c *Copy) set(s *Sheet, f *sheet.Field, v sheet.Value) {
	ch := Change{Sheet: s, Field: f, Old: s.values[f.No], New: v, First: !s.have.Has(f.No), Seen: true}
	if !ch.First && isPlace(f.Type) {
		s.walk(f, &ch.Old, &v)
	}
	s.have.Set(f.No)
	s.values[f.No] = v
	if _, hidden := s.expects(f.No); ch.First || ch.Old != v && !hidden {
		c.told = append(c.told, ch)
	}
}
