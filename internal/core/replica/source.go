package replica

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strconv"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Source gives the parts of a snapshot or a delta one element after the other: from decoded JSON or CBOR (Parts), or
// straight from a CBOR sequence (Sequence).
type Source interface {
	// part begins the next part and returns its length; false at the end.
	part() (int, bool, error)
	// int returns the next element as an integer.
	int() (int64, error)
	// value returns the next element as a field's value; flat ones of several slots stand without their list.
	value(t sheet.Type, flat bool) (sheet.Value, error)
}

// Parts gives parts that were decoded by a general decoder.
func Parts(parts [][]any) Source { return &decoded{parts: parts} }

type decoded struct {
	parts [][]any
	now   []any
}

func (d *decoded) part() (int, bool, error) {
	if len(d.parts) == 0 {
		return 0, false, nil
	}
	d.now, d.parts = d.parts[0], d.parts[1:]
	return len(d.now), true, nil
}

var errShort = errors.New("a part is too short")

func (d *decoded) next() (any, error) {
	if len(d.now) == 0 {
		return nil, errShort
	}
	v := d.now[0]
	d.now = d.now[1:]
	return v, nil
}

func (d *decoded) int() (int64, error) {
	v, err := d.next()
	if err != nil {
		return 0, err
	}
	return intOf(v)
}

func (d *decoded) value(t sheet.Type, flat bool) (v sheet.Value, err error) {
	if v.Type = t; flat && t.Width() > 1 {
		for i := 0; i < t.Width() && err == nil; i++ {
			v.N[i], err = d.int()
		}
		return v, err
	}
	raw, err := d.next()
	if err != nil {
		return v, err
	}
	return ValueOf(t, raw)
}

// ValueOf turns a decoded JSON or CBOR value into a field's value.
func ValueOf(t sheet.Type, raw any) (sheet.Value, error) {
	v := sheet.Value{Type: t}
	var err error
	switch raw := raw.(type) {
	case string:
		if v.S = raw; t != sheet.Text {
			err = fmt.Errorf("%q is a text, not a value of type %s", raw, t)
		}
	case bool:
		if t != sheet.Flag {
			err = fmt.Errorf("%v is a flag, not a value of type %s", raw, t)
		}
		if raw {
			v.N[0] = 1
		}
	case []int64: // as sheet.Value.Plain gives it
		if t == sheet.List {
			v.S = integers(raw)
			return v, nil
		}
		if len(raw) != t.Width() || len(raw) < 2 {
			return v, fmt.Errorf("%v is not a value of type %s", raw, t)
		}
		copy(v.N[:], raw)
	case []string:
		if v.S = sheet.ListOf(raw, true); t != sheet.List {
			err = fmt.Errorf("%v is a list, not a value of type %s", raw, t)
		}
	case []any:
		if t == sheet.List {
			v.S, err = listOf(raw)
			return v, err
		}
		if len(raw) != t.Width() || len(raw) < 2 {
			return v, fmt.Errorf("%v is not a value of type %s", raw, t)
		}
		for i := 0; i < len(raw) && err == nil; i++ {
			v.N[i], err = intOf(raw[i])
		}
	default:
		if t == sheet.Flag || t.Width() != 1 {
			return v, fmt.Errorf("%v is not a value of type %s", raw, t)
		}
		v.N[0], err = intOf(raw)
	}
	return v, err
}

// listOf turns decoded items into a list.
func listOf(raw []any) (string, error) {
	items := make([]string, 0, len(raw))
	texts := false
	for _, x := range raw {
		if s, is := x.(string); is {
			items, texts = append(items, s), true
			continue
		}
		n, err := intOf(x)
		if err != nil {
			return "", err
		}
		items = append(items, strconv.FormatInt(n, 10))
	}
	return sheet.ListOf(items, texts), nil
}

func integers(list []int64) string {
	var b []byte
	for i, n := range list {
		if i > 0 {
			b = append(b, ',')
		}
		b = strconv.AppendInt(b, n, 10)
	}
	return string(b)
}

func intOf(v any) (int64, error) {
	switch n := v.(type) {
	case int64:
		return n, nil
	case uint64:
		if n <= math.MaxInt64 {
			return int64(n), nil
		}
	case json.Number:
		return n.Int64()
	case float64:
		if n == float64(int64(n)) {
			return int64(n), nil
		}
	}
	return 0, fmt.Errorf("%v is not an integer", v)
}

// Sequence gives the parts of a CBOR sequence (RFC 8742) without decoding it first.
func Sequence(data []byte) Source { return &sequence{data: data} }

type sequence struct {
	data []byte
	left int // elements of the part
}

var errCBOR = errors.New("this is not CBOR as the protocol uses it")

// head reads the head of one data item (RFC 8949, section 3).
func (s *sequence) head() (major byte, n uint64, err error) {
	if len(s.data) == 0 {
		return 0, 0, errShort
	}
	first := s.data[0]
	s.data = s.data[1:]
	major, n = first&0xe0, uint64(first&0x1f)
	if n < 24 {
		return major, n, nil
	}
	size := 1 << (n - 24)
	if n > 27 || len(s.data) < size {
		return 0, 0, errCBOR
	}
	n = 0
	for _, b := range s.data[:size] {
		n = n<<8 | uint64(b)
	}
	s.data = s.data[size:]
	return major, n, nil
}

// take counts one element of the part and reads its head.
func (s *sequence) take() (byte, uint64, error) {
	if s.left--; s.left < 0 {
		return 0, 0, errShort
	}
	return s.head()
}

func (s *sequence) part() (int, bool, error) {
	if s.left > 0 {
		return 0, false, errors.New("a part is too long")
	}
	if len(s.data) == 0 {
		return 0, false, nil
	}
	major, n, err := s.head()
	if err != nil || major != Array || n > uint64(len(s.data)) {
		return 0, false, errCBOR
	}
	s.left = int(n)
	return s.left, true, nil
}

func integer(major byte, n uint64) (int64, error) {
	switch {
	case n > math.MaxInt64:
	case major == Unsigned:
		return int64(n), nil
	case major == Negative:
		return -1 - int64(n), nil
	}
	return 0, errCBOR
}

func (s *sequence) int() (int64, error) {
	major, n, err := s.take()
	if err != nil {
		return 0, err
	}
	return integer(major, n)
}

func (s *sequence) value(t sheet.Type, flat bool) (v sheet.Value, err error) {
	v.Type = t
	width := t.Width()
	if flat && width > 1 {
		for i := 0; i < width && err == nil; i++ {
			v.N[i], err = s.int()
		}
		return v, err
	}
	major, n, err := s.take()
	switch {
	case err != nil:
		return v, err
	case t == sheet.Text && major == Chars && n <= uint64(len(s.data)) && utf8.Valid(s.data[:n]):
		v.S = string(s.data[:n])
		s.data = s.data[n:]
	case t == sheet.List && major == Array && n <= sheet.MaxItems:
		v.S, err = s.items(int(n))
	case t == sheet.Flag && (major|byte(n)) == cborFalse+1:
		v.N[0] = 1
	case t == sheet.Flag && (major|byte(n)) == cborFalse:
	case width > 1 && major == Array && n == uint64(width):
		for i := 0; i < width && err == nil; i++ {
			if major, n, err = s.head(); err == nil {
				v.N[i], err = integer(major, n)
			}
		}
	case width == 1 && t != sheet.Flag:
		v.N[0], err = integer(major, n)
	default:
		err = errCBOR
	}
	return v, err
}

// items reads the items of a list.
func (s *sequence) items(n int) (string, error) {
	items := make([]string, 0, n)
	texts := false
	for range n {
		major, n, err := s.head()
		if err != nil {
			return "", err
		}
		if major == Chars && n <= uint64(len(s.data)) && utf8.Valid(s.data[:n]) {
			items, texts = append(items, string(s.data[:n])), true
			s.data = s.data[n:]
			continue
		}
		i, err := integer(major, n)
		if err != nil {
			return "", err
		}
		items = append(items, strconv.FormatInt(i, 10))
	}
	return sheet.ListOf(items, texts), nil
}
