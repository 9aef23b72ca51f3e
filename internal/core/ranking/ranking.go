// Package ranking keeps entries in the order of a leaderboard, so that a place, a page and neighbours are found without
// counting.
package ranking

import (
	"cmp"
	"math/bits"
	"slices"
	"sort"
)

// Entry is somebody's entry. Whom Who means is the caller's business.
type Entry struct {
	Value   int64    // what they are ranked by
	At      int64    // when they reached it, in microseconds since the epoch
	Version int64    // of two entries of somebody, the greater is the newer
	Match   [16]byte // in which match; zero for none
	Who     uint32
}

// most is the most entries of a block. A change moves at most so many numbers, and a split or a merge touches a count
// for each block.
const most = 512

// block holds the slots of entries in order, and beside them their values, so that a search for a value does not look
// at the entries themselves.
type block struct {
	first  int64 // values[0], so that a search over the blocks looks at nothing else
	slots  []uint32
	values []int64
}

func newBlock() block { return block{slots: make([]uint32, 0, most), values: make([]int64, 0, most)} }

// begin notes what the block begins with.
func (b *block) begin() {
	if len(b.values) > 0 {
		b.first = b.values[0]
	}
}

// Ranking is entries in order: by value, then by who reached it first, then by who is
// first in the order of Compare. It is not safe for concurrent use. Its invariants:
//
//  1. blocks holds each used slot once, in order, with its value; no block is empty, or as
//     long as most, and each says what it begins with.
//  2. slots maps each Who of a used slot to it, and to no other.
//  3. sums is the tree of the blocks' lengths: sums[i] covers the i&-i blocks up to i.
type Ranking struct {
	// Least says that the least value comes first.
	Least bool
	// Compare orders those who have the same value since the same moment.
	Compare func(a, b uint32) int

	entries []Entry
	free    []uint32
	slots   map[uint32]uint32
	blocks  []block
	sums    []int
}

// New returns a ranking of entries that are in order, of which no two are of the same Who. It keeps the slice.
func New(least bool, compare func(a, b uint32) int, entries []Entry) *Ranking {
	r := &Ranking{Least: least, Compare: compare, entries: entries, slots: make(map[uint32]uint32, len(entries))}
	for i := range entries {
		if i%(most/2) == 0 {
			r.blocks = append(r.blocks, newBlock())
		}
		b := &r.blocks[len(r.blocks)-1]
		b.slots, b.values = append(b.slots, uint32(i)), append(b.values, entries[i].Value)
		b.begin()
		r.slots[entries[i].Who] = uint32(i)
	}
	r.count()
	return r
}

// Len is how many entries there are.
func (r *Ranking) Len() int { return len(r.slots) }

// Order orders two values, each reached at a moment, without ties.
func Order(least bool, value, at, other, since int64) int {
	by := cmp.Compare(value, other)
	if !least {
		by = -by
	}
	if by == 0 {
		by = cmp.Compare(at, since)
	}
	return by
}

// compareKey orders a value reached at a moment against an entry.
func (r *Ranking) compareKey(value, at int64, e *Entry) int {
	return Order(r.Least, value, at, e.Value, e.At)
}

func (r *Ranking) compare(a, b uint32) int {
	x, y := &r.entries[a], &r.entries[b]
	if by := r.compareKey(x.Value, x.At, y); by != 0 || x.Who == y.Who {
		return by
	}
	return r.Compare(x.Who, y.Who)
}

// Set puts an entry in the place of an older one of the same Who, and tells whether it was newer than what is known.
func (r *Ranking) Set(e Entry) bool {
	slot, there := r.slots[e.Who]
	if there && r.entries[slot].Version >= e.Version {
		return false
	}
	if there {
		if old := &r.entries[slot]; old.Value == e.Value && old.At == e.At {
			*old = e
			return true
		}
		r.take(slot)
	}
	r.put(e)
	return true
}

// Remove takes somebody's entry away, unless it is newer than version, and tells whether it did.
func (r *Ranking) Remove(who uint32, version int64) bool {
	slot, there := r.slots[who]
	if !there || r.entries[slot].Version >= version {
		return false
	}
	r.take(slot)
	return true
}

func (r *Ranking) put(e Entry) {
	slot := uint32(len(r.entries))
	if n := len(r.free); n > 0 {
		slot, r.free = r.free[n-1], r.free[:n-1]
		r.entries[slot] = e
	} else {
		r.entries = append(r.entries, e)
	}
	r.slots[e.Who] = slot
	if len(r.blocks) == 0 {
		r.blocks = []block{newBlock()}
		r.count()
	}
	n := r.blockOf(slot)
	b := &r.blocks[n]
	i := r.find(b, slot)
	b.slots, b.values = slices.Insert(b.slots, i, slot), slices.Insert(b.values, i, e.Value)
	b.begin()
	r.add(n, 1)
	if len(b.slots) == most {
		half := newBlock()
		half.slots, half.values = append(half.slots, b.slots[most/2:]...), append(half.values, b.values[most/2:]...)
		b.slots, b.values = b.slots[:most/2], b.values[:most/2]
		half.begin()
		r.blocks = slices.Insert(r.blocks, n+1, half)
		r.count()
	}
}

func (r *Ranking) take(slot uint32) {
	n := r.blockOf(slot)
	b := &r.blocks[n]
	i := r.find(b, slot)
	b.slots, b.values = slices.Delete(b.slots, i, i+1), slices.Delete(b.values, i, i+1)
	b.begin()
	r.add(n, -1)
	if len(b.slots) == 0 {
		r.blocks = slices.Delete(r.blocks, n, n+1)
		r.count()
	}
	delete(r.slots, r.entries[slot].Who)
	r.free = append(r.free, slot)
}

// against orders the i-th entry of a block against a slot's.
func (r *Ranking) against(b *block, i int, slot uint32) int {
	if v := r.entries[slot].Value; b.values[i] != v {
		return Order(r.Least, b.values[i], 0, v, 0)
	}
	return r.compare(b.slots[i], slot)
}

// find is the index of a slot in its block, or where it would be.
func (r *Ranking) find(b *block, slot uint32) int {
	return sort.Search(len(b.slots), func(i int) bool { return r.against(b, i, slot) >= 0 })
}

// blockOf is the block that holds a slot's entry, or would: the last that does not begin behind it.
func (r *Ranking) blockOf(slot uint32) int {
	v := r.entries[slot].Value
	n := sort.Search(len(r.blocks), func(n int) bool {
		b := &r.blocks[n]
		if b.first != v {
			return len(b.slots) > 0 && Order(r.Least, b.first, 0, v, 0) > 0
		}
		return len(b.slots) > 0 && r.against(b, 0, slot) > 0
	})
	return max(n-1, 0)
}

// count makes the sums anew.
func (r *Ranking) count() {
	r.sums = slices.Grow(r.sums[:0], len(r.blocks)+1)[:len(r.blocks)+1]
	clear(r.sums)
	for i, b := range r.blocks {
		at := i + 1
		r.sums[at] += len(b.slots)
		if up := at + at&-at; up < len(r.sums) {
			r.sums[up] += r.sums[at]
		}
	}
}

func (r *Ranking) add(b, n int) {
	for i := b + 1; i < len(r.sums); i += i & -i {
		r.sums[i] += n
	}
}

// before is how many entries stand in the blocks before one.
func (r *Ranking) before(b int) (n int) {
	for i := b; i > 0; i -= i & -i {
		n += r.sums[i]
	}
	return n
}

// Index is how many entries stand before somebody's.
func (r *Ranking) Index(who uint32) (i int, there bool) {
	slot, there := r.slots[who]
	if !there {
		return 0, false
	}
	n := r.blockOf(slot)
	return r.before(n) + r.find(&r.blocks[n], slot), true
}

// Of returns somebody's entry.
func (r *Ranking) Of(who uint32) (Entry, bool) {
	slot, there := r.slots[who]
	if !there {
		return Entry{}, false
	}
	return r.entries[slot], true
}

// Place is the place of a value: one more than how many entries are better. Equal values share a place.
func (r *Ranking) Place(value int64) int { return r.Search(value, -1<<63) + 1 }

// Search is how many entries stand before a value that was reached at a moment.
func (r *Ranking) Search(value, at int64) int {
	n := sort.Search(len(r.blocks), func(n int) bool {
		b := &r.blocks[n]
		if b.first != value {
			return Order(r.Least, b.first, 0, value, 0) >= 0
		}
		return !r.stands(b, 0, value, at)
	})
	if n == 0 {
		return 0
	}
	b := &r.blocks[n-1]
	return r.before(n-1) + sort.Search(len(b.slots), func(i int) bool { return !r.stands(b, i, value, at) })
}

// stands tells whether the i-th entry of a block stands before a value that was reached at a moment.
func (r *Ranking) stands(b *block, i int, value, at int64) bool {
	if b.values[i] != value {
		return Order(r.Least, b.values[i], 0, value, 0) < 0
	}
	return r.entries[b.slots[i]].At < at
}

// Walk visits at most n entries from an index on, in order, and returns the place of the first of them, 0 without any.
// What is visited must not be changed or kept.
func (r *Ranking) Walk(from, n int, visit func(e *Entry)) (place int) {
	if from < 0 || from >= r.Len() || n <= 0 {
		return 0
	}
	b, skip := 0, from
	for step := 1 << bits.Len(uint(len(r.sums))); step > 0; step /= 2 { // down the tree of sums
		if next := b + step; next < len(r.sums) && r.sums[next] <= skip {
			b, skip = next, skip-r.sums[next]
		}
	}
	place = r.placeOf(&r.blocks[b], from, skip)
	for ; b < len(r.blocks) && n > 0; b, skip = b+1, 0 {
		slots := r.blocks[b].slots
		slots = slots[skip:min(len(slots), skip+n)]
		for _, s := range slots {
			visit(&r.entries[s])
		}
		n -= len(slots)
	}
	return place
}

// placeOf is the place of the entry at an index, which is the i-th of its block: those of the same value stand directly
// before it, mostly in its block.
func (r *Ranking) placeOf(b *block, index, i int) int {
	value := b.values[i]
	for back := i; back > 0; back-- {
		if b.values[back-1] != value {
			return index - (i - back) + 1
		}
	}
	return r.Place(value)
}

// Bytes is about how much memory the ranking takes.
func (r *Ranking) Bytes() int {
	const entry, link, inBlock = 48, 18, 12
	return cap(r.entries)*entry + len(r.slots)*link + len(r.blocks)*most*inBlock + cap(r.sums)*8
}
