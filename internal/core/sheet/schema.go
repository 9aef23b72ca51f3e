package sheet

import (
	"fmt"
)

// MaxFields is the most fields that the sheets of one kind may have, built-in ones included.
const MaxFields = 320

// Schema declares the fields of every kind of sheet in a lobby.
type Schema struct {
	// Deep makes every position that is added from then on one of three lengths.
	Deep bool

	kinds [Kinds]kindSchema

	zero *[Kinds]*Row // of each kind an all-zero sheet, which all stores read
}

// Seal ends the adding of fields. The first store does it too; where several goroutines make stores, it must be done
// before.
func (s *Schema) Seal() {
	if s.zero != nil {
		return
	}
	s.zero = &[Kinds]*Row{}
	for k := range s.zero {
		ks := &s.kinds[k]
		s.zero[k] = &Row{Kind: Kind(k), N: make([]int64, ks.ints), S: make([]string, ks.texts)}
	}
}

type kindSchema struct {
	fields []*Field
	byName map[string]*Field
	counts []*Counts
	ints   int
	texts  int
}

// Add appends a field to a kind and gives it its number and slots.
func (s *Schema) Add(k Kind, f Field) (*Field, error) {
	ks := &s.kinds[k]
	if ks.byName == nil {
		ks.byName = map[string]*Field{}
	}
	if _, dup := ks.byName[f.Name]; dup {
		return nil, fmt.Errorf("field %q is declared twice on the %s sheet", f.Name, k)
	}
	if len(ks.fields) == MaxFields {
		return nil, fmt.Errorf("the %s sheet has more than %d fields", k, MaxFields)
	}
	if s.Deep && f.Type == Position {
		f.Type = Position3
	}
	f.No = len(ks.fields)
	f.Start.Type = f.Type
	if f.Type.InText() {
		f.slot = ks.texts
		ks.texts++
	} else {
		f.slot = ks.ints
		ks.ints += f.Type.Width()
	}
	p := &f
	ks.fields = append(ks.fields, p)
	ks.byName[f.Name] = p
	return p, nil
}

// Fields returns the fields of a kind in their order. Do not change it.
func (s *Schema) Fields(k Kind) []*Field { return s.kinds[k].fields }

// Field returns the field of that name, or nil.
func (s *Schema) Field(k Kind, name string) *Field { return s.kinds[k].byName[name] }

// Names returns the names of a kind's fields in their order.
func (s *Schema) Names(k Kind) []string {
	names := make([]string, 0, len(s.kinds[k].fields))
	for _, f := range s.kinds[k].fields {
		names = append(names, f.Name)
	}
	return names
}
