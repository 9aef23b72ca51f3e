package replica

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"turnvex/internal/sheet"
)

// Copy is a client's copy of what it may see.
type Copy struct {
	Schema *Schema
	Tick   sheet.Tick
	sheets map[sheet.ID]*Sheet
}

// Sheet is one sheet of a copy.
type Sheet struct {
	ID     sheet.ID
	Kind   sheet.Kind
	Owner  sheet.ID
	schema *Schema
	have   sheet.Mask
	values []sheet.Value

	expected []*Expectation
}

// Change tells of one thing that changed in a copy. Old is the zero value where
// there was none; a field that was withdrawn has Seen false.
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

// Replace takes a snapshot's parts as the whole new copy and tells what differs
// from the old one.
func (c *Copy) Replace(parts [][]any) ([]Change, error) {
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
		out = append(out, Change{Sheet: now, Field: now.schema.Field(now.Kind, n), Old: old.values[n], New: now.values[n], First: !had, Seen: has})
	}
	return out
}

// Apply takes a delta's parts into the copy and tells each change. After an
// error the copy must be replaced by a snapshot.
func (c *Copy) Apply(parts [][]any) ([]Change, error) {
	var out []Change
	for _, p := range parts {
		op, err := intAt(p, 0)
		if err != nil {
			return out, err
		}
		switch {
		case op == opAppear:
			err = c.appear(p, &out)
		case op == opGone:
			err = c.gone(p[1:], &out)
		case op == opWithdraw:
			err = c.withdraw(p, &out)
		case op == opColumn:
			err = c.column(p, &out)
		default:
			s := c.sheets[sheet.ID(op)]
			if s == nil {
				return out, fmt.Errorf("sheet %d is changed but was never told", op)
			}
			err = c.fields(s, p[1:], &out)
		}
		if err != nil {
			return out, err
		}
	}
	return out, nil
}

func (c *Copy) appear(p []any, out *[]Change) error {
	var n [4]int64
	for i := range n {
		var err error
		if n[i], err = intAt(p, i); err != nil {
			return err
		}
	}
	if n[2] < 0 || n[2] >= int64(sheet.Kinds) {
		return fmt.Errorf("sheet %d is of unknown kind %d", n[1], n[2])
	}
	s := &Sheet{ID: sheet.ID(n[1]), Kind: sheet.Kind(n[2]), Owner: sheet.ID(n[3]), schema: c.Schema}
	s.values = make([]sheet.Value, len(c.Schema.kinds[s.Kind]))
	c.sheets[s.ID] = s
	*out = append(*out, Change{Sheet: s, Appeared: true})
	return c.fields(s, p[4:], out)
}

func (c *Copy) gone(ids []any, out *[]Change) error {
	for i := range ids {
		id, err := intAt(ids, i)
		if err != nil {
			return err
		}
		if s := c.sheets[sheet.ID(id)]; s != nil {
			delete(c.sheets, s.ID)
			*out = append(*out, Change{Sheet: s, Gone: true})
		}
	}
	return nil
}

func (c *Copy) withdraw(p []any, out *[]Change) error {
	id, err := intAt(p, 1)
	if err != nil {
		return err
	}
	s := c.sheets[sheet.ID(id)]
	if s == nil {
		return nil
	}
	for i := 2; i < len(p); i++ {
		no, err := intAt(p, i)
		if err != nil {
			return err
		}
		f := c.Schema.Field(s.Kind, int(no))
		if f == nil || !s.have.Has(f.No) {
			continue
		}
		*out = append(*out, Change{Sheet: s, Field: f, Old: s.values[f.No]})
		s.have.Clear(f.No)
		s.values[f.No] = sheet.Value{}
	}
	return nil
}

func (c *Copy) column(p []any, out *[]Change) error {
	for i := 2; i < len(p); {
		id, err := intAt(p, i)
		if err != nil {
			return err
		}
		no, err := intAt(p, 1)
		if err != nil {
			return err
		}
		s := c.sheets[sheet.ID(id)]
		if s == nil {
			return fmt.Errorf("sheet %d is changed but was never told", id)
		}
		f := c.Schema.Field(s.Kind, int(no))
		if f == nil {
			return fmt.Errorf("%s %d has no field number %d", s.Kind, s.ID, no)
		}
		n := max(f.Type.Width(), 1)
		if i+n >= len(p) {
			return fmt.Errorf("%s %d: a column without a value", s.Kind, s.ID)
		}
		raw := p[i+1]
		if n > 1 {
			raw = p[i+1 : i+1+n]
		}
		if err := c.put(s, f, raw, out); err != nil {
			return err
		}
		i += 1 + n
	}
	return nil
}

func (c *Copy) fields(s *Sheet, p []any, out *[]Change) error {
	if len(p)%2 != 0 {
		return fmt.Errorf("sheet %d: a field without a value", s.ID)
	}
	for i := 0; i < len(p); i += 2 {
		no, err := intAt(p, i)
		if err != nil {
			return err
		}
		f := c.Schema.Field(s.Kind, int(no))
		if f == nil {
			return fmt.Errorf("%s %d has no field number %d", s.Kind, s.ID, no)
		}
		if err := c.put(s, f, p[i+1], out); err != nil {
			return err
		}
	}
	return nil
}

// put takes one value into the copy.
func (c *Copy) put(s *Sheet, f *sheet.Field, raw any, out *[]Change) error {
	v, err := ValueOf(f.Type, raw)
	if err != nil {
		return fmt.Errorf("%s %d, field %s: %w", s.Kind, s.ID, f.Name, err)
	}
	ch := Change{Sheet: s, Field: f, Old: s.values[f.No], New: v, First: !s.have.Has(f.No), Seen: true}
	s.have.Set(f.No)
	s.values[f.No] = v
	if _, hidden := s.expects(f.No); ch.First || ch.Old != v && !hidden {
		*out = append(*out, ch)
	}
	return nil
}

// ValueOf turns a decoded JSON or CBOR value into a field's value.
func ValueOf(t sheet.Type, raw any) (sheet.Value, error) {
	v := sheet.Value{Type: t}
	switch t {
	case sheet.Text:
		s, ok := raw.(string)
		if !ok {
			return v, fmt.Errorf("%v is not a text", raw)
		}
		v.S = s
	case sheet.Flag:
		b, ok := raw.(bool)
		if !ok {
			return v, fmt.Errorf("%v is not true or false", raw)
		}
		if b {
			v.N[0] = 1
		}
	case sheet.Position, sheet.Clock:
		list, ok := raw.([]any)
		if !ok || len(list) != t.Width() {
			return v, fmt.Errorf("%v is not a list of %d integers", raw, t.Width())
		}
		for i := range list {
			n, err := intAt(list, i)
			if err != nil {
				return v, err
			}
			v.N[i] = n
		}
	default:
		n, err := intAt([]any{raw}, 0)
		if err != nil {
			return v, err
		}
		v.N[0] = n
	}
	return v, nil
}

func intAt(list []any, i int) (int64, error) {
	if i >= len(list) {
		return 0, fmt.Errorf("a part with %d elements is too short", len(list))
	}
	switch n := list[i].(type) {
	case int64:
		return n, nil
	case uint64:
		if n <= 1<<62 {
			return int64(n), nil
		}
	case json.Number:
		return n.Int64()
	case float64:
		if n == float64(int64(n)) {
			return int64(n), nil
		}
	}
	return 0, fmt.Errorf("%v is not an integer", list[i])
}
