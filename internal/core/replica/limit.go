package replica

import (
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// limiter holds back changes of fields that are to be told only so often. What was told last of each such field is
// kept, because that is what copies hold.
type limiter struct {
	fields [sheet.Kinds]sheet.Mask // the fields with a rate
	any    bool
	told   map[toldKey]*told
	held   []toldKey // what waits, in the order in which it began to
}

type toldKey struct {
	id sheet.ID
	no int
}

// told is what was told last of a field.
type told struct {
	at    sheet.Tick
	value sheet.Value
	held  bool // the field has changed since
}

func newLimiter(s *sheet.Schema) limiter {
	l := limiter{told: map[toldKey]*told{}}
	for k := range l.fields {
		for _, f := range s.Fields(sheet.Kind(k)) {
			if (f.Rate > 0 || f.RateBy != nil) && f.See != sheet.Hidden {
				l.fields[k].Set(f.No)
				l.any = true
			}
		}
	}
	return l
}

// pass returns which of a sheet's changed fields may be told at this tick.
func (l *limiter) pass(s *sheet.Schema, r *sheet.Row, now sheet.Tick) sheet.Mask {
	out := r.Sent
	limited := out.And(&l.fields[r.Kind])
	for n := limited.Next(0); n >= 0; n = limited.Next(n + 1) {
		f, key := s.Fields(r.Kind)[n], toldKey{r.ID, n}
		t := l.told[key]
		switch {
		case t == nil:
			l.told[key] = &told{at: now, value: r.Get(f)}
		case now >= f.Due(r, t.at):
			t.at, t.value, t.held = now, r.Get(f), false
		default:
			out.Clear(n)
			if !t.held {
				t.held = true
				l.held = append(l.held, key)
			}
		}
	}
	return out
}

// due adds what has waited long enough to the changes of this tick.
func (l *limiter) due(s *sheet.Schema, st *sheet.Store, now sheet.Tick, list []changed) []changed {
	l.held = slices.DeleteFunc(l.held, func(key toldKey) bool {
		t, r := l.told[key], st.Get(key.id)
		if t == nil || !t.held || r == nil {
			return true
		}
		f := s.Fields(r.Kind)[key.no]
		if now < f.Due(r, t.at) {
			return false
		}
		t.held = false
		if v := r.Get(f); v != t.value { // otherwise it has gone back to what was told
			t.at, t.value = now, v
			list = mergeChange(list, r, key.no)
		}
		return true
	})
	return list
}

func mergeChange(list []changed, r *sheet.Row, no int) []changed {
	for i := range list {
		if list[i].row == r {
			list[i].mask.Set(no)
			return list
		}
	}
	ch := changed{row: r}
	ch.mask.Set(no)
	return append(list, ch)
}

// next returns when something that waits is due, 0 for never.
func (l *limiter) next(s *sheet.Schema, st *sheet.Store) (at sheet.Tick) {
	for _, key := range l.held {
		if r := st.Get(key.id); r != nil {
			if due := s.Fields(r.Kind)[key.no].Due(r, l.told[key].at); at == 0 || due < at {
				at = due
			}
		}
	}
	return at
}

// forget drops what is known of a sheet that is gone.
func (l *limiter) forget(id sheet.ID, k sheet.Kind) {
	for n := l.fields[k].Next(0); n >= 0; n = l.fields[k].Next(n + 1) {
		delete(l.told, toldKey{id, n})
	}
}

// shown returns a sheet as copies hold it: what is held back as it was told last.
func (l *limiter) shown(s *sheet.Schema, r *sheet.Row) *sheet.Row {
	out := r
	limited := l.fields[r.Kind]
	for n := limited.Next(0); n >= 0; n = limited.Next(n + 1) {
		t := l.told[toldKey{r.ID, n}]
		if t == nil || !t.held {
			continue
		}
		if out == r {
			out = r.Clone()
		}
		out.Put(s.Fields(r.Kind)[n], t.value)
	}
	return out
}
