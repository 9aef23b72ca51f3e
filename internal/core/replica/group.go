package replica

import (
	"cmp"
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// The operations that a part can begin with. A part that begins with a sheet's number (1 or more) changes fields of
// that sheet.
const (
	opAppear   = 0  // [0, sheet, kind, owner, field, value, …]: a new sheet, whole
	opGone     = -1 // [-1, sheet, …]: these sheets are no more
	opWithdraw = -2 // [-2, sheet, field, …]: these fields are no longer to be seen
	opColumn   = -3 // [-3, field, sheet, value, …]: one field of several sheets, positions and clocks without lists
	opSplice   = -4 // [-4, sheet, field, at, cut, n, item, …, at, …]: in a list, items give way to others
	opCourse   = -5 // [-5, field, sheet, stride, code, …]: a column of places by how far they are off their courses
)

// entry is one part to be encoded from the present values.
type entry struct {
	op   int
	row  *sheet.Row
	mask sheet.Mask
	rows [2]int // of a column: which of the collector's rows
	gone []sheet.ID

	splices []splice // of a list
	texts   bool     // its items are texts
}

// group is a tick's parts for one audience.
type group struct {
	Audience
	entries []entry
}

// changed is a sheet with the fields that are to be told of it now.
type changed struct {
	row   *sheet.Row
	mask  sheet.Mask
	fresh bool
	lists []spliced // those of which splices are told
}

// collector sorts a tick's changes by audience. It is reused from tick to tick.
type collector struct {
	masks  *Masks
	groups []group
	spare  []group
	rows   []*sheet.Row // of all columns
	gone   []sheet.ID
	again  []entry // used while columns are made
}

func (c *collector) group(a Audience) *group {
	for i := range c.groups {
		if c.groups[i].Audience == a {
			return &c.groups[i]
		}
	}
	if n := len(c.spare); n > 0 {
		g := c.spare[n-1]
		c.spare = c.spare[:n-1]
		c.groups = append(c.groups, group{a, g.entries[:0]})
	} else {
		c.groups = append(c.groups, group{Audience: a})
	}
	return &c.groups[len(c.groups)-1]
}

// collect sorts the changes into groups, everyone's first. The groups point at the live rows: encode them before the
// next input is handed to the authority.
func (c *collector) collect(changes []changed, gone []sheet.Removed) []group {
	c.spare = append(c.spare, c.groups...)
	c.groups, c.rows, c.gone = c.groups[:0], c.rows[:0], c.gone[:0]
	for i := range changes {
		ch := &changes[i]
		masks := &c.masks.of[ch.row.Kind]
		if ch.fresh {
			g := c.group(Audience{sheet.Everyone, 0})
			g.entries = append(g.entries, entry{op: opAppear, row: ch.row, mask: masks[sheet.Everyone]})
		} else {
			c.change(Audience{sheet.Everyone, 0}, ch, &masks[sheet.Everyone])
		}
		if ch.row.Team != 0 {
			c.change(Audience{sheet.TeamOnly, ch.row.Team}, ch, &masks[sheet.TeamOnly])
		}
		if ch.row.Owner != 0 {
			c.change(Audience{sheet.OwnerOnly, ch.row.Owner}, ch, &masks[sheet.OwnerOnly])
		}
		for i := range c.masks.groups {
			g := &c.masks.groups[i]
			c.change(Audience{sheet.Group, sheet.ID(g.list.No)}, ch, &g.fields[ch.row.Kind])
		}
		c.change(Audience{sheet.RefereesOnly, 0}, ch, &masks[sheet.RefereesOnly])
		c.change(Audience{places, 0}, ch, &masks[places])
	}
	if len(gone) > 0 {
		for _, r := range gone {
			c.gone = append(c.gone, r.ID)
		}
		g := c.group(Audience{sheet.Everyone, 0})
		g.entries = append(g.entries, entry{op: opGone, gone: c.gone})
	}
	slices.SortFunc(c.groups, func(a, b group) int {
		return cmp.Or(cmp.Compare(a.To, b.To), cmp.Compare(a.Of, b.Of))
	})
	for i := range c.groups {
		if len(c.groups[i].entries) > 1 {
			c.columns(&c.groups[i])
		}
	}
	return c.groups
}

// change adds those of some fields that have changed to what an audience is told.
func (c *collector) change(to Audience, ch *changed, fields *sheet.Mask) {
	if m := ch.mask.And(fields); !m.Empty() {
		g := c.group(to)
		for i := range ch.lists {
			if l := &ch.lists[i]; m.Has(l.no) {
				e := entry{op: opSplice, row: ch.row, splices: l.splices, texts: l.texts}
				e.mask.Set(l.no)
				m.Clear(l.no)
				g.entries = append(g.entries, e)
			}
		}
		if !m.Empty() {
			g.entries = append(g.entries, entry{op: int(ch.row.ID), row: ch.row, mask: m})
		}
	}
}

// columns puts a field that has changed on several sheets of a kind into one part, which takes less room than a part
// for each sheet.
func (c *collector) columns(g *group) {
	var once, twice [sheet.Kinds]sheet.Mask
	any := false
	for i := range g.entries {
		if e := &g.entries[i]; e.op > 0 {
			both := once[e.row.Kind].And(&e.mask)
			any = any || !both.Empty()
			twice[e.row.Kind].Add(&both)
			once[e.row.Kind].Add(&e.mask)
		}
	}
	if !any {
		return
	}
	c.again = append(c.again[:0], g.entries...)
	g.entries = g.entries[:0]
	for i := range c.again {
		e := c.again[i]
		if e.op > 0 {
			if e.mask = minus(e.mask, twice[e.row.Kind]); e.mask.Empty() {
				continue
			}
		}
		g.entries = append(g.entries, e)
	}
	for k := range twice {
		for n := twice[k].Next(0); n >= 0; n = twice[k].Next(n + 1) {
			col := entry{op: opColumn, rows: [2]int{len(c.rows)}}
			col.mask.Set(n)
			for i := range c.again {
				if e := &c.again[i]; e.op > 0 && e.row.Kind == sheet.Kind(k) && e.mask.Has(n) {
					c.rows, col.row = append(c.rows, e.row), e.row
				}
			}
			col.rows[1] = len(c.rows)
			g.entries = append(g.entries, col)
		}
	}
}

func minus(a, b sheet.Mask) sheet.Mask {
	for i := range a {
		a[i] &^= b[i]
	}
	return a
}
