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

// Fields are the kept fields of a record by name. What was never kept is not there. An
// integer and a number are written as decimals, a choice as its word, a flag as true or
// false, a position as [x, y] in millimetres; nothing depends on the order in which a
// rulebook declares its fields or words. Fields that a rulebook does not know are left
// as they are.
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
	case sheet.Position:
		return []any{json.Number(fmt.Sprint(v.N[0])), json.Number(fmt.Sprint(v.N[1]))}
	case sheet.Integer:
		return json.Number(fmt.Sprint(v.N[0]))
	}
	return v.Plain()
}

// of returns a field's value, if one is kept that the rulebook can hold.
func (f Fields) of(field *sheet.Field) (sheet.Value, bool) {
	raw, there := f[field.Name]
	if !there {
		return field.Start, false
	}
	v, err := sheet.Read(field, raw)
	if err != nil || !field.Fits(v) {
		return field.Start, false
	}
	return v, true
}

// Values are the kept fields that a rulebook knows, for its lobbies.
func (f Fields) Values(book *rulebook.Book) []step.Named {
	var out []step.Named
	for _, r := range book.Record {
		if v, there := f.of(r.Field); there {
			out = append(out, step.Named{Name: r.Field.Name, Value: v})
		}
	}
	return out
}

// Shown are the fields that a rulebook declares, each with what is kept or its start.
func (f Fields) Shown(book *rulebook.Book) Fields {
	out := Fields{}
	for _, r := range book.Record {
		v, _ := f.of(r.Field)
		out[r.Field.Name] = written(r.Field, v)
	}
	return out
}

// Apply lets changes happen, and returns the changed fields as they were and are now.
// A change of a field that the rulebook no longer knows is left out.
func (f Fields) Apply(book *rulebook.Book, changes []step.Change) (was, became Fields) {
	was, became = Fields{}, Fields{}
	for i := range changes {
		c := &changes[i]
		field := book.Schema.Field(sheet.Record, c.Field)
		if field == nil || field.BuiltIn {
			continue
		}
		had, kept := f.of(field)
		if _, noted := was[c.Field]; !noted && kept {
			was[c.Field] = written(field, had)
		}
		f[c.Field] = written(field, c.On(field, had, kept))
		became[c.Field] = f[c.Field]
	}
	return was, became
}

// fromPlain turns fields of the first form into those of the second. What the rulebook
// does not know is left as it is.
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
