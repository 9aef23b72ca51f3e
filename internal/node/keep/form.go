package keep

import (
	"bytes"
	"encoding/json"
	"fmt"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Fields are the kept fields of a record by name. What was never kept is not there. An integer and a number are written
// as decimals, a choice as its word, a flag as true or false, a position as [x, y] in millimetres; nothing depends on
// the order in which a rulebook declares its fields or words. Fields that a rulebook does not know are left as they
// are.
type Fields map[string]any

// The forms in which records are kept.
const (
	formPlain = 1 // by position: choices as numbers, numbers in thousandths, and every field
	formWords = 2 // as Fields says
)

// ReadFields reads fields as they are kept.
func ReadFields(data []byte) (Fields, error) {
	var f Fields
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	return f, d.Decode(&f)
}

// written is a value as it is kept.
func written(f *sheet.Field, v sheet.Value) any {
	switch f.Type {
	case sheet.Number:
		return json.Number(sheet.ShowThousandths(v.N[0]))
	case sheet.Choice:
		return v.Show(f, 0, 0)
	case sheet.Position, sheet.Position3:
		var parts []any
		for _, n := range v.N[:f.Type.Width()] {
			parts = append(parts, json.Number(fmt.Sprint(n)))
		}
		return parts
	case sheet.Integer:
		return json.Number(fmt.Sprint(v.N[0]))
	}
	return v.Plain()
}

// of returns a field's value, if one is kept that the rulebook can hold: within the field's bounds, which may be others
// than when it was kept.
func (f Fields) of(r *rulebook.RecordField) (sheet.Value, bool) {
	for _, name := range [2]string{r.Stored() + ":" + r.Field.Type.String(), r.Stored()} {
		if v, ok := f.read(r.Field, name); ok {
			return v, true
		}
	}
	return r.Field.Start, false
}

func (f Fields) read(field *sheet.Field, name string) (v sheet.Value, ok bool) {
	raw, there := f[name]
	if !there {
		return v, false
	}
	v, err := sheet.Read(field, raw)
	if err != nil || !field.Fits(v) {
		return v, false
	}
	switch field.Type {
	case sheet.Integer, sheet.Number:
		v.N[0] = field.Clamp(v.N[0])
	case sheet.Text:
		v.S = sheet.Cut(v.S, int(field.Max))
	}
	return v, true
}

// place is the name under which a field's value is written. Where a value of another type is kept that the field cannot
// hold, it stays, for the versions that know it, and this one's goes beside it.
func (f Fields) place(r *rulebook.RecordField) string {
	name := r.Stored()
	raw, there := f[name]
	if !there {
		return name
	}
	_, beside := f[name+":"+r.Field.Type.String()]
	if _, err := sheet.Read(r.Field, raw); err != nil && r.Field.Type != sheet.Choice || beside {
		return name + ":" + r.Field.Type.String()
	}
	return name
}

// Values are the kept fields that a rulebook knows, for its lobbies.
func (f Fields) Values(book *rulebook.Book) []step.Named {
	var out []step.Named
	for _, r := range book.Record {
		if v, there := f.of(r); there {
			out = append(out, step.Named{Name: r.Field.Name, Value: v})
		}
	}
	return out
}

// Shown are the fields that a rulebook declares, each with what is kept or its start.
func (f Fields) Shown(book *rulebook.Book) Fields {
	out := Fields{}
	for _, r := range book.Record {
		v, _ := f.of(r)
		out[r.Field.Name] = written(r.Field, v)
	}
	return out
}

// Apply lets changes happen, and returns the changed fields as they were and are now. A change of a field that the
// rulebook no longer knows is left out.
func (f Fields) Apply(book *rulebook.Book, changes []step.Change) (was, became Fields) {
	was, became = Fields{}, Fields{}
	for i := range changes {
		c := &changes[i]
		r := fieldNamed(book, c.Field)
		if r == nil {
			continue
		}
		had, kept := f.of(r)
		name := f.place(r)
		if _, noted := became[name]; !noted {
			if raw, there := f[name]; there {
				was[name] = raw
			}
		}
		f[name] = written(r.Field, c.On(r.Field, had, kept))
		became[name] = f[name]
	}
	return was, became
}

// fromPlain turns fields of the first form into those of the second. What the rulebook does not know is left as it is.
func (f Fields) fromPlain(book *rulebook.Book) {
	kept := int64(0)
	if n, is := f["kept"].(json.Number); is {
		kept, _ = n.Int64()
	}
	delete(f, "kept")
	for i, r := range book.Record {
		raw, there := f[r.Field.Name]
		if !there {
			continue
		}
		v, err := replica.ValueOf(r.Field.Type, raw)
		switch {
		case err != nil || !r.Field.Fits(v):
		case kept&(1<<i) == 0 && v == r.Field.Start:
			delete(f, r.Field.Name)
		default:
			f[r.Field.Name] = written(r.Field, v)
		}
	}
}
