package replica

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Described is a schema as clients are told it: once, with names; afterwards fields are told by number. Hidden fields
// are left out.
type Described struct {
	Kinds [][]DescribedField `json:"kinds"` // by the number of the kind
}

// DescribedField is one field as clients are told it.
type DescribedField struct {
	No      int      `json:"no" jsonschema:"its number, used in parts"`
	Name    string   `json:"name"`
	Title   string   `json:"title,omitempty" jsonschema:"the display name"`
	Type    string   `json:"type" jsonschema:"integer, number, text, flag, choice, position, ref, clock or list"`
	Choices []string `json:"choices,omitempty" jsonschema:"the words of a choice"`
	Of      string   `json:"of,omitempty" jsonschema:"for a ref or a list of refs: player, team, creature or zone"`
	See     string   `json:"see,omitempty" jsonschema:"who sees it: team, owner, referees, or the players in a list of the match sheet, as match.NAME; default: everyone"`
	Min     *int64   `json:"min,omitempty" jsonschema:"the least value, in the unit of parts"`
	Max     *int64   `json:"max,omitempty" jsonschema:"the greatest value, in the unit of parts; for a text: in characters"`
	MaxBy   string   `json:"max_by,omitempty" jsonschema:"the field of the same sheet that holds the greatest value"`
	Show    string   `json:"show,omitempty" jsonschema:"how tools display it: bar, number, time or aside; default: as the tool decides"`
	Item    string   `json:"item,omitempty" jsonschema:"for a list: the type of its items: integer, text, choice or ref"`
	Most    int      `json:"most,omitempty" jsonschema:"for a list: the most items"`
	Wall    bool     `json:"wall,omitempty" jsonschema:"for a clock: it follows wall ticks, not play ticks"`
	Every   int64    `json:"every,omitempty" jsonschema:"the shortest time between two updates, in ticks"`
	Own     bool     `json:"own,omitempty" jsonschema:"declared by the rulebook"`
}

// Describe makes the description of a schema.
func Describe(s *sheet.Schema) Described {
	d := Described{Kinds: make([][]DescribedField, sheet.Kinds)}
	for k := 0; k < sheet.Kinds; k++ {
		d.Kinds[k] = []DescribedField{} // a list also where there are none
		for _, f := range s.Fields(sheet.Kind(k)) {
			if f.See != sheet.Hidden {
				d.Kinds[k] = append(d.Kinds[k], DescribeField(f))
			}
		}
	}
	return d
}

const unbounded = 1 << 53

// DescribeField makes the description of one field.
func DescribeField(f *sheet.Field) DescribedField {
	d := DescribedField{No: f.No, Name: f.Name, Title: f.Title, Type: f.Type.String(), Choices: f.Choices, Wall: f.Wall,
		Every: int64(f.Rate), Own: !f.BuiltIn, MaxBy: f.MaxBy}
	if f.Show != sheet.ShowAny {
		d.Show = f.Show.String()
	}
	if f.Type == sheet.List {
		d.Item, d.Most = f.Item.String(), f.Most
	}
	if f.Type == sheet.Ref || f.Type == sheet.List && f.Item == sheet.Ref {
		d.Of = f.Of.String()
	}
	if f.See != sheet.Everyone {
		d.See = f.SeenBy()
	}
	if f.Bounded {
		if f.Min > -unbounded {
			d.Min = &f.Min
		}
		if f.Max < unbounded {
			d.Max = &f.Max
		}
	}
	return d
}

// Schema turns a description back into what a copy needs.
func (d Described) Schema() (*Schema, error) {
	s := &Schema{}
	if len(d.Kinds) != sheet.Kinds {
		return nil, fmt.Errorf("the schema has %d kinds of sheet, not %d", len(d.Kinds), sheet.Kinds)
	}
	for k, fields := range d.Kinds {
		for _, df := range fields {
			t, ok := sheet.TypeNamed(df.Type)
			if !ok || df.No < 0 || df.No >= sheet.MaxFields {
				return nil, fmt.Errorf("the schema has a field %q with number %d and type %q", df.Name, df.No, df.Type)
			}
			f := &sheet.Field{Name: df.Name, Title: df.Title, No: df.No, Type: t, Choices: df.Choices, Wall: df.Wall,
				BuiltIn: !df.Own, MaxBy: df.MaxBy}
			f.Show, _ = sheet.ShowNamed(df.Show)
			f.Of, _ = sheet.KindNamed(df.Of)
			f.Item, _ = sheet.TypeNamed(df.Item)
			f.Most = df.Most
			f.SeeBy(df.See)
			if df.Min != nil {
				f.Min, f.Bounded = *df.Min, true
			}
			if df.Max != nil {
				f.Max = *df.Max
			}
			for len(s.kinds[k]) <= df.No {
				s.kinds[k] = append(s.kinds[k], nil)
			}
			s.kinds[k][df.No] = f
		}
	}
	return s, nil
}

// Schema is what a client knows of the fields, by kind and number.
type Schema struct {
	kinds [sheet.Kinds][]*sheet.Field
}

// Field returns a field by number, or nil.
func (s *Schema) Field(k sheet.Kind, no int) *sheet.Field {
	if no < 0 || no >= len(s.kinds[k]) {
		return nil
	}
	return s.kinds[k][no]
}

// Named returns a field by name, or nil.
func (s *Schema) Named(k sheet.Kind, name string) *sheet.Field {
	for _, f := range s.kinds[k] {
		if f != nil && f.Name == name {
			return f
		}
	}
	return nil
}

// Fields returns the fields of a kind in their order.
func (s *Schema) Fields(k sheet.Kind) []*sheet.Field {
	var out []*sheet.Field
	for _, f := range s.kinds[k] {
		if f != nil {
			out = append(out, f)
		}
	}
	return out
}
