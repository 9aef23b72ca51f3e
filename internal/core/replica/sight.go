package replica

import (
	"turnvex.example/turnvex/internal/core/sheet"
)

// Sight says how far positions are seen on a ground: within Near of one of a client's players each change is told, from
// there to Far one each Every ticks, and beyond Far none. Distances are in millimetres.
type Sight struct {
	Near, Far int64
	Every     sheet.Tick
	Player    *sheet.Field // the positions that it is about
	Piece     *sheet.Field
	Creature  *sheet.Field
	Yaw       *sheet.Field // where players look, which is seen as far as they are; nil where that is not told
}

// covers tells whether a field is seen only as far as sight goes.
func (s *Sight) covers(k sheet.Kind, f *sheet.Field) bool {
	return s != nil && (s.field(k) == f || s.Yaw == f)
}

// facing is the field of where a kind of sheet looks, nil for none.
func (s *Sight) facing(k sheet.Kind) *sheet.Field {
	if k != sheet.Player {
		return nil
	}
	return s.Yaw
}

// field returns the position field that a kind of sheet is seen by, or nil.
func (s *Sight) field(k sheet.Kind) *sheet.Field {
	switch {
	case s != nil && k == sheet.Player:
		return s.Player
	case s != nil && k == sheet.Piece:
		return s.Piece
	case s != nil && k == sheet.Creature:
		return s.Creature
	}
	return nil
}

// sighting is what a viewer was told last of where something is.
type sighting struct {
	row  *sheet.Row
	id   sheet.ID
	seen bool
	x, y int64
	yaw  int64
	at   sheet.Tick
}

// sights is what a viewer knows of positions.
type sights struct {
	list  []sighting // in the order of the store, players first
	spare []sighting
	eyes  [][2]int64
	news  []*sheet.Row
	lost  []*sheet.Row
	next  sheet.Tick // when something farther away is due, 0 for never
}

// parts brings a viewer's knowledge of positions up to date and writes what is new in it.
func (s *sights) parts(w *writer, f *Face, st *sheet.Store, v *View, now sheet.Tick) {
	s.eyes, s.next = s.eyes[:0], 0
	for _, id := range v.Seats {
		if r := st.Get(id); r != nil {
			x, y := r.Pos(f.sight.Player)
			s.eyes = append(s.eyes, [2]int64{x, y})
		}
	}
	old := s.list
	s.list, s.spare = s.spare[:0], old
	for _, k := range [...]sheet.Kind{sheet.Player, sheet.Piece, sheet.Creature} {
		field := f.sight.field(k)
		if field == nil {
			continue
		}
		s.news, s.lost = s.news[:0], s.lost[:0]
		for _, r := range st.Of(k) {
			for len(old) > 0 && old[0].row.Kind == k && old[0].id < r.ID {
				old = old[1:] // that sheet is gone
			}
			g := sighting{row: r, id: r.ID}
			if len(old) > 0 && old[0].id == r.ID {
				g, old = old[0], old[1:]
			}
			s.look(f.sight, &g, field, now)
			s.list = append(s.list, g)
		}
		for len(old) > 0 && old[0].row.Kind == k {
			old = old[1:]
		}
		s.write(w, field)
		if yaw := f.sight.facing(k); yaw != nil {
			s.write(w, yaw)
		}
	}
}

// look decides what is told of one position.
func (s *sights) look(sight *Sight, g *sighting, field *sheet.Field, now sheet.Tick) {
	x, y := g.row.Pos(field)
	yaw := int64(0)
	if f := sight.facing(g.row.Kind); f != nil {
		yaw = g.row.Int(f)
	}
	far := sight.Far
	if g.seen {
		far += far / 10 // so that who stands on the edge does not come and go
	}
	d := s.distance(x, y)
	switch {
	case d > far*far:
		if g.seen {
			g.seen = false
			s.lost = append(s.lost, g.row)
		}
		return
	case g.seen && g.x == x && g.y == y && g.yaw == yaw:
		return
	case g.seen:
		every := field.Every(g.row)
		if d > sight.Near*sight.Near {
			every = max(every, sight.Every)
		}
		if now-g.at < every {
			s.next = sheet.Sooner(s.next, g.at+every)
			return
		}
	}
	g.seen, g.x, g.y, g.yaw, g.at = true, x, y, yaw, now
	s.news = append(s.news, g.row)
}

// distance is the square of the distance to the nearest of the viewer's players.
func (s *sights) distance(x, y int64) int64 {
	best := int64(1) << 62
	for _, e := range s.eyes {
		dx, dy := x-e[0], y-e[1]
		best = min(best, dx*dx+dy*dy)
	}
	return best
}

func (s *sights) write(w *writer, field *sheet.Field) {
	switch {
	case len(s.news) == 1:
		w.list(3)
		w.int(int64(s.news[0].ID))
		w.int(int64(field.No))
		w.value(s.news[0], field)
		w.end()
	case len(s.news) > 1:
		w.column(field, s.news)
		w.end()
	}
	for _, r := range s.lost {
		w.list(3)
		w.int(opWithdraw)
		w.int(int64(r.ID))
		w.int(int64(field.No))
		w.end()
	}
}
