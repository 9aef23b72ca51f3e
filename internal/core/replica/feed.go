package replica

import (
	"cmp"
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Face is what all lobbies of a rulebook share: which fields there are and who sees them. It does not change.
type Face struct {
	Schema    *sheet.Schema
	Described Described // as clients are told
	Holds     bool      // something may be told later than it changes
	masks     *Masks
	fields    fields
	courses   [sheet.Kinds]sheet.Mask
	sight     *Sight
	known     *Schema
}

// NewFace makes the face of a schema; sight is nil where positions are seen from anywhere.
func NewFace(s *sheet.Schema, sight *Sight) *Face {
	f := &Face{Schema: s, Described: Describe(s), masks: MasksOf(s, sight), courses: coursed(s),
		sight: sight}
	f.Holds = sight != nil || newLimiter(s).any
	for k := range f.fields {
		f.fields[k] = s.Fields(sheet.Kind(k))
	}
	f.known, _ = f.Described.Schema() // its own description is always well made
	return f
}

// Viewer is one connection as a feed knows it.
type Viewer struct {
	View
	Enc    Encoding
	On     sheet.Tick // the tick that its copy stands at
	since  sheet.Tick // since when it has been told each change that it may see
	sights sights
}

// Feed makes each tick's deltas of one lobby. A driver calls Begin once a tick,
// Plan and Write for each viewer, and End. It is not safe for use by several
// goroutines.
//
// Invariants:
//  1. between End and Begin every viewer that was planned and written to holds
//     Image of it;
//  2. gone holds every sheet removed after goneFrom, in order;
//  3. a field's Row.Told is the tick at which it was last written to whoever
//     sees it.
type Feed struct {
	*Face
	limits limiter
	lists  lists
	now    sheet.Tick
	st     *sheet.Store
	moved  []sheet.Moved
	*Desk

	movedAt  sheet.Tick
	goneFrom sheet.Tick
	gone     []goneAt
}

// Desk is what a tick's changes are sorted on, from Begin to End. Feeds may use the same one in turn, but not at the
// same time. The zero value is empty.
type Desk struct {
	changed []changed
	collect collector
	groups  []group
	encoded [variants]encoded
	hops    []hop
}

// encoded is a tick's groups in one variant, each from its start to the next.
type encoded struct {
	done   bool
	data   []byte
	starts []int
}

type goneAt struct {
	id       sheet.ID
	born, at sheet.Tick // when it was first told, and when it was told to be gone
}

// maxGone is how many sheets that are gone a feed remembers, for those who catch up.
const maxGone = 512

// NewFeed returns the feed of a lobby that has just been opened.
func NewFeed(face *Face) *Feed {
	return &Feed{Face: face, limits: newLimiter(face.Schema), lists: newLists(face.Schema)}
}

// Begin takes the changes of a tick and sorts them on a desk. They must stay as they are until End, and the desk
// belongs to the feed until then.
func (f *Feed) Begin(desk *Desk, st *sheet.Store, ch sheet.Changes, now sheet.Tick) {
	f.st, f.now, f.moved = st, now, ch.Moved
	f.Desk = desk
	f.collect.masks = f.masks
	for _, r := range ch.Dirty {
		mask := r.Sent
		if f.limits.any {
			mask = f.limits.pass(f.Schema, r, now)
		}
		if !mask.Empty() {
			f.changed = append(f.changed, changed{row: r, mask: mask, fresh: r.Fresh})
		}
	}
	if f.limits.any {
		f.changed = f.limits.due(f.Schema, st, now, f.changed)
	}
	// The order in which sheets changed may follow from fields that not everyone sees.
	slices.SortFunc(f.changed, func(a, b changed) int { return cmp.Compare(a.row.ID, b.row.ID) })
	for i := range f.changed {
		f.changed[i].row.Tell(f.changed[i].mask, now)
		if places := f.changed[i].mask.And(&f.courses[f.changed[i].row.Kind]); !places.Empty() {
			f.follow(f.changed[i].row, places)
		}
		if f.lists.any {
			f.lists.note(f.Schema, &f.changed[i])
		}
	}
	for _, g := range ch.Gone {
		f.gone = append(f.gone, goneAt{g.ID, g.Born, now})
		if f.limits.any {
			f.limits.forget(g.ID, g.Kind)
		}
		if f.lists.any {
			f.lists.forget(g.ID, g.Kind)
		}
	}
	if n := len(f.gone) - maxGone; n > 0 {
		f.goneFrom = f.gone[n-1].at
		f.gone = f.gone[:copy(f.gone, f.gone[n:])]
	}
	if len(ch.Moved) > 0 || len(f.masks.groups) > 0 && f.regrouped(ch) {
		f.movedAt = now
	}
	f.groups = f.collect.collect(f.changed, ch.Gone)
	for e := range f.encoded {
		f.encoded[e].done = false
	}
}

// regrouped tells whether somebody may have come into a group, or have left one, as all do when a match is over.
func (f *Feed) regrouped(ch sheet.Changes) bool {
	return slices.ContainsFunc(ch.Gone, func(r sheet.Removed) bool { return r.Kind == sheet.Match }) ||
		slices.ContainsFunc(ch.Dirty, func(r *sheet.Row) bool {
			return r.Kind == sheet.Match && (r.Fresh || slices.ContainsFunc(f.masks.groups, func(g grouped) bool {
				return r.Sent.Has(g.list.No)
			}))
		})
}

// End forgets the tick's changes; the desk keeps its memory, but no sheet.
func (f *Feed) End() {
	f.moved = nil
	clear(f.changed)
	f.changed, f.groups = f.changed[:0], nil
	c := &f.collect
	for i := range c.groups {
		clear(c.groups[i].entries)
	}
	clear(c.rows)
	clear(c.again)
	clear(f.hops)
	f.Desk = nil
}

// Due returns the tick at which something held back is to be told though nothing else changes; 0 for none.
func (f *Feed) Due(st *sheet.Store, viewers func(func(*Viewer) bool)) sheet.Tick {
	at := sheet.Tick(0)
	if f.limits.any {
		at = f.limits.next(f.Schema, st)
	}
	if f.sight != nil {
		for v := range viewers {
			if due := v.sights.next; due != 0 && (at == 0 || due < at) {
				at = due
			}
		}
	}
	return at
}

// part returns a group's parts, encoded at most once a tick.
func (f *Feed) part(as variant, i int) []byte {
	enc := &f.encoded[as]
	if !enc.done {
		enc.done, enc.data, enc.starts = true, enc.data[:0], enc.starts[:0]
		for i := range f.groups {
			enc.starts = append(enc.starts, len(enc.data))
			w := writer{dst: enc.data, enc: min(Encoding(as), CBOR), steps: as == stepwise, hops: f.hops}
			w.parts(&f.fields, f.groups[i].entries, f.collect.rows)
			enc.data, f.hops = w.dst, w.hops
		}
		enc.starts = append(enc.starts, len(enc.data))
	}
	return enc.data[enc.starts[i]:enc.starts[i+1]]
}

// maxKeyed is how many audiences of a tick a key can tell apart.
const maxKeyed = 256

// Plan is what a viewer gets of a tick.
type Plan struct {
	Key     Key
	Own     bool // it is this viewer's alone; otherwise all with the same key get the same
	Nothing bool // there is nothing to send
	as      variant
	before  View
	shift   bool
}

// Key names a delta that several viewers may share.
type Key struct {
	as   variant
	on   sheet.Tick
	bits [maxKeyed / 64]uint64
}

// Plan finds out what a viewer gets of the tick, and makes its view follow the teams.
func (f *Feed) Plan(v *Viewer) Plan {
	p := Plan{before: v.View}
	if p.shift = f.Join(&v.View, f.st) || len(f.moved) > 0; p.shift {
		v.since = f.now
	}
	if p.as = variant(v.Enc); v.Enc == CBOR && f.now-v.since > sheet.CourseFor {
		p.as = stepwise
	}
	p.Own = p.shift || len(f.groups) > maxKeyed || f.sight != nil && !v.everywhere()
	if p.Own {
		return p
	}
	p.Key.as, p.Key.on = p.as, v.On
	for i := range f.groups {
		if v.Sees(f.groups[i].Audience) {
			p.Key.bits[i/64] |= 1 << (i % 64)
		}
	}
	p.Nothing = p.Key.bits == [maxKeyed / 64]uint64{}
	return p
}

// Write appends a viewer's delta to dst, or nothing if nothing changed for it. The viewer counts as having it then, as
// does one that is given what was written for another with the same key once its On is that one's.
func (f *Feed) Write(dst []byte, v *Viewer, p *Plan) []byte {
	start := len(dst)
	dst = v.Enc.appendHead(dst, f.now, &v.On)
	body := len(dst)
	for i := range f.groups {
		if v.Sees(f.groups[i].Audience) {
			if v.Enc == JSON && len(dst) > body {
				dst = append(dst, ',')
			}
			dst = append(dst, f.part(p.as, i)...)
		}
	}
	w := writer{dst: dst, enc: v.Enc, sep: len(dst) > body}
	if p.shift {
		f.shift(&w, &p.before, &v.View)
	}
	if f.sight != nil {
		f.look(&w, v)
	}
	if len(w.dst) == body {
		return w.dst[:start]
	}
	v.On = f.now
	return v.Enc.appendTail(w.dst)
}

// look writes what is new to a viewer that sees by what is near.
func (f *Feed) look(w *writer, v *Viewer) {
	if f.sight != nil && !v.everywhere() {
		v.sights.parts(w, f.Face, f.st, &v.View, f.now)
	}
}

// shift writes what a view must be told when it, or a player it sees, has changed sides: fields to withdraw and fields
// now to be seen. before is the view as it was.
func (f *Feed) shift(w *writer, before, after *View) {
	var list []entry
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range f.st.Of(sheet.Kind(k)) {
			was := *r
			for i := len(f.moved) - 1; i >= 0; i-- { // the first move of a player tells the oldest team
				if f.moved[i].Player.ID == r.Owner {
					was.Team = f.moved[i].From
				}
			}
			old, now := before.Fields(f.masks, &was), after.Fields(f.masks, r)
			if lost := minus(old, now); !lost.Empty() {
				list = append(list, entry{op: opWithdraw, row: r, mask: lost})
			}
			if won := minus(now, old); !won.Empty() {
				list = append(list, entry{op: int(r.ID), row: f.limits.shown(f.Schema, r), mask: won})
			}
		}
	}
	w.parts(&f.fields, list, nil)
}

// Snapshot appends everything that a viewer may see, as copies of this tick hold it. It may be called between Begin and
// End, and outside of them with the store.
func (f *Feed) Snapshot(dst []byte, v *Viewer, st *sheet.Store, now sheet.Tick) []byte {
	f.st, f.now = st, now
	f.Join(&v.View, st)
	v.sights, v.since = sights{}, now
	w := writer{dst: v.Enc.appendHead(dst, now, nil), enc: v.Enc}
	var list []entry
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range st.Of(sheet.Kind(k)) {
			r = f.lists.shown(f.Schema, f.limits.shown(f.Schema, r))
			list = append(list, entry{op: opAppear, row: r, mask: v.Fields(f.masks, r)})
		}
	}
	w.parts(&f.fields, list, nil)
	f.look(&w, v)
	v.On = now
	return v.Enc.appendTail(w.dst)
}

// CanCatchUp tells whether what a viewer has missed since the tick that its copy stands at is still known. Otherwise it
// needs a snapshot. fresh is a viewer of a new connection, of whom it is not known what it sees.
func (f *Feed) CanCatchUp(v *Viewer, fresh bool) bool {
	view := v.View
	if f.st == nil || f.Join(&view, f.st) { // nothing was told yet, or it is in other teams or groups now
		return false
	}
	return v.On >= f.goneFrom && v.On >= f.movedAt && v.On <= f.now && !(fresh && f.sight != nil && !v.everywhere())
}

// CatchUp appends one delta with everything that a viewer has missed, each field with its newest value. It is for
// between Begin and End, in place of Write.
func (f *Feed) CatchUp(dst []byte, v *Viewer) []byte {
	start := len(dst)
	dst = v.Enc.appendHead(dst, f.now, &v.On)
	w := writer{dst: dst, enc: v.Enc}
	f.Join(&v.View, f.st)
	v.since = f.now
	var list []entry
	var gone []sheet.ID
	for _, g := range f.gone {
		if g.born <= v.On && v.On < g.at { // the copy holds it
			gone = append(gone, g.id)
		}
	}
	if len(gone) > 0 {
		list = append(list, entry{op: opGone, gone: gone})
	}
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range f.st.Of(sheet.Kind(k)) {
			e := entry{op: int(r.ID), row: f.limits.shown(f.Schema, r), mask: v.Fields(f.masks, r)}
			if r.Born > v.On {
				e.op = opAppear
			} else {
				e.mask = r.ToldSince(e.mask, v.On)
			}
			if e.op == opAppear || !e.mask.Empty() {
				list = append(list, e)
			}
		}
	}
	w.parts(&f.fields, list, nil)
	f.look(&w, v)
	if len(w.dst) == len(dst) {
		return dst[:start]
	}
	v.On = f.now
	return v.Enc.appendTail(w.dst)
}
