package replica

import (
	"slices"

	"turnvex.example/turnvex/internal/core/ground"
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
	Facing    []*sheet.Field // where players look, which is seen as far as they are; none where that is not told

	Cos, Keep int64                         // of the cone in which they see, and of where what is seen stays so
	Looks     func(*sheet.Row) ground.Point // where somebody looks, of length ground.DirUnit; nil for all around
	Tall      func(*sheet.Row) int64        // how tall something is; nil on flat ground
}

// covers tells whether a field is seen only as far as sight goes.
func (s *Sight) covers(k sheet.Kind, f *sheet.Field) bool {
	return s != nil && (s.field(k) == f || slices.Contains(s.Facing, f))
}

// facing are the fields of where a kind of sheet looks.
func (s *Sight) facing(k sheet.Kind) []*sheet.Field {
	if k != sheet.Player {
		return nil
	}
	return s.Facing
}

// maxFacing is how many fields say where somebody looks, at most.
const maxFacing = 2

// looks is where somebody looks.
func (s *Sight) looks(r *sheet.Row) (way [maxFacing]int64) {
	for i, f := range s.facing(r.Kind) {
		way[i] = r.Int(f)
	}
	return way
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

func placeIn(r *sheet.Row, f *sheet.Field) (p ground.Point) {
	p.X, p.Y = r.Pos(f)
	p.Z = r.Height(f)
	return p
}

// middle is where the middle of something is: distances of sight run from middle to middle.
func (s *Sight) middle(r *sheet.Row, feet ground.Point) ground.Point {
	if s.Tall != nil {
		feet.Z += s.Tall(r) / 2
	}
	return feet
}

// eye is where somebody is who sees, and where they look.
type eye struct{ at, looks ground.Point }

// sighting is what a viewer was told last of where something is.
type sighting struct {
	row  *sheet.Row
	id   sheet.ID
	seen bool
	at   ground.Point
	way  [maxFacing]int64 // where it looks
	told sheet.Tick
	step ground.Point // how it came to at
	goes bool         // step is known
}

// sights is what a viewer knows of positions.
type sights struct {
	list  []sighting // in the order of the store, players first
	spare []sighting
	eyes  []eye
	news  []hop
	lost  []*sheet.Row
	next  sheet.Tick // when something farther away is due, 0 for never
}

// parts brings a viewer's knowledge of positions up to date and writes what is new in it.
func (s *sights) parts(w *writer, f *Face, st *sheet.Store, v *View, now sheet.Tick) {
	s.eyes, s.next = s.eyes[:0], 0
	for _, id := range v.Seats {
		if r := st.Get(id); r != nil {
			e := eye{at: f.sight.middle(r, placeIn(r, f.sight.Player))}
			if f.sight.Looks != nil {
				e.looks = f.sight.Looks(r)
			}
			s.eyes = append(s.eyes, e)
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
		for _, looks := range f.sight.facing(k) {
			s.write(w, looks)
		}
	}
}

// look decides what is told of one position.
func (s *sights) look(sight *Sight, g *sighting, field *sheet.Field, now sheet.Tick) {
	at := placeIn(g.row, field)
	way := sight.looks(g.row)
	far := sight.Far
	if g.seen {
		far += far / 10 // so that who stands on the edge does not come and go
	}
	d := s.distance(sight, sight.middle(g.row, at), g.seen)
	switch {
	case d > far*far:
		if g.seen {
			g.seen, g.goes = false, false
			s.lost = append(s.lost, g.row)
		}
		return
	case g.seen && g.at == at && g.way == way:
		return
	case g.seen:
		due := field.Due(g.row, g.told)
		if d > sight.Near*sight.Near {
			due = max(due, g.told+sight.Every)
		}
		if now < due {
			s.next = sheet.Sooner(s.next, due)
			return
		}
	}
	step := ground.Point{X: at.X - g.at.X, Y: at.Y - g.at.Y, Z: at.Z - g.at.Z}
	s.news = append(s.news, hop{row: g.row, fits: g.goes,
		off: [3]int64{step.X - g.step.X, step.Y - g.step.Y, step.Z - g.step.Z}})
	g.step, g.goes = step, g.seen
	g.seen, g.at, g.way, g.told = true, at, way, now
}

// distance is the square of the distance to the nearest of the viewer's players who look there; far beyond any sight
// where none does.
func (s *sights) distance(sight *Sight, p ground.Point, seen bool) int64 {
	best, cos := int64(1)<<62, sight.Cos
	if seen {
		cos = sight.Keep
	}
	for i := range s.eyes {
		e := &s.eyes[i]
		way := ground.Point{X: p.X - e.at.X, Y: p.Y - e.at.Y, Z: p.Z - e.at.Z}
		d := way.X*way.X + way.Y*way.Y + way.Z*way.Z
		if d < best && (sight.Looks == nil || ground.InCone(way, e.looks, cos)) {
			best = d
		}
	}
	return best
}

func (s *sights) write(w *writer, field *sheet.Field) {
	switch {
	case len(s.news) == 0:
	case isPlace(field.Type) && w.enc == CBOR:
		w.places(field, s.news)
	default:
		w.list(2 + (1+field.Type.Width())*len(s.news))
		w.int(opColumn)
		w.int(int64(field.No))
		for _, h := range s.news {
			w.place(field, h.row)
		}
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
