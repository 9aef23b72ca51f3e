package wire

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire/strict"
)

// The modes of CBOR: what is written is the shortest form, what is read must be plain, and as bounded as JSON is.
var (
	cborWrite = must(cbor.EncOptions{Sort: cbor.SortBytewiseLexical, Time: cbor.TimeRFC3339Nano,
		TextMarshaler: cbor.TextMarshalerNone}.EncMode())
	cborRead  = must(strict.CBORReader(MaxDepth, false))
	cborLoose = must(strict.CBORReader(32, true))
)

func must[T any](v T, err error) T {
	if err != nil {
		panic(err) // the options are constants
	}
	return v
}

// Encode writes a message. Snapshots and deltas of a lobby are written by package replica, which shares what several
// clients get.
func Encode(e replica.Encoding, v any) []byte {
	write := json.Marshal
	if e == replica.CBOR {
		write = cborWrite.Marshal
	}
	data, err := write(v)
	if err != nil {
		panic(err) // every message is made of plain values
	}
	return data
}

// Kind returns what a message is.
func Kind(e replica.Encoding, data []byte) (string, error) {
	if e == replica.CBOR && len(data) > 0 { // the service's own, which are no maps
		switch data[0] {
		case 0x81:
			return "snapshot", nil
		case 0x82:
			return "delta", nil
		}
		if data[0]&0xe0 == replica.Array {
			return "verdict", nil
		}
	}
	kind := firstKind(e, data)
	if kind == "" {
		kind = kindOf(e, data)
	}
	if kind == "" {
		return "", &Error{[...]string{replica.JSON: `a message is a JSON object with a text "is" that names it`,
			replica.CBOR: `a message is a CBOR map with a text "is" that names it`}[e]}
	}
	return kind, nil
}

// Read decodes one message strictly: unknown keys and what stands behind it are errors. Numbers in free places become
// json.Number, int64 or float64.
func Read(e replica.Encoding, data []byte, into any) error {
	if e == replica.CBOR {
		return strict.CBOR(cborRead.Unmarshal(data, into), into)
	}
	return strict.JSON(data, into)
}

// ReadLoose is Read for clients: keys of later versions are passed over, and snapshots and deltas are read.
func ReadLoose(e replica.Encoding, data []byte, into any) error {
	if e == replica.CBOR {
		switch into := into.(type) {
		case *Snapshot:
			return readParts(data, 1, &into.Tick, nil, &into.Parts)
		case *Delta:
			return readParts(data, 2, &into.Tick, &into.On, &into.Parts)
		}
		return strict.CBOR(cborLoose.Unmarshal(data, into), into)
	}
	return readJSON(json.NewDecoder(bytes.NewReader(data)), into)
}

// Parts reads a snapshot or a delta for a copy: the tick that it leads to, the one that a delta builds on, and the
// parts, which for CBOR are read as they are taken.
func Parts(e replica.Encoding, data []byte) (tick, on sheet.Tick, parts replica.Source, err error) {
	if e == replica.CBOR {
		n := 1
		if len(data) > 0 && data[0] == 0x82 {
			n = 2
		}
		tick, on, rest, err := head(data, n)
		return sheet.Tick(tick), sheet.Tick(on), replica.Sequence(rest), err
	}
	var d Delta // which a snapshot is too, without on
	err = ReadLoose(e, data, &d)
	return sheet.Tick(d.Tick), sheet.Tick(d.On), replica.Parts(d.Parts), err
}

// head reads the head of n integers of a snapshot or a delta, and returns what stands behind it.
func head(data []byte, n int) (tick, on int64, rest []byte, err error) {
	var h []int64
	rest, err = cborLoose.UnmarshalFirst(data, &h)
	if err != nil || len(h) != n {
		return 0, 0, nil, &Error{
			fmt.Sprintf("the head of a snapshot or delta is not a list of %d integers: %v", n, err)}
	}
	if n > 1 {
		on = h[0] - h[1]
	}
	return h[0], on, rest, nil
}

// readParts reads a head of n integers and the parts behind it (RFC 8742).
func readParts(data []byte, n int, tick, on *int64, parts *[][]any) error {
	at, base, rest, err := head(data, n)
	if err != nil {
		return err
	}
	if *tick = at; on != nil {
		*on = base
	}
	*parts = [][]any{}
	for len(rest) > 0 {
		var p []any
		if rest, err = cborLoose.UnmarshalFirst(rest, &p); err != nil {
			return strict.CBOR(err, parts)
		}
		*parts = append(*parts, p)
	}
	return nil
}

func readJSON(d *json.Decoder, into any) error {
	d.UseNumber()
	if err := d.Decode(into); err != nil {
		var te *json.UnmarshalTypeError
		if errors.As(err, &te) {
			return &Error{fmt.Sprintf("%s is a %s, not a %s", te.Field, te.Value, te.Type)}
		}
		return &Error{err.Error()}
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return &Error{"something stands behind the message"}
	}
	return nil
}

// TooDeep tells whether JSON nests deeper than MaxDepth, without decoding it. CBOR is measured where it is read.
func TooDeep(e replica.Encoding, data []byte) bool {
	depth, text := 0, false
	for i := 0; i < len(data) && e == replica.JSON; i++ {
		switch c := data[i]; {
		case text && c == '\\':
			i++
		case c == '"':
			text = !text
		case !text && (c == '{' || c == '['):
			if depth++; depth > MaxDepth {
				return true
			}
		case !text && (c == '}' || c == ']'):
			depth--
		}
	}
	return false
}
