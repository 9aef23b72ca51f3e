package match

import (
	"sort"

	"turnvex.example/turnvex/internal/core/sheet"
)

// nearby knows where all bodies are at a tick.
type nearby struct {
	*stage
	bodies bodies
}

// body is where somebody is at a tick, side by side with the others, so that shots and zones need not look at every
// sheet.
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
	players int    // how many of them are players
	byX     []spot // all, from west to east
	spread  int64  // how far any reaches from its middle, its way in this tick included
	bySlot  []int  // the place of each player by its slot
	near    []uint64
	up      []upright // of each, on tall ground
	ways    []way     // of the players, while touches are looked for
}

// upright is how high somebody is at a tick, and was before it, and how tall they are.
type upright struct{ z, oz, tall int64 }

// spot is one of the bodies in the order from west to east.
type spot struct {
	x  int64
	at int // its place in the list
}

// gatherBodies notes where everybody is. It is made anew at each tick that needs it.
func (m *nearby) gatherBodies() {
	b, pf, cf := &m.bodies, &m.book.F.Player, &m.book.F.Creature
	b.list, b.spread = b.list[:0], 0
	pos, was, alive, slot, reach := pf.Pos.Slot(), pf.Was.Slot(), pf.Alive.Slot(), pf.Slot.Slot(), m.radius()
	for _, r := range m.st.Seated {
		n := r.N
		b.list = append(b.list, body{row: r, x: n[pos], y: n[pos+1], ox: n[was], oy: n[was+1], reach: reach,
			slot: n[slot], alive: n[alive] != 0})
	}
	b.players = len(b.list)
	b.index()
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
	if b.up = b.up[:0]; m.book.Schema.Deep {
		m.gatherHeights()
	}
}

// gatherHeights notes how high everybody is, on tall ground.
func (m *nearby) gatherHeights() {
	b, pf, cf := &m.bodies, &m.book.F.Player, &m.book.F.Creature
	for i := range b.list {
		r, pos, was := b.list[i].row, pf.Pos, pf.Was
		if r.Kind == sheet.Creature {
			pos, was = cf.Pos, cf.Was
		}
		b.up = append(b.up, upright{r.Height(pos), r.Height(was), m.book.Body(r).Tall})
	}
}

// sort puts the places in order from west to east. They are nearly so from the tick before.
func (b *bodies) sort() {
	if len(b.byX) != len(b.list) {
		b.byX = b.byX[:0]
		for i := range b.list {
			b.byX = append(b.byX, spot{at: i})
		}
	}
	for i := range b.byX {
		s, k := spot{x: b.list[b.byX[i].at].x, at: b.byX[i].at}, i
		for ; k > 0 && (b.byX[k-1].x > s.x || b.byX[k-1].x == s.x && b.byX[k-1].at > s.at); k-- {
			b.byX[k] = b.byX[k-1]
		}
		b.byX[k] = s
	}
}

// from is where in byX those begin that are at x or east of it.
func (b *bodies) from(x int64) int {
	return sort.Search(len(b.byX), func(i int) bool { return b.byX[i].x >= x })
}

// index notes where each player stands in the list.
func (b *bodies) index() {
	for i := range b.list {
		slot := int(b.list[i].slot)
		for len(b.bySlot) <= slot {
			b.bySlot = append(b.bySlot, -1)
		}
		b.bySlot[slot] = i
	}
}

// inStrip picks the players between two meridians, both included. Others can be added to them by pick, before they are
// read from b.near: one bit for each place.
func (b *bodies) inStrip(west, east int64) {
	b.near = b.near[:0]
	for range (b.players + 63) / 64 {
		b.near = append(b.near, 0)
	}
	for k := b.from(west); k < len(b.byX) && b.byX[k].x <= east; k++ {
		if b.byX[k].at < b.players {
			b.pick(b.byX[k].at)
		}
	}
}

func (b *bodies) pick(i int) { b.near[i>>6] |= 1 << (i & 63) }
