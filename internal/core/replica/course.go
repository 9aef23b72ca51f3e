package replica

import (
	"errors"
	"fmt"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Most of what a lively match sends is places, and most bodies go on as they did. So whoever has been told each step of
// theirs is told by how much the next one is off the one before: [-5, field, sheet, stride, code, …], with a code for
// each sheet from the named one on. With w parts of a place, a code is the sum of
//
//   - by how much the step is off: each part, from -1 to 1, plus 1, as the digits of a number of base 3, the first
//     part's lowest; or 3^w where a part is farther off, and then all parts follow the code as they are;
//   - (3^w + 1) times how many strides lie between the numbers of this sheet and the one before, less one; 0 for the
//     first.
//
// It is written as 0, -1, 1, -2, 2 and so on, so that CBOR takes one byte for the first 48 of them.

// variant is how parts are written: in an encoding, or in CBOR for those who know the last steps.
type variant uint8

const (
	stepwise = variant(Encodings)
	variants = Encodings + 1
)

// coursed are the fields of each kind that have courses.
func coursed(s *sheet.Schema) (masks [sheet.Kinds]sheet.Mask) {
	for k := range masks {
		for _, f := range s.Fields(sheet.Kind(k)) {
			if isPlace(f.Type) {
				masks[k].Set(f.No)
			}
		}
	}
	return masks
}

func isPlace(t sheet.Type) bool { return t == sheet.Position || t == sheet.Position3 }

// follow notes where places are told to be now.
func (f *Feed) follow(r *sheet.Row, places sheet.Mask) {
	for n := places.Next(0); n >= 0; n = places.Next(n + 1) {
		r.Follow(f.fields[r.Kind][n], f.now)
	}
}

// near is how many ways there are to be off by at most one, by the number of parts.
var near = [...]int64{1, 3, 9, 27}

// digits tells by how much a step is off, near[len(off)] where that is too much for digits.
func digits(off []int64) (code int64) {
	for i := len(off) - 1; i >= 0; i-- {
		if off[i] < -1 || off[i] > 1 {
			return near[len(off)]
		}
		code = code*3 + off[i] + 1
	}
	return code
}

// hop is a place that is told, and by how much its step is off the last one, where whoever is told knows that.
type hop struct {
	row  *sheet.Row
	off  [3]int64
	fits bool
}

// hops are the places of a column, as all know them who have been told each step.
func hops(dst []hop, f *sheet.Field, rows []*sheet.Row) []hop {
	dst = dst[:0]
	for _, r := range rows {
		h := hop{row: r}
		if c := r.Course(f.No); c != nil {
			h.off, h.fits = c.Off, c.Fits
		}
		dst = append(dst, h)
	}
	return dst
}

// places writes a column of places: those whose last steps are known by how far they are off them.
func (w *writer) places(f *sheet.Field, hops []hop) {
	width := f.Type.Width()
	var first, last *sheet.Row
	steps, elements, stride := 0, 0, sheet.ID(0)
	for i := range hops {
		h := &hops[i]
		if !h.fits {
			continue
		}
		if steps, elements = steps+1, elements+1; digits(h.off[:width]) == near[width] {
			elements += width
		}
		if first == nil {
			first = h.row
		} else {
			stride = common(stride, h.row.ID-last.ID)
		}
		last = h.row
	}
	if n := len(hops) - steps; n > 0 {
		w.list(2 + (1+width)*n)
		w.int(opColumn)
		w.int(int64(f.No))
		for i := range hops {
			if !hops[i].fits {
				w.place(f, hops[i].row)
			}
		}
		w.end()
	}
	if steps > 0 {
		w.list(4 + elements)
		w.int(opCourse)
		w.int(int64(f.No))
		w.int(int64(first.ID))
		w.int(int64(max(stride, 1)))
		w.codes(width, hops, max(stride, 1))
		w.end()
	}
}

// codes writes those of the places whose last steps are known.
func (w *writer) codes(width int, hops []hop, stride sheet.ID) {
	var last *sheet.Row
	for i := range hops {
		h := &hops[i]
		if !h.fits {
			continue
		}
		code := digits(h.off[:width])
		far := code == near[width]
		if last != nil {
			code += (int64((h.row.ID-last.ID)/stride) - 1) * (near[width] + 1)
		}
		last = h.row
		if w.int(code>>1 ^ -(code & 1)); far {
			for _, by := range h.off[:width] {
				w.int(by)
			}
		}
	}
}

// common is the greatest common divisor.
func common(a, b sheet.ID) sheet.ID {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// step is by how much a place in a copy has changed when it was told last.
type step struct {
	no int
	by [3]int64
}

// stepOf returns the last step of a place; nil where it was told once.
func (s *Sheet) stepOf(no int) *step {
	for i := range s.steps {
		if s.steps[i].no == no {
			return &s.steps[i]
		}
	}
	return nil
}

// walk notes the step that a place takes; old is nil the first time.
func (s *Sheet) walk(f *sheet.Field, old, now *sheet.Value) {
	at := s.stepOf(f.No)
	if at == nil {
		s.steps = append(s.steps, step{no: f.No})
		at = &s.steps[len(s.steps)-1]
	}
	for i := range at.by {
		at.by[i] = now.N[i] - old.N[i]
	}
}

var errCourse = errors.New("a step of something that has no course")

// course takes in a column of steps.
func (c *Copy) course(p Source, n int) error {
	var head [3]int64 // field, sheet, stride
	for i := range head {
		var err error
		if head[i], err = p.int(); err != nil {
			return err
		}
	}
	id, stride := head[1], head[2]
	s, err := c.known(id)
	if err != nil {
		return err
	}
	f := c.Schema.Field(s.Kind, int(head[0]))
	if f == nil || !isPlace(f.Type) {
		return fmt.Errorf("%w: field %d of sheet %d", errCourse, head[0], id)
	}
	ways := near[f.Type.Width()]
	for n -= 4; n > 0; n-- {
		code, err := p.int()
		if err != nil {
			return err
		}
		code = code<<1 ^ code>>63
		id += code / (ways + 1) * stride
		if s, err = c.known(id); err != nil {
			return err
		}
		took, err := c.step(p, s, f, code%(ways+1))
		if err != nil {
			return err
		}
		n -= took
		id += stride
	}
	if n < 0 {
		return errShort
	}
	return nil
}

// step takes in one step of a place, and returns how many elements followed its code.
func (c *Copy) step(p Source, s *Sheet, f *sheet.Field, code int64) (took int, err error) {
	before := s.stepOf(f.No)
	if c.Schema.Field(s.Kind, f.No) != f || before == nil {
		return 0, fmt.Errorf("%w: %s of sheet %d", errCourse, f.Name, s.ID)
	}
	width := f.Type.Width()
	v := s.values[f.No]
	far := code == near[width]
	for i := range width {
		off := code%3 - 1
		if code /= 3; far {
			if off, err = p.int(); err != nil {
				return 0, err
			}
			took++
		}
		v.N[i] += before.by[i] + off
	}
	c.set(s, f, v)
	return took, nil
}
