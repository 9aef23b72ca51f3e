package board

import (
	"encoding/binary"
	"errors"

	"turnvex.example/turnvex/internal/core/ranking"
)

// row is an entry as the database has it.
type row struct {
	entry      ranking.Entry
	id         [16]byte
	name, team string
}

// copied takes in what PostgreSQL copies out in its binary form (COPY, PostgreSQL 15): a head of 19 bytes, then rows of
// as many columns as it says, each behind its length, and -1 in the end. It is written piece by piece, cut anywhere.
type copied struct {
	rows []row
	rest []byte // of a row that is not whole yet
	head bool   // was taken
}

const (
	headBytes = 19
	columnsOf = 7
	year2000  = 946684800000000 // its first moment in microseconds since the epoch
)

var errCopied = errors.New("the database has copied out an entry that cannot be read")

// Write takes a piece.
func (c *copied) Write(piece []byte) (int, error) {
	data := piece
	if len(c.rest) > 0 {
		data = append(c.rest, piece...)
	}
	if !c.head && len(data) >= headBytes {
		data, c.head = data[headBytes:], true
	}
	for c.head {
		n, err := c.row(data)
		if err != nil {
			return 0, err
		}
		if n == 0 {
			break
		}
		data = data[n:]
	}
	c.rest = append([]byte(nil), data...)
	return len(piece), nil
}

// row takes a row, and tells how many bytes it had; 0 if it is not whole.
func (c *copied) row(data []byte) (n int, err error) {
	if len(data) < 2 {
		return 0, nil
	}
	switch n := int16(binary.BigEndian.Uint16(data)); {
	case n == -1:
		return 2, nil
	case n != columnsOf:
		return 0, errCopied
	}
	var cols [columnsOf][]byte
	at := 2
	for i := range cols {
		if len(data) < at+4 {
			return 0, nil
		}
		size := int(int32(binary.BigEndian.Uint32(data[at:])))
		at += 4
		if size < 0 {
			continue
		}
		if len(data) < at+size {
			return 0, nil
		}
		cols[i] = data[at : at+size]
		at += size
	}
	for i, size := range [columnsOf]int{0: 16, 3: 8, 4: 8, 6: 8} {
		if size > 0 && len(cols[i]) != size {
			return 0, errCopied
		}
	}
	var r row
	copy(r.id[:], cols[0])
	r.team, r.name = string(cols[1]), string(cols[2])
	r.entry.Value = int64(binary.BigEndian.Uint64(cols[3]))
	r.entry.At = int64(binary.BigEndian.Uint64(cols[4])) + year2000
	copy(r.entry.Match[:], cols[5])
	r.entry.Version = int64(binary.BigEndian.Uint64(cols[6]))
	c.rows = append(c.rows, r)
	return at, nil
}
