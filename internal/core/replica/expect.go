package replica

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Expectation is a value that a client shows before the service has decided. The copy's own value stays beside it, and
// hashes and comparisons go by that.
type Expectation struct {
	copy  *Copy
	id    sheet.ID
	field *sheet.Field
	value sheet.Value
}

// Expect shows a value in a field from now on, and returns the change that one sees. Of several expectations for a
// field the newest is shown. The field must be one that the copy can see.
func (c *Copy) Expect(id sheet.ID, field string, v sheet.Value) (*Expectation, Change, error) {
	s := c.sheets[id]
	old, ok := s.Get(field)
	if !ok {
		return nil, Change{}, fmt.Errorf("there is no field %q to be seen on sheet %d", field, id)
	}
	f := c.Schema.Named(s.Kind, field)
	if v.Type != f.Type {
		return nil, Change{}, fmt.Errorf("%s is of type %s, not %s", field, f.Type, v.Type)
	}
	e := &Expectation{c, id, f, v}
	s.expected = append(s.expected, e)
	return e, Change{Sheet: s, Field: f, Old: old, New: v, Seen: true, Expected: true}, nil
}

// End takes the expectation back, and tells whether what one sees has changed by that: it has not where the service's
// value is the expected one. It may be called again, and then changes nothing.
func (e *Expectation) End() (Change, bool) {
	s := e.copy.sheets[e.id]
	if s == nil {
		return Change{}, false
	}
	i := slices.Index(s.expected, e)
	if i < 0 {
		return Change{}, false
	}
	old, _ := s.Get(e.field.Name)
	s.expected = slices.Delete(s.expected, i, i+1)
	now, seen := s.Get(e.field.Name)
	return Change{Sheet: s, Field: e.field, Old: old, New: now, Seen: seen, Undone: true}, old != now || !seen
}

// expects returns the value that is shown in place of the copy's own.
func (s *Sheet) expects(no int) (sheet.Value, bool) {
	for i := len(s.expected) - 1; i >= 0; i-- {
		if s.expected[i].field.No == no {
			return s.expected[i].value, true
		}
	}
	return sheet.Value{}, false
}

// Parts returns the copy as parts that make all its sheets appear, for the message shown.
func (c *Copy) Parts() [][]any {
	out := [][]any{}
	for k := 0; k < sheet.Kinds; k++ {
		for _, s := range c.Of(sheet.Kind(k)) {
			p := []any{opAppear, s.ID, s.Kind, s.Owner}
			for n := s.have.Next(0); n >= 0; n = s.have.Next(n + 1) {
				p = append(p, n, s.values[n].Plain())
			}
			out = append(out, p)
		}
	}
	return out
}

// Clone returns a copy that later changes leave as it is, without expectations.
func (c *Copy) Clone() *Copy {
	out := NewCopy(c.Schema)
	out.Tick = c.Tick
	for id, s := range c.sheets {
		t := *s
		t.values, t.expected = slices.Clone(s.values), nil
		out.sheets[id] = &t
	}
	return out
}
