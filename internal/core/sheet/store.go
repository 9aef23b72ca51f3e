package sheet

import (
	"fmt"
	"slices"
	"strconv"
)

// Removed tells of a sheet that is gone.
type Removed struct {
	ID   ID
	Kind Kind
	Born Tick // when it was first told
}

// Moved tells of a player whose team, and so whose view, has changed.
type Moved struct {
	Player *Row
	From   ID
}

// Store holds every sheet of a lobby and remembers what changed. It is not safe for use by several goroutines.
type Store struct {
	Schema *Schema
	Watch  [Kinds]Mask // the fields whose changes the rules look at; the others are not remembered for them
	Seated []*Row      // the players who take part in the present match, in order of entry

	rows    []*Row // by ID-base
	base    ID
	lists   [Kinds][]*Row
	zero    *[Kinds]*Row   // of the schema
	slabs   [Kinds][]int64 // slots not yet given out
	blanks  [Kinds][]Row   // rows not yet given out
	touched [Kinds]Mask
	hot     []*Row // rows with fields touched since the rules last looked
	dirty   []*Row // rows with fields not yet taken
	gone    []Removed
	moved   []Moved
	resting [Kinds][]*Row // rows of pieces and creatures removed in this step, which it may still hold
	spare   [Kinds][]*Row // and those of steps before, for reuse
}

// NewStore returns an empty store.
func NewStore(s *Schema) *Store {
	s.Seal()
	return &Store{Schema: s, base: 1, zero: s.zero}
}

// slab is how many sheets of a kind get their slots in one piece of memory at most.
const slab = 8

func (st *Store) make(k Kind) *Row {
	ks := &st.Schema.kinds[k]
	if len(st.slabs[k]) < ks.ints {
		n := min(slab, max(1, len(st.lists[k])))
		switch k { // these are read together at every tick
		case Player:
			n = slab
		case Creature:
			n = 4 * slab
		}
		st.slabs[k] = make([]int64, n*ks.ints)
		st.blanks[k] = make([]Row, n)
	}
	slots := st.slabs[k][:ks.ints:ks.ints]
	st.slabs[k] = st.slabs[k][ks.ints:]
	if len(st.blanks[k]) == 0 { // the kind has no slots
		st.blanks[k] = make([]Row, 1)
	}
	r := &st.blanks[k][0]
	st.blanks[k] = st.blanks[k][1:]
	*r = Row{Kind: k, N: slots, S: make([]string, ks.texts), Told: make([]uint32, len(ks.fields))}
	return r
}

// Add adds a sheet of a kind with every field at its start.
func (st *Store) Add(k Kind) *Row {
	var r *Row
	if n := len(st.spare[k]); n > 0 {
		r, st.spare[k] = st.spare[k][n-1], st.spare[k][:n-1]
		*r = Row{Kind: k, N: r.N, S: r.S, Told: r.Told, Courses: r.Courses[:0]}
	} else {
		r = st.make(k)
	}
	r.ID = st.base + ID(len(st.rows))
	st.rows = append(st.rows, r)
	st.lists[k] = append(st.lists[k], r)
	for _, f := range st.Schema.Fields(k) {
		r.Put(f, f.Start)
	}
	r.Fresh = true
	for _, f := range st.Schema.Fields(k) {
		st.mark(r, f)
	}
	return r
}

// Remove takes a sheet away. Removing one that is not there does nothing.
func (st *Store) Remove(r *Row) {
	if st.Get(r.ID) != r {
		return
	}
	st.rows[r.ID-st.base] = nil
	st.lists[r.Kind] = without(st.lists[r.Kind], r)
	if r.Kind == Player {
		st.Seated = without(st.Seated, r)
	}
	st.TouchAll(r.Kind) // whatever counts them counts one less
	st.hot = without(st.hot, r)
	if !r.Sent.Empty() {
		st.dirty = without(st.dirty, r)
	}
	if !r.Fresh {
		st.gone = append(st.gone, Removed{r.ID, r.Kind, r.Born})
	}
	if r.Kind == Piece || r.Kind == Creature {
		st.resting[r.Kind] = append(st.resting[r.Kind], r)
	}
	for len(st.rows) > 64 && st.rows[0] == nil { // keep the table as long as its living part
		n := 0
		for n < len(st.rows) && st.rows[n] == nil {
			n++
		}
		st.rows = st.rows[:copy(st.rows, st.rows[n:])]
		st.base += ID(n)
	}
}

// Reuse begins a step: nothing holds what the one before removed, so its memory may be another sheet's from now on.
func (st *Store) Reuse() {
	for k := range st.resting {
		if len(st.resting[k]) == 0 {
			continue
		}
		st.spare[k] = append(st.spare[k], st.resting[k]...)
		clear(st.resting[k])
		st.resting[k] = st.resting[k][:0]
	}
}

func without(list []*Row, r *Row) []*Row {
	for i, x := range list {
		if x == r {
			copy(list[i:], list[i+1:])
			list[len(list)-1] = nil
			return list[:len(list)-1]
		}
	}
	return list
}

// Get returns the sheet of that number, or nil.
func (st *Store) Get(id ID) *Row {
	if i := int64(id) - int64(st.base); i >= 0 && i < int64(len(st.rows)) {
		return st.rows[i]
	}
	return nil
}

// GetOr returns the sheet of that number, or an all-zero one of the kind: what a field of nobody reads as.
func (st *Store) GetOr(id ID, k Kind) *Row {
	if r := st.Get(id); r != nil && r.Kind == k {
		return r
	}
	return st.zero[k]
}

// Of returns the sheets of a kind in the order they came. Do not change it, and do not add or remove sheets of the kind
// while walking it.
func (st *Store) Of(k Kind) []*Row { return st.lists[k] }

// Set writes a field, clamped to its bounds, and remembers the change. It tells whether the value is another one than
// before.
func (st *Store) Set(r *Row, f *Field, v Value) bool {
	if f.Type.Width() == 1 {
		return st.SetInt(r, f, v.N[0])
	}
	if r.Get(f) == v {
		return false
	}
	r.Put(f, v)
	st.mark(r, f)
	if f.Size != nil {
		st.SetInt(r, f.Size, CountItems(v.S))
	}
	return true
}

// SetInt is Set for a field of one slot.
func (st *Store) SetInt(r *Row, f *Field, n int64) bool {
	n = f.Clamp(n)
	if r.N[f.slot] == n {
		return false
	}
	r.N[f.slot] = n
	st.mark(r, f)
	return true
}

// SetFlag is Set for a flag.
func (st *Store) SetFlag(r *Row, f *Field, on bool) bool {
	n := int64(0)
	if on {
		n = 1
	}
	return st.SetInt(r, f, n)
}

// SetText is Set for a text.
func (st *Store) SetText(r *Row, f *Field, s string) bool {
	if r.S[f.slot] == s {
		return false
	}
	r.S[f.slot] = s
	st.mark(r, f)
	return true
}

// SetPos is Set for a position, in millimetres.
func (st *Store) SetPos(r *Row, f *Field, x, y int64) bool {
	if r.N[f.slot] == x && r.N[f.slot+1] == y {
		return false
	}
	r.N[f.slot], r.N[f.slot+1] = x, y
	st.mark(r, f)
	return true
}

// SetPlace is Set for a position of two lengths, which has no z, or three.
func (st *Store) SetPlace(r *Row, f *Field, x, y, z int64) bool {
	if f.Type != Position3 {
		return st.SetPos(r, f, x, y)
	}
	n := r.N[f.slot : f.slot+3]
	if n[0] == x && n[1] == y && n[2] == z {
		return false
	}
	n[0], n[1], n[2] = x, y, z
	st.mark(r, f)
	return true
}

// SetClock is Set for a clock: it shows ticks at tick at of its time and goes on at rate (1 up, -1 down, 0 standing; a
// standing clock has no anchor).
func (st *Store) SetClock(r *Row, f *Field, ticks, rate int64, at Tick) bool {
	if rate == 0 {
		at = 0
	}
	return st.Set(r, f, Value{Type: Clock, N: [3]int64{ticks, rate, int64(at)}})
}

// SetTeam makes t the team audience of a player and what belongs to them.
func (st *Store) SetTeam(p *Row, t ID) {
	if p.Team == t {
		return
	}
	if !p.Fresh {
		st.moved = append(st.moved, Moved{p, p.Team})
	}
	p.Team = t
	st.TouchAll(Player)
}

// ResetRow puts every field that resets at the given point back to its start.
func (st *Store) ResetRow(r *Row, at Reset) {
	for _, f := range st.Schema.Fields(r.Kind) {
		if f.Reset >= at && f.Reset != ResetNever && !f.Derived {
			st.Set(r, f, f.Start)
		}
	}
}

// ClearRefs makes every field that refers to a player or a creature who goes refer to nobody.
func (st *Store) ClearRefs(p *Row) {
	for k := range Kinds {
		for _, f := range st.Schema.Fields(Kind(k)) {
			if f.Type == List && f.Item == Ref && f.Of == p.Kind {
				for _, r := range st.lists[k] {
					v := r.Get(f)
					v.S = Without(v.S, strconv.Itoa(int(p.ID)))
					st.Set(r, f, v)
				}
			}
			if f.Type != Ref || f.Of != p.Kind {
				continue
			}
			for _, r := range st.lists[k] {
				if r.Int(f) == int64(p.ID) {
					st.SetInt(r, f, 0)
				}
			}
		}
	}
}

func (st *Store) mark(r *Row, f *Field) {
	if r.Sent.Empty() {
		st.dirty = append(st.dirty, r)
	}
	r.Sent.Set(f.No)
	if !st.Watch[r.Kind].Has(f.No) {
		return
	}
	if r.Touched.Empty() {
		st.hot = append(st.hot, r)
	}
	r.Touched.Set(f.No)
	st.touched[r.Kind].Set(f.No)
}

// TouchAll makes the rules look again at everything that reads the kind, as after a sheet came or went.
func (st *Store) TouchAll(k Kind) {
	for i := range st.touched[k] {
		st.touched[k][i] = ^uint64(0)
	}
}

// Touched returns the watched fields of each kind changed since ClearTouched.
func (st *Store) Touched() *[Kinds]Mask { return &st.touched }

// Hot returns the sheets with watched fields changed since ClearTouched.
func (st *Store) Hot() []*Row { return st.hot }

// SortHot puts Hot in the order of the sheets' numbers.
func (st *Store) SortHot() {
	slices.SortFunc(st.hot, func(a, b *Row) int { return int(a.ID) - int(b.ID) })
}

// AnyTouched tells whether anything watched changed since ClearTouched.
func (st *Store) AnyTouched() bool {
	for k := range st.touched {
		if !st.touched[k].Empty() {
			return true
		}
	}
	return false
}

// ClearTouched forgets what the rules have looked at.
func (st *Store) ClearTouched() {
	for _, r := range st.hot {
		r.Touched = Mask{}
	}
	st.hot = st.hot[:0]
	st.touched = [Kinds]Mask{}
}

// Changes is what happened to the sheets since the last take.
type Changes struct {
	Dirty []*Row // fields in Row.Sent changed; Row.Fresh sheets are new
	Gone  []Removed
	Moved []Moved
}

// Empty tells whether nothing happened.
func (c Changes) Empty() bool { return len(c.Dirty)+len(c.Gone)+len(c.Moved) == 0 }

// Changes returns what happened since the last ClearChanges. It is valid until then.
func (st *Store) Changes() Changes { return Changes{st.dirty, st.gone, st.moved} }

// ClearChanges forgets the changes, once they have been taken.
func (st *Store) ClearChanges() {
	for i, r := range st.dirty {
		r.Sent, r.Fresh = Mask{}, false
		st.dirty[i] = nil
	}
	st.dirty, st.gone, st.moved = st.dirty[:0], st.gone[:0], st.moved[:0]
}

// Check returns the first broken invariant of the store, or nil. It is for tests and costs a walk over everything.
func (st *Store) Check() error {
	n := 0
	for i, r := range st.rows {
		if r == nil {
			continue
		}
		n++
		if r.ID != st.base+ID(i) {
			return fmt.Errorf("sheet %d stands at the place of %d", r.ID, st.base+ID(i))
		}
		for _, f := range st.Schema.Fields(r.Kind) {
			if f.Type == Choice && !f.Fits(r.Get(f)) {
				return fmt.Errorf("%s %d: %s has no word %d", r.Kind, r.ID, f.Name, r.Int(f))
			}
			if f.Bounded && f.Type != Text && (r.Int(f) < f.Min || r.Int(f) > f.Max) {
				return fmt.Errorf("%s %d: %s is %d, outside %d to %d", r.Kind, r.ID, f.Name, r.Int(f), f.Min, f.Max)
			}
		}
	}
	for k := range st.lists {
		for _, r := range st.lists[k] {
			if st.Get(r.ID) != r {
				return fmt.Errorf("%s %d is listed but gone", r.Kind, r.ID)
			}
		}
		n -= len(st.lists[k])
	}
	if n != 0 {
		return fmt.Errorf("%d sheets stand in no list", n)
	}
	for _, p := range st.Seated {
		if st.Get(p.ID) != p {
			return fmt.Errorf("player %d is seated but gone", p.ID)
		}
	}
	return nil
}

// Remark marks a field as changed though it is not, so that it is sent again.
func (st *Store) Remark(r *Row, f *Field) { st.mark(r, f) }
