package wire

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/wire/strict"
)

// ErrTooLarge is wrapped by what FromClient returns for a message that is larger than one of its kind may be.
var ErrTooLarge = errors.New("the message is too large")

// ErrNoText is wrapped by what FromClient returns for a message with text that is no UTF-8.
var ErrNoText = errors.New("the message is no UTF-8 text")

// fromClient makes the empty message of each kind that a client sends.
var fromClient = map[string]func() any{
	"hello":  func() any { return &Hello{} },
	"intent": func() any { return &Intent{} },
	"ping":   func() any { return &Ping{} },
	"pong":   func() any { return &Ping{} },
	"whole":  func() any { return &Plain{} },
	"leave":  func() any { return &Leave{} },
	"local":  func() any { return &Local{} },
	"hash":   func() any { return &Hash{} },
	"shown":  func() any { return &Shown{} },
	"decide": func() any { return &Decide{} },
	"rule":   func() any { return &Rule{} },
}

// FromClient decodes a message that a client has sent, once and strictly: it is a pointer to the type of its kind.
// Unknown keys, what stands behind it and what is larger or deeper than allowed are errors; they say what was wrong.
func FromClient(e replica.Encoding, data []byte) (any, error) {
	if TooDeep(e, data) {
		return nil, fmt.Errorf("lists and maps stand inside each other more than %d deep", MaxDepth)
	}
	kind, err := Kind(e, data)
	if err != nil {
		return nil, err
	}
	if len(data) > MaxMessage && kind != "shown" {
		return nil, fmt.Errorf("%w: it has at most %d bytes, not %d", ErrTooLarge, MaxMessage, len(data))
	}
	empty := fromClient[kind]
	if empty == nil {
		return nil, &Error{fmt.Sprintf("there is no message %q; a client sends one of %s", kind, clientSends)}
	}
	m := empty()
	if err := Read(e, data, m); err != nil {
		var bad *strict.Error
		if errors.As(err, &bad) && bad.Text {
			return nil, fmt.Errorf("%w: %s: %w", ErrNoText, kind, err)
		}
		return nil, &Error{kind + ": " + err.Error()}
	}
	return m, numbered(m)
}

// MaxNumber is the greatest number that a client may give what it asks for: the greatest integer that every client can
// write exactly.
const MaxNumber = 1<<53 - 1

// numbered checks the number that a client gives what it asks for.
func numbered(m any) error {
	n := uint64(1)
	switch m := m.(type) {
	case *Intent:
		n = m.N
	case *Local:
		n = m.N
	case *Rule:
		n = m.N
	}
	if n < 1 || n > MaxNumber {
		return &Error{fmt.Sprintf("n is from 1 to %d, not %d", uint64(MaxNumber), n)}
	}
	return nil
}

// clientSends lists the kinds that a client sends, for people.
var clientSends = strings.Join(slices.Sorted(maps.Keys(fromClient)), ", ")

// firstKind is the kind of a message that names it first, as most clients write it, found without decoding the rest; ""
// if it does not.
func firstKind(e replica.Encoding, data []byte) string {
	if e == replica.CBOR {
		const head = "\x62is" // a text of two letters; before it stands the head of a map of at most 23 pairs
		if len(data) < 6 || data[0]&0xe0 != 0xa0 || data[0]&0x1f > 23 || string(data[1:4]) != head ||
			data[4]&0xe0 != 0x60 {
			return ""
		}
		if n := int(data[4] & 0x1f); n <= 23 && len(data) >= 5+n {
			return string(data[5 : 5+n])
		}
		return ""
	}
	rest, ok := bytes.CutPrefix(data, []byte(`{"is":"`))
	end := bytes.IndexAny(rest, `"\`)
	if !ok || end < 1 || rest[end] != '"' {
		return ""
	}
	return string(rest[:end])
}

// kindOf finds the kind wherever it stands.
func kindOf(e replica.Encoding, data []byte) string {
	var p Plain
	if e == replica.JSON && json.Unmarshal(data, &p) != nil ||
		e == replica.CBOR && cborLoose.Unmarshal(data, &p) != nil {
		return ""
	}
	return p.Is
}
