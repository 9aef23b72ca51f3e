package sheet

import "slices"

// Row is one sheet: the present values of its fields.
//
// Invariants:
//  1. ID is unique in the lobby and never used again.
//  2. len(N) and len(S) are what the schema of the kind asks for.
//  3. Bounded fields stand within their bounds.
//  4. Sent and Touched hold every field changed since they were last cleared.
type Row struct {
	// What a tick touches stands together at the front.
	N       []int64
	Sent    Mask // fields changed since the last take of changes
	Touched Mask // watched fields changed since the rules last looked
	ID      ID
	Kind    Kind
	Fresh   bool // added since the last take of changes

	Owner ID     // the Player sheet that owns it: itself for a player, the player for a record
	Team  ID     // the Team sheet whose members are its team audience
	Edges uint64 // which edge-triggered rules hold for this sheet
	S     []string

	// For who tells others of the sheet; the state does not depend on them.
	Born Tick     // the wall tick at which the sheet was first told
	Told []uint32 // by field: the wall tick at which it was last told

	Courses []Course // of its places that were told
}

// Course is how a place was told to move, as every copy knows that has been told each step of it.
type Course struct {
	No   int      // of the field
	At   Tick     // the wall tick at which its last step was told, 0 where the one before is not known
	Told [3]int64 // the place that was told last
	Step [3]int64 // from the one before
	Off  [3]int64 // how far the step was off the one before it
	Fits bool     // copies that have been told of the last CourseFor ticks know the step before
}

// CourseFor is how long a step is remembered for the next one, in wall ticks.
const CourseFor Tick = 16

// Follow notes that a place is told at a wall tick.
func (r *Row) Follow(f *Field, now Tick) {
	at := r.N[f.slot : f.slot+f.Type.Width()]
	c := r.Course(f.No)
	if c == nil {
		r.Courses = append(r.Courses, Course{No: f.No})
		copy(r.Courses[len(r.Courses)-1].Told[:], at)
		return
	}
	c.Fits = c.At != 0 && now-c.At <= CourseFor
	for i, v := range at {
		step := v - c.Told[i]
		c.Told[i], c.Step[i], c.Off[i] = v, step, step-c.Step[i]
	}
	c.At = now
}

// Course is how a place was told to move, nil where it was never told.
func (r *Row) Course(no int) *Course {
	for i := range r.Courses {
		if r.Courses[i].No == no {
			return &r.Courses[i]
		}
	}
	return nil
}

// Clone returns a copy with values of its own.
func (r *Row) Clone() *Row {
	c := *r
	c.N, c.S = slices.Clone(r.N), slices.Clone(r.S)
	return &c
}

// Put writes a field of a clone: nothing is checked or remembered.
func (r *Row) Put(f *Field, v Value) {
	if f.Type.InText() {
		r.S[f.slot] = v.S
		return
	}
	copy(r.N[f.slot:f.slot+f.Type.Width()], v.N[:])
}

// Tell notes that fields are told at a wall tick.
func (r *Row) Tell(fields Mask, now Tick) {
	if r.Fresh {
		r.Born = now
	}
	for n := fields.Next(0); n >= 0; n = fields.Next(n + 1) {
		r.Told[n] = uint32(now)
	}
}

// ToldSince returns which of the fields were told after a tick.
func (r *Row) ToldSince(fields Mask, since Tick) Mask {
	for n := fields.Next(0); n >= 0; n = fields.Next(n + 1) {
		if Tick(r.Told[n]) <= since {
			fields.Clear(n)
		}
	}
	return fields
}

// Get returns a field's value.
func (r *Row) Get(f *Field) Value {
	v := Value{Type: f.Type}
	if f.Type.InText() {
		v.S = r.S[f.slot]
		return v
	}
	copy(v.N[:], r.N[f.slot:f.slot+f.Type.Width()])
	return v
}

// Int returns a one-slot field's value, or a wider field's first slot.
func (r *Row) Int(f *Field) int64 { return r.N[f.slot] }

// Text returns a text field's value.
func (r *Row) Text(f *Field) string { return r.S[f.slot] }

// Flag returns a flag field's value.
func (r *Row) Flag(f *Field) bool { return r.N[f.slot] != 0 }

// Pos returns a position field's value in millimetres.
func (r *Row) Pos(f *Field) (x, y int64) { return r.N[f.slot], r.N[f.slot+1] }

// Height returns how high above 0 the place in a position field is, 0 where places have two lengths.
func (r *Row) Height(f *Field) int64 {
	if f.Type == Position3 {
		return r.N[f.slot+2]
	}
	return 0
}

// Clock returns what a clock field shows at tick now of its time, in ticks.
func (r *Row) Clock(f *Field, now Tick) int64 {
	return ClockTicks(r.N[f.slot], r.N[f.slot+1], r.N[f.slot+2], now)
}
