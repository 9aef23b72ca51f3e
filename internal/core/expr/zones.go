package expr

import (
	"cel.dev/cel-go/common/ast"

	"turnvex.example/turnvex/internal/core/sheet"
)

// ZoneBits is how many players each of a zone's fields of who is in it holds.
const ZoneBits = 60

// ZoneIn are the names of these fields.
var ZoneIn = []string{"in_a", "in_b", "in_c", "in_d"}

// inZone is the test whether a player is in a zone.
func (k *compiler) inZone(p place) func(of, candidate *sheet.Row) bool {
	var slots []int
	for _, name := range ZoneIn {
		f := k.checker.schema.Field(sheet.Zone, name)
		if f == nil {
			return func(of, candidate *sheet.Row) bool { return false }
		}
		k.readField(p, f)
		slots = append(slots, f.Slot())
	}
	seat := k.checker.schema.Field(sheet.Player, "slot").Slot()
	return func(of, candidate *sheet.Row) bool {
		n := candidate.N[seat]
		return of.ID != 0 && of.N[slots[n/ZoneBits]]&(1<<(n%ZoneBits)) != 0
	}
}

// within compiles within(position, zone).
func (k *compiler) within(args []ast.Expr) numFn {
	at := k.pos(args[0])
	z := k.place(args[1])
	pos, size := k.checker.schema.Field(sheet.Zone, "pos"), k.checker.schema.Field(sheet.Zone, "size")
	if pos == nil {
		return zero
	}
	k.readField(z, pos)
	k.readField(z, size)
	return func(v *Env) int64 {
		r := z.row(v)
		return truth(r.ID != 0 && InZone(r, pos, size, at.x(v), at.y(v)) &&
			(at.z == nil || InHeights(r, pos, size, at.z(v))))
	}
}

// InZone tells whether a point is in a zone, its edge included. A size without a height is a circle's radius, otherwise
// half a box's sides.
func InZone(zone *sheet.Row, pos, size *sheet.Field, x, y int64) bool {
	zx, zy := zone.Pos(pos)
	w, h := zone.Pos(size)
	return InShape(x-zx, y-zy, w, h)
}

// InHeights tells whether a place in so many millimetres above 0 is between a zone's heights, its bottom included: the
// zone is as tall as the third part of its size says.
func InHeights(zone *sheet.Row, pos, size *sheet.Field, z int64) bool {
	z -= zone.Height(pos)
	return z >= 0 && z <= zone.Height(size)
}

// InShape is InZone for a point as seen from the zone's middle.
func InShape(dx, dy, w, h int64) bool {
	if h == 0 {
		return dx <= w && -dx <= w && dy <= w && -dy <= w && dx*dx+dy*dy <= w*w
	}
	return dx <= w && -dx <= w && dy <= h && -dy <= h
}
