package keep

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Difference is what another version of a rulebook means for a field of the records that are kept, or for a board.
type Difference struct {
	Field     string `json:"field,omitempty"`     // as the new version names it, or the old one if it has none
	Board     string `json:"board,omitempty"`     // the name of the board, instead
	What      string `json:"what"`                // such as added, removed, renamed, type or bounds; order, keep or renew
	Means     string `json:"means"`               // what happens to what is kept
	Concerned *int64 `json:"concerned,omitempty"` // how many records or entries, for operators

	count string // the condition on fields, for those that concern records
	args  []any
}

// Loses tells whether something that is kept, once it was counted, reads otherwise for the new version.
func (d *Difference) Loses() bool {
	return d.Concerned != nil && *d.Concerned > 0 && d.What != "renamed" && d.What != "added"
}

// Differences tells what a new version of a rulebook means for what is kept of records and on boards. The old one may
// be nil.
func Differences(old, new *rulebook.Book) (out []Difference) {
	if old == nil {
		return nil
	}
	byStored := func(fields []*rulebook.RecordField) map[string]*rulebook.RecordField {
		m := map[string]*rulebook.RecordField{}
		for _, r := range fields {
			m[r.Stored()] = r
		}
		return m
	}
	was, is := own(old), own(new)
	before, after := byStored(was), byStored(is)
	for _, r := range is {
		was := before[r.Stored()]
		if was == nil {
			out = append(out, added(old, r))
			continue
		}
		out = append(out, changed(was, r)...)
	}
	for _, r := range was {
		if after[r.Stored()] == nil {
			out = append(out, Difference{Field: r.Field.Name, What: "removed",
				Means: "what is kept stays, unseen, and is there again for a version that has the field",
				count: isKept, args: []any{r.Stored()}})
		}
	}
	return append(out, boardDifferences(old, new)...)
}

// own are the fields of a rulebook's record without those of its game, whose record is another one.
func own(b *rulebook.Book) []*rulebook.RecordField {
	return slices.DeleteFunc(slices.Clone(b.Record), func(r *rulebook.RecordField) bool { return r.Game })
}

// isKept is the condition that something is kept under a name.
const isKept = "jsonb_exists(fields, ?)"

// added tells of a field that is new, or that lost the names under which it was kept.
func added(old *rulebook.Book, r *rulebook.RecordField) Difference {
	d := Difference{Field: r.Field.Name, What: "added",
		Means: "records have its start, " + r.Field.Start.Show(r.Field, 0, 0)}
	for _, name := range r.Was {
		for _, o := range old.Record {
			if o.Field.Name == name && o.Stored() != r.Stored() {
				d.Means = fmt.Sprintf("it begins at its start: %s is kept as %s, so was must be [%s]", name, o.Stored(),
					strings.Join(append([]string{name}, o.Was...), ", "))
				d.count, d.args = isKept, []any{o.Stored()}
			}
		}
	}
	return d
}

// changed tells what is different about a field that both versions have.
func changed(old, new *rulebook.RecordField) (out []Difference) {
	f, was, stored := new.Field, old.Field, new.Stored()
	say := func(what, means, count string, args ...any) {
		out = append(out, Difference{Field: f.Name, What: what, Means: means, count: count, args: args})
	}
	if f.Name != was.Name {
		say("renamed", "what was kept as "+was.Name+" is this field's, in both versions", isKept, stored)
	}
	if f.Type != was.Type {
		means := fmt.Sprintf("what is kept as %s stays for versions that know it; this one begins at its start, "+
			"beside it", was.Type)
		if was.Type == sheet.Integer && f.Type == sheet.Number {
			means = "what is kept reads as a number"
		} else if was.Type == sheet.Number && f.Type == sheet.Integer {
			means = "what is kept reads as an integer where it is whole; otherwise it stays, and this version " +
				"begins beside it"
		}
		say("type", means, isKept, stored)
		return out
	}
	switch f.Type {
	case sheet.Integer, sheet.Number:
		show := func(n int64) string { return sheet.IntValue(f.Type, n).Show(f, 0, 0) }
		var beyond []string
		if f.Min > was.Min {
			beyond = append(beyond, "below "+show(f.Min))
		}
		if f.Max < was.Max {
			beyond = append(beyond, "above "+show(f.Max))
		}
		if len(beyond) > 0 {
			say("bounds", "values "+strings.Join(beyond, " or ")+" read as that bound, and are kept so once they "+
				"change",
				"jsonb_typeof(fields -> ?) = 'number' and ((fields ->> ?)::numeric < ?::numeric or "+
					"(fields ->> ?)::numeric > ?::numeric)", stored, stored, show(f.Min), stored, show(f.Max))
		}
	case sheet.Text:
		if f.Max < was.Max {
			say("bounds", fmt.Sprintf("texts of more than %d characters read cut, and are kept so once they "+
				"change", f.Max),
				"char_length(fields ->> ?) > ?", stored, f.Max)
		}
	case sheet.Choice:
		var gone []string
		for _, w := range was.Choices {
			if !slices.Contains(f.Choices, w) {
				gone = append(gone, w)
			}
		}
		if len(gone) > 0 {
			say("words", "records with "+strings.Join(gone, ", ")+" read as the start, "+f.Start.Show(f, 0, 0)+
				"; the word stays until it is set anew", "fields ->> ? in ?", stored, gone)
		}
	}
	if a, b := f.Start.Show(f, 0, 0), was.Start.Show(was, 0, 0); a != b {
		say("start", "records in which nothing is kept of it read as "+a+", not "+b, "not "+isKept, stored)
	}
	return out
}

// Count tells for each difference how many records of the rulebook, or entries of a board, it concerns.
func (k *Keeper) Count(ctx context.Context, book string, list []Difference) error {
	for i := range list {
		d := &list[i]
		var n int64
		if d.count != "" {
			q := k.db.WithContext(ctx).Table("records").Where("rulebook = ?", book)
			if d.Board != "" {
				q = k.db.WithContext(ctx).Table("board_entries").Where("not removed")
			}
			if err := q.Where(d.count, d.args...).Count(&n).Error; err != nil {
				return err
			}
		}
		d.Concerned = &n
	}
	return nil
}
