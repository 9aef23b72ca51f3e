package journal

import (
	"encoding/binary"
	"math"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// plain tells whether an input is an intent in which nothing stands of a person, and nothing but
// numbers and words: most inputs are.
func plain(in *step.Input) bool {
	return in.Kind == step.Intent && in.Verb != step.Rename && in.Verb != step.Unban && in.Text == "" &&
		in.Args == nil && in.Record == nil && in.Names == nil && in.Value == (sheet.Value{}) &&
		in.Team == "" && in.Acct == "" && in.Conn == "" && in.Pass == ""
}

// appendPlain appends the entry of such an input, as cbor.Marshal would (RFC 8949): tens of
// thousands are written a second.
func appendPlain(dst []byte, in *step.Input) []byte {
	dst = append(dst, 0x85, kindInput)
	dst = appendInt(dst, int64(in.At))
	begin := len(dst)
	dst = append(dst, 0xa0) // a map, whose length is known at its end
	number := func(key byte, n int64) {
		if n != 0 {
			dst[begin]++
			dst = appendInt(append(dst, key), n)
		}
	}
	word := func(key byte, s string) {
		if s != "" {
			dst[begin]++
			dst = append(AppendHead(append(dst, key), 3, uint64(len(s))), s...)
		}
	}
	flag := func(key byte, on bool) {
		if on {
			dst[begin]++
			dst = append(dst, key, 0xf5)
		}
	}
	number(1, int64(in.Kind))
	number(2, int64(in.Seat))
	if in.Seq != 0 {
		dst[begin]++
		dst = AppendHead(append(dst, 3), 0, in.Seq)
	}
	word(4, string(in.Verb))
	word(5, in.Name)
	number(6, int64(in.Target))
	number(7, in.X)
	number(8, in.Y)
	flag(9, in.Point)
	number(11, in.N)
	flag(12, in.Yes)
	return append(dst, 0x00, 0xf6) // no hash, and no person
}

func appendInt(dst []byte, n int64) []byte {
	if n < 0 {
		return AppendHead(dst, 1, uint64(-1-n))
	}
	return AppendHead(dst, 0, uint64(n))
}

// AppendHead appends the head of a value of a major type of CBOR (RFC 8949, section 3).
func AppendHead(dst []byte, major byte, n uint64) []byte {
	switch major <<= 5; {
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
