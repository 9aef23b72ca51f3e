// Package state walks over the state of a lobby. What the state is, is declared once, as a walk that names each value
// and points at it; the same walk then makes the hash, writes a checkpoint, restores one, or lists the state to be
// compared or printed. What is not walked is not state: each room lists what it leaves out, with a reason, and a test
// finds a field that is neither.
package state

import (
	"encoding/binary"
	"errors"
	"fmt"
	"strconv"

	"github.com/cespare/xxhash/v2"
)

// Walk is one walk. Its functions do with each value what the walk is for.
type Walk struct {
	mode   mode
	digest *xxhash.Digest
	data   []byte // written so far, or still to be read
	lines  []Line
	path   []string
	err    error
}

type mode uint8

const (
	hashing mode = iota
	saving
	restoring
	listing
)

// Line is one value of a state as Lines gives it.
type Line struct {
	Path  string // names and numbers, from the outside in, with dots between
	Value string
}

// errEnds is what Restore finds when the state is longer than the checkpoint.
var errEnds = errors.New("the checkpoint ends too soon")

// Hash returns the hash of a state.
func Hash(walk func(*Walk)) uint64 {
	w := &Walk{mode: hashing, digest: xxhash.New()}
	walk(w)
	w.flush()
	return w.digest.Sum64()
}

// Save appends a state to dst.
func Save(dst []byte, walk func(*Walk)) []byte {
	w := &Walk{mode: saving, data: dst}
	walk(w)
	return w.data
}

// Restore puts a saved state in place. The error says what does not fit; the state is of no use then.
func Restore(data []byte, walk func(*Walk)) error {
	w := &Walk{mode: restoring, data: data}
	walk(w)
	if w.err == nil && len(w.data) > 0 {
		w.err = fmt.Errorf("%d bytes stand behind the state in the checkpoint", len(w.data))
	}
	return w.err
}

// Lines lists a state.
func Lines(walk func(*Walk)) []Line {
	w := &Walk{mode: listing}
	walk(w)
	return w.lines
}

// Compare returns the first lines in which two states differ, at most so many: a pair each, of which one has an empty
// path where the other state has no such value.
func Compare(a, b []Line, most int) (out [][2]Line) {
	other := map[string]string{}
	for _, l := range b {
		other[l.Path] = l.Value
	}
	for _, l := range a {
		v, there := other[l.Path]
		delete(other, l.Path)
		switch {
		case len(out) == most:
			return out
		case !there:
			out = append(out, [2]Line{l, {}})
		case v != l.Value:
			out = append(out, [2]Line{l, {l.Path, v}})
		}
	}
	for _, l := range b {
		if _, left := other[l.Path]; left && len(out) < most {
			out = append(out, [2]Line{{}, l})
		}
	}
	return out
}

// Restoring tells whether the walk puts values in place, so that what follows from them can be made.
func (w *Walk) Restoring() bool { return w.mode == restoring }

// Failed tells whether the walk has come to something that does not fit.
func (w *Walk) Failed() bool { return w.err != nil }

// Fail ends the walk. The first word counts.
func (w *Walk) Fail(format string, args ...any) {
	if w.err == nil {
		w.err = fmt.Errorf(format, args...)
	}
	w.data = nil
}

// In walks over a part of the state that has a name of its own.
func (w *Walk) In(name string, part func()) {
	if w.mode == listing {
		w.path = append(w.path, name)
		defer func() { w.path = w.path[:len(w.path)-1] }()
	}
	part()
}

// flush hands what was written to the digest.
func (w *Walk) flush() {
	w.digest.Write(w.data)
	w.data = w.data[:0]
}

func (w *Walk) line(name, value string) {
	path := ""
	for _, p := range w.path {
		path += p + "."
	}
	w.lines = append(w.lines, Line{path + name, value})
}

// Whole is any whole number.
type Whole interface {
	~int | ~int8 | ~int16 | ~int32 | ~int64 | ~uint | ~uint8 | ~uint16 | ~uint32 | ~uint64
}

// Int walks over a whole number.
func Int[T Whole](w *Walk, name string, p *T) {
	switch w.mode {
	case hashing, saving:
		w.data = binary.AppendVarint(w.data, int64(*p))
		if w.mode == hashing && len(w.data) >= 1<<12 {
			w.flush()
		}
	case restoring:
		n, size := binary.Varint(w.data)
		if size <= 0 {
			w.Fail("%w", errEnds)
			return
		}
		w.data = w.data[size:]
		if *p = T(n); int64(*p) != n {
			w.Fail("%s is %d, which it cannot hold", name, n)
		}
	case listing:
		w.line(name, strconv.FormatInt(int64(*p), 10))
	}
}

// Bool walks over a truth.
func Bool[T ~bool](w *Walk, name string, p *T) {
	n := int8(0)
	if *p {
		n = 1
	}
	if Int(w, name, &n); w.mode == restoring {
		*p = n != 0
	}
}

// Text walks over a text.
func Text[T ~string](w *Walk, name string, p *T) {
	if w.mode == listing {
		w.line(name, strconv.Quote(string(*p)))
		return
	}
	n := len(*p)
	Int(w, name, &n)
	switch {
	case w.mode != restoring:
		w.data = append(w.data, *p...)
	case n < 0 || n > len(w.data):
		w.Fail("%w", errEnds)
	default:
		*p = T(w.data[:n])
		w.data = w.data[n:]
	}
}

// Person walks over a text that tells who somebody is, or speaks of them: an account, a name, a sentence with one. A
// hash is made of whether there is one, and of nothing else: whoever is erased, and stands there as a token of the
// lobby, leaves every hash as it was.
func Person[T ~string](w *Walk, name string, p *T) {
	if w.mode != hashing {
		Text(w, name, p)
		return
	}
	there := *p != ""
	Bool(w, name, &there)
}

// List walks over a list, one element after the other. What is restored is made anew; a list without elements is nil.
func List[T any](w *Walk, name string, list *[]T, each func(*T)) {
	w.In(name, func() {
		n := len(*list)
		if Int(w, "len", &n); w.mode == restoring {
			if *list = nil; n < 0 || n > len(w.data) { // each element takes a byte at least
				w.Fail("%s has %d elements, more than there are bytes", name, n)
				return
			}
			if n > 0 {
				*list = make([]T, n)
			}
		}
		for i := 0; i < len(*list) && w.err == nil; i++ {
			if w.mode != listing {
				each(&(*list)[i])
				continue
			}
			w.In(strconv.Itoa(i), func() { each(&(*list)[i]) })
		}
	})
}

// Ints walks over a list of whole numbers.
func Ints[T Whole](w *Walk, name string, list *[]T) {
	List(w, name, list, func(p *T) { Int(w, "n", p) })
}

// Persons walks over a list of texts that tell who somebody is.
func Persons[T ~string](w *Walk, name string, list *[]T) {
	List(w, name, list, func(p *T) { Person(w, "text", p) })
}

// Texts walks over a list of texts.
func Texts[T ~string](w *Walk, name string, list *[]T) {
	List(w, name, list, func(p *T) { Text(w, "text", p) })
}
