package replica

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// splice is a change of a list: some items at a place give way to others. Lists are told by splices where these take
// less room than the whole.
type splice struct {
	at, cut int
	items   []string
}

// spliceHead is how many elements a splice has beside the items; three more stand before the first.
const spliceHead = 3

// splicesOf finds what makes one list of another; nil where the whole is shorter.
func splicesOf(was, now string) (out []splice) {
	old, items := sheet.Items(was), sheet.Items(now)
	if len(old) != len(items) {
		out = append(out, between(old, items))
	} else {
		for i := 0; i < len(items); i++ {
			if old[i] == items[i] {
				continue
			}
			end := i + 1
			for end < len(items) && old[end] != items[end] {
				end++
			}
			out = append(out, splice{i, end - i, items[i:end]})
			i = end
		}
	}
	room := 3
	for _, s := range out {
		room += spliceHead + len(s.items)
	}
	if room >= len(items) {
		return nil
	}
	return out
}

// between is the one splice that makes one list of another.
func between(old, items []string) splice {
	at := 0
	for at < min(len(old), len(items)) && old[at] == items[at] {
		at++
	}
	end := 0 // items that are alike at the end
	for end < min(len(old), len(items))-at && old[len(old)-1-end] == items[len(items)-1-end] {
		end++
	}
	return splice{at, len(old) - end - at, items[at : len(items)-end]}
}

// lists remembers what was told last of each list, because that is what copies hold.
type lists struct {
	fields [sheet.Kinds]sheet.Mask // the fields that are lists
	any    bool
	told   map[toldKey]string
}

func newLists(s *sheet.Schema) lists {
	l := lists{told: map[toldKey]string{}}
	for k := range l.fields {
		for _, f := range s.Fields(sheet.Kind(k)) {
			if f.Type == sheet.List && f.See != sheet.Hidden {
				l.fields[k].Set(f.No)
				l.any = true
			}
		}
	}
	return l
}

// note keeps what is told of a sheet's lists now, and finds the splices of those of which that is shorter.
func (l *lists) note(s *sheet.Schema, ch *changed) {
	all := ch.mask.And(&l.fields[ch.row.Kind])
	for n := all.Next(0); n >= 0; n = all.Next(n + 1) {
		f, key := s.Fields(ch.row.Kind)[n], toldKey{ch.row.ID, n}
		now := ch.row.Text(f)
		if was, known := l.told[key]; known && !ch.fresh {
			if found := splicesOf(was, now); found != nil {
				ch.lists = append(ch.lists, spliced{n, f.Item == sheet.Text, found})
			}
		}
		l.told[key] = now
	}
}

// shown returns a sheet with its lists as they were told last: what is not told yet will be a splice of that.
func (l *lists) shown(s *sheet.Schema, r *sheet.Row) *sheet.Row {
	out := r
	for n := l.fields[r.Kind].Next(0); n >= 0; n = l.fields[r.Kind].Next(n + 1) {
		f := s.Fields(r.Kind)[n]
		if told, known := l.told[toldKey{r.ID, n}]; known && told != r.Text(f) {
			if out == r {
				out = r.Clone()
			}
			out.Put(f, sheet.Value{Type: sheet.List, S: told})
		}
	}
	return out
}

// forget drops what is known of a sheet that is gone.
func (l *lists) forget(id sheet.ID, k sheet.Kind) {
	for n := l.fields[k].Next(0); n >= 0; n = l.fields[k].Next(n + 1) {
		delete(l.told, toldKey{id, n})
	}
}

// spliced is a list with its splices.
type spliced struct {
	no      int
	texts   bool
	splices []splice
}

// splices writes what makes a list of what it was.
func (w *writer) splices(e *entry) {
	n := 3
	for _, s := range e.splices {
		n += spliceHead + len(s.items)
	}
	w.list(n)
	w.int(opSplice)
	w.int(int64(e.row.ID))
	w.int(int64(e.mask.Next(0)))
	for _, s := range e.splices {
		w.int(int64(s.at))
		w.int(int64(s.cut))
		w.int(int64(len(s.items)))
		for _, item := range s.items {
			w.item(item, e.texts)
		}
	}
}

// splice takes splices of a list into the copy, in their order. A list that the copy does not hold follows as a whole.
func (c *Copy) splice(p Source, n int) error {
	id, err := p.int()
	if err != nil {
		return err
	}
	no, err := p.int()
	if err != nil {
		return err
	}
	s, err := c.known(id)
	if err != nil {
		return err
	}
	f := c.Schema.Field(s.Kind, int(no))
	if f == nil || f.Type != sheet.List {
		return fmt.Errorf("%s %d has no list number %d", s.Kind, s.ID, no)
	}
	held := s.have.Has(f.No)
	items := sheet.Items(s.values[f.No].S)
	for n -= 3; n > 0; {
		sp, err := readSplice(p, f)
		if err != nil {
			return err
		}
		n -= spliceHead + len(sp.items)
		if !held {
			continue
		}
		if sp.at < 0 || sp.cut < 0 || sp.at > len(items) || sp.cut > len(items)-sp.at {
			return fmt.Errorf("%s %d, field %s: %d items from %d on of %d", s.Kind, s.ID, f.Name, sp.cut, sp.at,
				len(items))
		}
		items = slices.Concat(items[:sp.at], sp.items, items[sp.at+sp.cut:])
	}
	if held {
		c.set(s, f, sheet.Value{Type: sheet.List, S: sheet.ListOf(items, f.Item == sheet.Text)})
	}
	return nil
}

func readSplice(p Source, f *sheet.Field) (s splice, err error) {
	var head [spliceHead]int64
	for i := range head {
		if head[i], err = p.int(); err != nil {
			return s, err
		}
	}
	if head[2] < 0 || head[2] > sheet.MaxItems {
		return s, fmt.Errorf("a splice of %d items", head[2])
	}
	s.at, s.cut = int(head[0]), int(head[1])
	item := &sheet.Field{Type: sheet.Integer}
	if f.Item == sheet.Text {
		item.Type = sheet.Text
	}
	for range head[2] {
		v, err := p.value(item.Type, false)
		if err != nil {
			return s, err
		}
		s.items = append(s.items, v.Show(item, 0, 0))
	}
	return s, nil
}
