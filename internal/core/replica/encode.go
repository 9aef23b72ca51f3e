package replica

import (
	"encoding/binary"
	"math"
	"strconv"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Encoding is one of the two encodings of the live protocol.
type Encoding uint8

// The encodings. In JSON (RFC 8259) parts are elements of an array in an object; in CBOR (RFC 8949) they follow each
// other as a sequence (RFC 8742) behind a head.
const (
	JSON Encoding = iota
	CBOR
	Encodings int = iota
)

// appendHead begins a snapshot, or, with on, a delta on that tick.
func (e Encoding) appendHead(dst []byte, tick sheet.Tick, on *sheet.Tick) []byte {
	switch {
	case e == CBOR && on == nil:
		return cborInt(append(dst, Array|1), int64(tick))
	case e == CBOR:
		return cborInt(cborInt(append(dst, Array|2), int64(tick)), int64(tick-*on))
	case on == nil:
		dst = append(dst, `{"is":"snapshot","tick":`...)
	default:
		dst = append(dst, `{"is":"delta","on":`...)
		dst = strconv.AppendInt(dst, int64(*on), 10)
		dst = append(dst, `,"tick":`...)
	}
	dst = strconv.AppendInt(dst, int64(tick), 10)
	return append(dst, `,"parts":[`...)
}

// appendTail ends what appendHead began.
func (e Encoding) appendTail(dst []byte) []byte {
	if e == CBOR {
		return dst
	}
	return append(dst, "]}"...)
}

// writer writes parts in one encoding; every part is an array that it is told the length of beforehand.
type writer struct {
	dst   []byte
	enc   Encoding
	sep   bool // JSON: a comma is due
	steps bool // for those who know the last steps of places
	hops  []hop
}

// list begins an array of n elements.
func (w *writer) list(n int) {
	if w.enc == CBOR {
		w.dst = AppendHead(w.dst, Array, uint64(n))
		return
	}
	w.comma()
	w.dst, w.sep = append(w.dst, '['), false
}

// end ends an array.
func (w *writer) end() {
	if w.enc == JSON {
		w.dst, w.sep = append(w.dst, ']'), true
	}
}

func (w *writer) comma() {
	if w.sep {
		w.dst = append(w.dst, ',')
	}
	w.sep = true
}

func (w *writer) int(n int64) {
	if w.enc == CBOR {
		w.dst = cborInt(w.dst, n)
		return
	}
	w.comma()
	w.dst = strconv.AppendInt(w.dst, n, 10)
}

// value writes a field's value as docs/protocol.md says.
func (w *writer) value(r *sheet.Row, f *sheet.Field) {
	switch f.Type {
	case sheet.Text:
		w.text(r.Text(f))
	case sheet.List:
		w.items(r.Text(f))
	case sheet.Flag:
		w.flag(r.Flag(f))
	case sheet.Position, sheet.Position3, sheet.Clock:
		slots := r.N[f.Slot() : f.Slot()+f.Type.Width()]
		w.list(len(slots))
		for _, n := range slots {
			w.int(n)
		}
		w.end()
	default:
		w.int(r.Int(f))
	}
}

// items writes a list.
func (w *writer) items(s string) {
	items := sheet.Items(s)
	w.list(len(items))
	for _, item := range items {
		w.item(item, s[0] == '[')
	}
	w.end()
}

func (w *writer) item(item string, isText bool) {
	if isText {
		w.text(item)
		return
	}
	n, _ := sheet.NextItem(item)
	w.int(n)
}

func (w *writer) text(s string) {
	if w.enc == CBOR {
		w.dst = append(AppendHead(w.dst, Chars, uint64(len(s))), s...)
		return
	}
	w.comma()
	w.dst = appendQuoted(w.dst, s)
}

func (w *writer) flag(on bool) {
	switch {
	case w.enc == CBOR && on:
		w.dst = append(w.dst, cborFalse+1)
	case w.enc == CBOR:
		w.dst = append(w.dst, cborFalse)
	default:
		w.comma()
		w.dst = strconv.AppendBool(w.dst, on)
	}
}

// fields are those of each kind of sheet.
type fields [sheet.Kinds][]*sheet.Field

// parts writes entries; rows are those of the columns among them.
func (w *writer) parts(s *fields, entries []entry, rows []*sheet.Row) {
	for i := range entries {
		e := &entries[i]
		n := e.mask.Count()
		switch e.op {
		case opGone:
			w.list(1 + len(e.gone))
			w.int(opGone)
			for _, id := range e.gone {
				w.int(int64(id))
			}
		case opWithdraw:
			w.list(2 + n)
			w.int(opWithdraw)
			w.int(int64(e.row.ID))
			for n := e.mask.Next(0); n >= 0; n = e.mask.Next(n + 1) {
				w.int(int64(n))
			}
		case opColumn:
			f, rows := s[e.row.Kind][e.mask.Next(0)], rows[e.rows[0]:e.rows[1]]
			if w.steps && isPlace(f.Type) {
				w.hops = hops(w.hops, f, rows)
				w.places(f, w.hops)
				continue
			}
			w.column(f, rows)
		case opSplice:
			w.splices(e)
		case opAppear:
			w.list(4 + 2*n)
			w.int(opAppear)
			w.int(int64(e.row.ID))
			w.int(int64(e.row.Kind))
			w.int(int64(e.row.Owner))
			w.fields(s, e)
		default:
			w.list(1 + 2*n)
			w.int(int64(e.row.ID))
			w.fields(s, e)
		}
		w.end()
	}
}

// column begins a column; its end is the caller's. Positions and clocks stand in it without a list of their own.
func (w *writer) column(f *sheet.Field, rows []*sheet.Row) {
	w.list(2 + (1+max(f.Type.Width(), 1))*len(rows))
	w.int(opColumn)
	w.int(int64(f.No))
	for _, r := range rows {
		w.place(f, r)
	}
}

// place writes a sheet and a value of a column.
func (w *writer) place(f *sheet.Field, r *sheet.Row) {
	w.int(int64(r.ID))
	if n := f.Type.Width(); n > 1 {
		for _, v := range r.N[f.Slot() : f.Slot()+n] {
			w.int(v)
		}
		return
	}
	w.value(r, f)
}

func (w *writer) fields(s *fields, e *entry) {
	fields := s[e.row.Kind]
	for n := e.mask.Next(0); n >= 0; n = e.mask.Next(n + 1) {
		w.int(int64(n))
		w.value(e.row, fields[n])
	}
}

// The major types of RFC 8949, section 3.1.
const (
	Unsigned  = 0 << 5
	Negative  = 1 << 5
	Bytes     = 2 << 5
	Chars     = 3 << 5 // text
	Array     = 4 << 5
	cborFalse = 7<<5 | 20
)

func cborInt(dst []byte, n int64) []byte {
	if n < 0 {
		return AppendHead(dst, Negative, uint64(-1-n))
	}
	return AppendHead(dst, Unsigned, uint64(n))
}

// AppendHead appends the head of a value of a major type of CBOR (RFC 8949, section 3): what is written by hand is what
// is written most.
func AppendHead(dst []byte, major byte, n uint64) []byte {
	switch {
	case n < 24:
		return append(dst, major|byte(n))
	case n <= math.MaxUint8:
		return append(dst, major|24, byte(n))
	case n <= math.MaxUint16:
		return binary.BigEndian.AppendUint16(append(dst, major|25), uint16(n))
	case n <= math.MaxUint32:
		return binary.BigEndian.AppendUint32(append(dst, major|26), uint32(n))
	}
	return binary.BigEndian.AppendUint64(append(dst, major|27), n)
}

// appendQuoted writes a text as JSON does. Texts of sheets are valid UTF-8.
func appendQuoted(dst []byte, s string) []byte {
	const hex = "0123456789abcdef"
	dst = append(dst, '"')
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c == '"' || c == '\\':
			dst = append(dst, '\\', c)
		case c < ' ':
			dst = append(dst, '\\', 'u', '0', '0', hex[c>>4], hex[c&15])
		default:
			dst = append(dst, c)
		}
	}
	return append(dst, '"')
}
