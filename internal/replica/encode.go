package replica

import (
	"encoding/json"
	"strconv"

	"turnvex/internal/sheet"
)

// Codec writes parts in one of the two encodings. Parts of several groups are
// put together with Join, without encoding them again.
type Codec interface {
	// Append writes the group's parts behind dst, separated as Join needs them.
	Append(dst []byte, s *sheet.Schema, g *Group) []byte
	// Join is what stands between two runs of parts.
	Join() string
}

// JSON and CBOR are the two encodings. In JSON parts are elements of an array;
// in CBOR (RFC 8949) they follow each other as a sequence (RFC 8742).
var (
	JSON Codec = jsonCodec{}
	CBOR Codec = cborCodec{}
)

type jsonCodec struct{}

func (jsonCodec) Join() string { return "," }

func (jsonCodec) Append(dst []byte, s *sheet.Schema, g *Group) []byte {
	for i := range g.entries {
		if i > 0 {
			dst = append(dst, ',')
		}
		e := &g.entries[i]
		switch e.op {
		case opGone:
			dst = append(dst, "[-1,"...)
			dst = strconv.AppendUint(dst, uint64(e.gone), 10)
		case opWithdraw:
			dst = append(dst, "[-2,"...)
			dst = strconv.AppendUint(dst, uint64(e.row.ID), 10)
			for n := e.mask.Next(0); n >= 0; n = e.mask.Next(n + 1) {
				dst = append(dst, ',')
				dst = strconv.AppendInt(dst, int64(n), 10)
			}
		case opAppear:
			dst = append(dst, "[0,"...)
			dst = strconv.AppendUint(dst, uint64(e.row.ID), 10)
			dst = append(dst, ',')
			dst = strconv.AppendUint(dst, uint64(e.row.Kind), 10)
			dst = append(dst, ',')
			dst = strconv.AppendUint(dst, uint64(e.row.Owner), 10)
			dst = jsonFields(dst, s, e)
		default:
			dst = append(dst, '[')
			dst = strconv.AppendUint(dst, uint64(e.row.ID), 10)
			dst = jsonFields(dst, s, e)
		}
		dst = append(dst, ']')
	}
	return dst
}

func jsonFields(dst []byte, s *sheet.Schema, e *entry) []byte {
	fields := s.Fields(e.row.Kind)
	for n := e.mask.Next(0); n >= 0; n = e.mask.Next(n + 1) {
		dst = append(dst, ',')
		dst = strconv.AppendInt(dst, int64(n), 10)
		dst = append(dst, ',')
		dst = jsonValue(dst, e.row, fields[n])
	}
	return dst
}

func jsonValue(dst []byte, r *sheet.Row, f *sheet.Field) []byte {
	switch f.Type {
	case sheet.Text:
		b, _ := json.Marshal(r.Text(f))
		return append(dst, b...)
	case sheet.Flag:
		return strconv.AppendBool(dst, r.Flag(f))
	case sheet.Position, sheet.Clock:
		dst = append(dst, '[')
		for i, n := range r.N[f.Slot() : f.Slot()+f.Type.Width()] {
			if i > 0 {
				dst = append(dst, ',')
			}
			dst = strconv.AppendInt(dst, n, 10)
		}
		return append(dst, ']')
	}
	return strconv.AppendInt(dst, r.Int(f), 10)
}

type cborCodec struct{}

func (cborCodec) Join() string { return "" }

// The major types of RFC 8949, section 3.1.
const (
	cborUint  = 0 << 5
	cborNint  = 1 << 5
	cborText  = 3 << 5
	cborArray = 4 << 5
	cborFalse = 7<<5 | 20
)

func (cborCodec) Append(dst []byte, s *sheet.Schema, g *Group) []byte {
	for i := range g.entries {
		e := &g.entries[i]
		n := e.mask.Count()
		switch e.op {
		case opGone:
			dst = cborHead(dst, cborArray, 2)
			dst = cborInt(dst, opGone)
			dst = cborHead(dst, cborUint, uint64(e.gone))
		case opWithdraw:
			dst = cborHead(dst, cborArray, uint64(2+n))
			dst = cborInt(dst, opWithdraw)
			dst = cborHead(dst, cborUint, uint64(e.row.ID))
			for n := e.mask.Next(0); n >= 0; n = e.mask.Next(n + 1) {
				dst = cborHead(dst, cborUint, uint64(n))
			}
		case opAppear:
			dst = cborHead(dst, cborArray, uint64(4+2*n))
			dst = cborInt(dst, opAppear)
			dst = cborHead(dst, cborUint, uint64(e.row.ID))
			dst = cborHead(dst, cborUint, uint64(e.row.Kind))
			dst = cborHead(dst, cborUint, uint64(e.row.Owner))
			dst = cborFields(dst, s, e)
		default:
			dst = cborHead(dst, cborArray, uint64(1+2*n))
			dst = cborHead(dst, cborUint, uint64(e.row.ID))
			dst = cborFields(dst, s, e)
		}
	}
	return dst
}

func cborFields(dst []byte, s *sheet.Schema, e *entry) []byte {
	fields := s.Fields(e.row.Kind)
	for n := e.mask.Next(0); n >= 0; n = e.mask.Next(n + 1) {
		dst = cborHead(dst, cborUint, uint64(n))
		f := fields[n]
		switch f.Type {
		case sheet.Text:
			t := e.row.Text(f)
			dst = append(cborHead(dst, cborText, uint64(len(t))), t...)
		case sheet.Flag:
			dst = append(dst, cborFalse+byte(e.row.Int(f)))
		case sheet.Position, sheet.Clock:
			dst = cborHead(dst, cborArray, uint64(f.Type.Width()))
			for _, n := range e.row.N[f.Slot() : f.Slot()+f.Type.Width()] {
				dst = cborInt(dst, n)
			}
		default:
			dst = cborInt(dst, e.row.Int(f))
		}
	}
	return dst
}

func cborInt(dst []byte, n int64) []byte {
	if n < 0 {
		return cborHead(dst, cborNint, uint64(-1-n))
	}
	return cborHead(dst, cborUint, uint64(n))
}

func cborHead(dst []byte, major byte, n uint64) []byte {
	switch {
	case n < 24:
		return append(dst, major|byte(n))
	case n < 1<<8:
		return append(dst, major|24, byte(n))
	case n < 1<<16:
		return append(dst, major|25, byte(n>>8), byte(n))
	case n < 1<<32:
		return append(dst, major|26, byte(n>>24), byte(n>>16), byte(n>>8), byte(n))
	}
	return append(dst, major|27, byte(n>>56), byte(n>>48), byte(n>>40), byte(n>>32), byte(n>>24), byte(n>>16), byte(n>>8), byte(n))
}
