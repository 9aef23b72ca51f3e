// Package replica decides what each audience sees of a lobby's sheets, writes
// it as parts (whole sheets, changed fields, sheets that are gone), and keeps a
// client's copy from them. A tick's parts are encoded once for each audience and
// shared by all who belong to it.
package replica

import (
	"cmp"
	"slices"

	"turnvex/internal/sheet"
)

// The operations that a part can begin with. A part that begins with a sheet's
// number (1 or more) changes fields of that sheet.
const (
	opAppear   = 0  // [0, sheet, kind, owner, field, value, …]: a new sheet, whole
	opGone     = -1 // [-1, sheet, …]: these sheets are no more
	opWithdraw = -2 // [-2, sheet, field, …]: these fields are no longer to be seen
)

// Audience is who a group of parts is for: everyone, or the team or player Of,
// or the referees.
type Audience struct {
	To sheet.Audience
	Of sheet.ID
}

// entry is one part to be encoded from the present values.
type entry struct {
	op   int
	row  *sheet.Row
	gone sheet.ID
	mask sheet.Mask
}

// Group is a tick's parts for one audience.
type Group struct {
	Audience
	entries []entry
}

// Masks are the fields that each audience sees, by kind.
type Masks [sheet.Kinds][sheet.Hidden + 1]sheet.Mask

// MasksOf reads the masks from a schema.
func MasksOf(s *sheet.Schema) *Masks {
	m := &Masks{}
	for k := 0; k < sheet.Kinds; k++ {
		for _, f := range s.Fields(sheet.Kind(k)) {
			m[k][f.See].Set(f.No)
		}
	}
	return m
}

// Collector sorts a tick's changes by audience. It is reused from tick to tick.
type Collector struct {
	masks  *Masks
	groups []Group
	spare  []Group
}

// NewCollector returns a collector for lobbies with these masks.
func NewCollector(m *Masks) *Collector { return &Collector{masks: m} }

func (c *Collector) group(a Audience) *Group {
	for i := range c.groups {
		if c.groups[i].Audience == a {
			return &c.groups[i]
		}
	}
	if n := len(c.spare); n > 0 {
		g := c.spare[n-1]
		c.spare = c.spare[:n-1]
		c.groups = append(c.groups, Group{a, g.entries[:0]})
	} else {
		c.groups = append(c.groups, Group{Audience: a})
	}
	return &c.groups[len(c.groups)-1]
}

func (c *Collector) add(to sheet.Audience, of sheet.ID, e entry) {
	g := c.group(Audience{to, of})
	g.entries = append(g.entries, e)
}

// Collect sorts the changes into groups, everyone's first. The groups point at
// the live rows: encode them before the next input is handed to the authority.
func (c *Collector) Collect(ch sheet.Changes) []Group {
	c.spare = append(c.spare, c.groups...)
	c.groups = c.groups[:0]
	for _, r := range ch.Dirty {
		masks := &c.masks[r.Kind]
		if r.Fresh {
			c.add(sheet.Everyone, 0, entry{op: opAppear, row: r, mask: masks[sheet.Everyone]})
		} else {
			c.change(sheet.Everyone, 0, r, masks)
		}
		if r.Team != 0 {
			c.change(sheet.TeamOnly, r.Team, r, masks)
		}
		if r.Owner != 0 {
			c.change(sheet.OwnerOnly, r.Owner, r, masks)
		}
		c.change(sheet.RefereesOnly, 0, r, masks)
	}
	for _, g := range ch.Gone {
		c.add(sheet.Everyone, 0, entry{op: opGone, gone: g.ID})
	}
	slices.SortFunc(c.groups, func(a, b Group) int {
		return cmp.Or(cmp.Compare(a.To, b.To), cmp.Compare(a.Of, b.Of))
	})
	return c.groups
}

func (c *Collector) change(to sheet.Audience, of sheet.ID, r *sheet.Row, masks *[sheet.Hidden + 1]sheet.Mask) {
	if m := r.Sent.And(masks[to]); !m.Empty() {
		c.add(to, of, entry{op: int(r.ID), row: r, mask: m})
	}
}
