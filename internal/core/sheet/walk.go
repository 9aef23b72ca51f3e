package sheet

import (
	"strconv"

	"turnvex.example/turnvex/internal/core/state"
)

// NotWalked lists the fields of this package that are not part of the state, and why.
var NotWalked = map[string]string{
	"Store.Schema":  "of the rulebook",
	"Store.Watch":   "of the rulebook",
	"Store.lists":   "follows from rows",
	"Store.zero":    "of the rulebook",
	"Store.slabs":   "memory not given out yet",
	"Store.blanks":  "memory not given out yet",
	"Store.resting": "memory to be used again",
	"Store.spare":   "memory to be used again",
	"Store.dirty":   "what was not told yet; the state does not depend on who was told",
	"Store.gone":    "what was not told yet",
	"Store.moved":   "what was not told yet",
	"Store.touched": "empty between steps",
	"Store.hot":     "empty between steps",
	"Row.Touched":   "empty between steps",
	"Row.Sent":      "what was not told yet",
	"Row.Fresh":     "what was not told yet",
	"Row.Born":      "what was told when",
	"Row.Told":      "what was told when",
	"Row.Courses":   "what was told when",
}

// Walk walks over every sheet. What is restored counts as told: whoever has no copy gets a snapshot.
func (st *Store) Walk(w *state.Walk) {
	state.Int(w, "base", &st.base)
	n := len(st.rows)
	state.Int(w, "rows", &n)
	if w.Restoring() && !w.Failed() {
		if n < 0 || n > maxRows {
			w.Fail("the store has %d sheets", n)
			return
		}
		st.rows = make([]*Row, n)
	}
	for i := 0; i < len(st.rows) && !w.Failed(); i++ {
		st.walkRow(w, i)
	}
	st.walkRows(w, "seated", &st.Seated)
}

// maxRows bounds the table of a checkpoint: far more sheets than any lobby has had at one time.
const maxRows = 1 << 20

// walkRow walks over one place of the table, which may be empty.
func (st *Store) walkRow(w *state.Walk, i int) {
	kind := Kind(255)
	r := st.rows[i]
	if r != nil {
		kind = r.Kind
	}
	id := st.base + ID(i)
	w.In(strconv.Itoa(int(id)), func() {
		state.Int(w, "Kind", &kind)
		switch {
		case kind == 255 || w.Failed():
			return
		case int(kind) >= Kinds:
			w.Fail("sheet %d is of unknown kind %d", id, kind)
			return
		case r == nil:
			r = st.make(kind)
			r.ID, st.rows[i] = id, r
			st.lists[kind] = append(st.lists[kind], r)
		}
		state.Int(w, "ID", &r.ID)
		state.Int(w, "Owner", &r.Owner)
		state.Int(w, "Team", &r.Team)
		state.Int(w, "Edges", &r.Edges)
		for _, f := range st.Schema.Fields(kind) {
			switch {
			case f.Person:
				state.Person(w, f.Name, &r.S[f.slot])
			case f.Type.InText():
				state.Text(w, f.Name, &r.S[f.slot])
			}
			for n := range f.Type.Width() {
				state.Int(w, f.Name+slotNames[n], &r.N[f.slot+n])
			}
		}
	})
}

var slotNames = [...]string{"", " 2", " 3"}

// WalkRow walks over a reference to a sheet, by its number; nil is 0.
func (st *Store) WalkRow(w *state.Walk, name string, r **Row) {
	id := ID(0)
	if *r != nil {
		id = (*r).ID
	}
	if state.Int(w, name, &id); !w.Restoring() || w.Failed() {
		return
	}
	if *r = st.Get(id); *r == nil && id != 0 {
		w.Fail("%s refers to sheet %d, which is not there", name, id)
	}
}

func (st *Store) walkRows(w *state.Walk, name string, list *[]*Row) {
	state.List(w, name, list, func(r **Row) {
		if st.WalkRow(w, "sheet", r); *r == nil {
			w.Fail("%s refers to no sheet", name)
		}
	})
}

// Values returns what a sheet holds, in the order of its fields.
func (s *Schema) Values(r *Row) []Value {
	out := make([]Value, len(s.Fields(r.Kind)))
	for i, f := range s.Fields(r.Kind) {
		out[i] = r.Get(f)
	}
	return out
}

// WalkValues walks over what Values has returned of a sheet of a kind.
func (s *Schema) WalkValues(w *state.Walk, k Kind, list *[]Value) {
	fields, n := s.Fields(k), 0
	state.List(w, "values", list, func(v *Value) {
		if n == len(fields) {
			w.Fail("a %s has more values than fields", k)
			return
		}
		f := fields[n]
		n++
		WalkValue(w, v, f.Person)
		if w.Restoring() && !w.Failed() && v.Type != f.Type {
			w.Fail("%s is of type %s, not %s", f.Name, v.Type, f.Type)
		}
	})
	if w.Restoring() && !w.Failed() && n < len(fields) {
		w.Fail("a %s has fewer values than fields", k)
	}
}

// WalkValue walks over a value; the text of a person's is one that tells who somebody is.
func WalkValue(w *state.Walk, v *Value, person bool) {
	state.Int(w, "type", &v.Type)
	for i := range v.N {
		state.Int(w, "n"+slotNames[i], &v.N[i])
	}
	if person {
		state.Person(w, "text", &v.S)
	} else {
		state.Text(w, "text", &v.S)
	}
	if v.Type > Position3 {
		w.Fail("a value of unknown type %d", v.Type)
	}
}
