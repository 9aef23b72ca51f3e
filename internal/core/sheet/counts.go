package sheet

import "slices"

// Counts are fields of one kind of sheet that belong together: a number for each of several words. The field of a word
// is called NAME_WORD; they are alike in all but name and start.
type Counts struct {
	Name   string
	Words  []string
	Fields []*Field // by word, in a row
}

// AddCounts says that fields called NAME_WORD, which are added later and in this order, belong together.
func (s *Schema) AddCounts(k Kind, name string, words []string) {
	s.kinds[k].counts = append(s.kinds[k].counts, &Counts{Name: name, Words: words})
}

// Counts returns the counts of that name, or nil where one of their fields is not there.
func (s *Schema) Counts(k Kind, name string) *Counts {
	all := s.kinds[k].counts
	i := slices.IndexFunc(all, func(c *Counts) bool { return c.Name == name })
	if i < 0 {
		return nil
	}
	c := all[i]
	for n := len(c.Fields); n < len(c.Words); n++ {
		f := s.Field(k, name+"_"+c.Words[n])
		if f == nil {
			return nil
		}
		c.Fields = append(c.Fields, f)
	}
	return c
}

// CountedWith returns the fields of the counts to which a field belongs; nil for one of none.
func (s *Schema) CountedWith(k Kind, f *Field) []*Field {
	for _, c := range s.kinds[k].counts {
		if slices.Contains(c.Fields, f) {
			return c.Fields
		}
	}
	return nil
}

// Written is the name of a field as a rulebook says it: that of one of counts is NAME.WORD.
func (s *Schema) Written(k Kind, f *Field) string {
	for _, c := range s.kinds[k].counts {
		if i := slices.Index(c.Fields, f); i >= 0 {
			return c.Name + "." + c.Words[i]
		}
	}
	return f.Name
}
