package replica

import (
	"hash/crc32"
	"maps"
	"slices"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Image is what a viewer's copy must hold at the tick of the last delta or snapshot that was written to it.
func (f *Feed) Image(v *Viewer, st *sheet.Store) *Copy {
	c := NewCopy(f.known)
	c.Tick = v.On
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range st.Of(sheet.Kind(k)) {
			r = f.limits.shown(f.Schema, r)
			s := &Sheet{ID: r.ID, Kind: r.Kind, Owner: r.Owner, schema: c.Schema, have: v.Fields(f.masks, r)}
			s.values = make([]sheet.Value, len(c.Schema.kinds[k]))
			for n := s.have.Next(0); n >= 0; n = s.have.Next(n + 1) {
				s.values[n] = r.Get(f.Schema.Fields(r.Kind)[n])
			}
			c.sheets[s.ID] = s
		}
	}
	for _, g := range v.sights.list {
		if s := c.sheets[g.id]; s != nil && g.seen {
			pos := f.sight.field(s.Kind)
			s.have.Set(pos.No)
			s.values[pos.No] = sheet.Value{Type: pos.Type, N: [3]int64{g.at.X, g.at.Y, g.at.Z}}
			for i, looks := range f.sight.facing(s.Kind) {
				s.have.Set(looks.No)
				s.values[looks.No] = sheet.IntValue(sheet.Integer, g.way[i])
			}
		}
	}
	return c
}

// Hash is the number by which two copies can be compared: the CRC-32 (IEEE) of a text that docs/protocol.md describes
// under "hash".
func (c *Copy) Hash() uint32 {
	var b []byte
	for _, id := range slices.Sorted(maps.Keys(c.sheets)) {
		s := c.sheets[id]
		for i, n := range []int64{int64(s.ID), int64(s.Kind), int64(s.Owner)} {
			if i > 0 {
				b = append(b, ',')
			}
			b = strconv.AppendInt(b, n, 10)
		}
		b = append(b, '\n')
		for n := s.have.Next(0); n >= 0; n = s.have.Next(n + 1) {
			b = append(strconv.AppendInt(b, int64(n), 10), '=')
			b = append(appendPlain(b, s.values[n]), '\n')
		}
	}
	return crc32.ChecksumIEEE(b)
}

// appendPlain writes a value for Hash: a text as it is, a flag as 0 or 1, and integers and items with commas between
// them.
func appendPlain(dst []byte, v sheet.Value) []byte {
	switch v.Type {
	case sheet.Text:
		return append(dst, v.S...)
	case sheet.List:
		return append(dst, strings.Join(sheet.Items(v.S), ",")...)
	}
	for i, n := range v.N[:v.Type.Width()] {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = strconv.AppendInt(dst, n, 10)
	}
	return dst
}

// Difference is one thing in which two copies differ. A nil value is not there.
type Difference struct {
	Sheet       sheet.ID
	Kind        sheet.Kind
	Field       *sheet.Field // nil when the whole sheet is there in one of them only
	Want, Found *sheet.Value
}

// Compare tells in what a copy differs from the one that it should be.
func (c *Copy) Compare(found *Copy) (out []Difference) {
	for _, id := range slices.Sorted(maps.Keys(c.sheets)) {
		s, t := c.sheets[id], found.sheets[id]
		if t == nil || t.Kind != s.Kind {
			out = append(out, Difference{Sheet: id, Kind: s.Kind, Want: &sheet.Value{}})
			continue
		}
		for _, f := range c.Schema.Fields(s.Kind) {
			want, found := s.at(f.No), t.at(f.No)
			if (want == nil) != (found == nil) || want != nil && *want != *found {
				out = append(out, Difference{id, s.Kind, f, want, found})
			}
		}
	}
	for _, id := range slices.Sorted(maps.Keys(found.sheets)) {
		if c.sheets[id] == nil {
			out = append(out, Difference{Sheet: id, Kind: found.sheets[id].Kind, Found: &sheet.Value{}})
		}
	}
	return out
}

func (s *Sheet) at(no int) *sheet.Value {
	if !s.have.Has(no) {
		return nil
	}
	v := s.values[no]
	return &v
}
