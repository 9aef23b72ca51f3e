package match

import (
	"sort"

	"turnvex.example/turnvex/internal/core/sheet"
)

// body is where somebody is at a tick, side by side with the others, so that shots and
// zones need not look at every sheet.
type body struct {
	row    *sheet.Row
	x, y   int64
	ox, oy int64 // where they were before this tick
	reach  int64
	slot   int64 // of a player
	alive  bool
}

// bodies are the players in their order and the creatures in theirs.
type bodies struct {
	list    []body
	players int   // how many of them are players
	byX     []int // the places of all, from west to east
	spread  int64 // how far any reaches from its middle, its way in this tick included
}

// gatherBodies notes where everybody is. It is made anew at each tick that needs it.
func (m *Match) gatherBodies() {
	b, pf, cf := &m.bodies, &m.book.F.Player, &m.book.F.Creature
	b.list, b.spread = b.list[:0], 0
	pos, was, alive, slot, reach := pf.Pos.Slot(), pf.Was.Slot(), pf.Alive.Slot(), pf.Slot.Slot(), m.radius()
	for _, r := range m.st.Seated {
		n := r.N
		b.list = append(b.list, body{row: r, x: n[pos], y: n[pos+1], ox: n[was], oy: n[was+1], reach: reach,
			slot: n[slot], alive: n[alive] != 0})
	}
	b.players = len(b.list)
	if cf.Pos != nil {
		pos, was, alive = cf.Pos.Slot(), cf.Was.Slot(), cf.Alive.Slot()
		for _, r := range m.st.Of(sheet.Creature) {
			n := r.N
			b.list = append(b.list, body{row: r, x: n[pos], y: n[pos+1], ox: n[was], oy: n[was+1],
				reach: m.creature(r).Radius, alive: n[alive] != 0})
		}
	}
	for i := range b.list {
		x := &b.list[i]
		b.spread = max(b.spread, x.reach+max(x.x-x.ox, x.ox-x.x))
	}
	b.sort()
}

// sort puts the places in order from west to east. They are nearly so from the tick before.
func (b *bodies) sort() {
	if len(b.byX) != len(b.list) {
		b.byX = b.byX[:0]
		for i := range b.list {
			b.byX = append(b.byX, i)
		}
	}
	for i := 1; i < len(b.byX); i++ {
		n, k := b.byX[i], i
		for ; k > 0 && b.after(b.byX[k-1], n); k-- {
			b.byX[k] = b.byX[k-1]
		}
		b.byX[k] = n
	}
}

// after tells whether one place stands behind another.
func (b *bodies) after(i, k int) bool {
	x, y := b.list[i].x, b.list[k].x
	return x > y || x == y && i > k
}

// from is where in byX those begin that are at x or east of it.
func (b *bodies) from(x int64) int {
	return sort.Search(len(b.byX), func(i int) bool { return b.list[b.byX[i]].x >= x })
}
