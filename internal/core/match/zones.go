package match

import (
	"math/bits"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// zones knows who is in which zone, and who holds it.
type zones struct {
	*stage
	near   *nearby
	values *values
}

// openZones adds the sheets of the zones, at the start of a match.
func (m *zones) openZones() {
	f := &m.book.F.Zone
	for _, z := range m.book.Zones {
		r := m.st.Add(sheet.Zone)
		m.begins(r, z.Starts)
		m.st.SetInt(r, f.Kind, int64(z.No))
		m.layZone(r)
		m.st.SetInt(m.row, z.Field, int64(r.ID))
	}
	m.stirred = true
}

// layZone puts a zone where it lies on the present ground.
func (m *zones) layZone(r *sheet.Row) {
	f := &m.book.F.Zone
	s := m.ground().Zones[r.Int(f.Kind)]
	putAt(m.st, r, f.Pos, ground.Point{X: s.X, Y: s.Y, Z: s.Low})
	putAt(m.st, r, f.Size, ground.Point{X: s.W, Y: s.H, Z: s.Tall})
}

// resetZones puts zones back to nobody's, with what resets at a round.
func (m *zones) resetZones() {
	f := &m.book.F.Zone
	for _, r := range m.st.Of(sheet.Zone) {
		for _, own := range m.book.Schema.Fields(sheet.Zone) {
			if own.Reset >= sheet.ResetRound && !own.Derived && !own.BuiltIn {
				m.st.Set(r, own, m.values.startOf(r, own))
			}
		}
		for _, side := range []*sheet.Field{f.Holder, f.Taker, f.Progress, f.Taking} {
			m.st.SetInt(r, side, 0)
		}
		if m.book.Arenas != nil {
			m.layZone(r)
		}
		m.values.begin(r, sheet.ResetRound)
	}
	m.stirred = true
}

func (m *zones) closeZones() {
	for list := m.st.Of(sheet.Zone); len(list) > 0; list = m.st.Of(sheet.Zone) {
		m.st.Remove(list[len(list)-1])
	}
}

// zonesWait tells whether zones are to be looked at though nobody moves: one of them moves, or is being taken.
func (m *zones) zonesWait() bool {
	for _, r := range m.st.Of(sheet.Zone) {
		if m.book.Zones[r.Int(m.book.F.Zone.Kind)].Moves() || r.Int(m.book.F.Zone.Taking) > 0 {
			return true
		}
	}
	return false
}

// watchZones looks who is in each zone, and lets it be taken one tick further.
func (m *zones) watchZones() {
	list := m.st.Of(sheet.Zone)
	for i := 0; i < len(list); i++ {
		r, z := list[i], m.book.Zones[list[i].Int(m.book.F.Zone.Kind)]
		if z.Moves() {
			m.moveZone(r, z)
		}
		if who := m.lookInto(r, z); z.Hold != nil {
			m.taking(r, z, who)
		}
	}
}

// moveZone puts a zone where its expressions say.
func (m *zones) moveZone(r *sheet.Row, z *rulebook.Zone) {
	f := &m.book.F.Zone
	m.subject(sheet.Match, m.row)
	if z.At != nil {
		v := z.At.Value(&m.env, sheet.Position)
		if m.faulty(z.Line); m.env.Fault == expr.OK {
			putAt(m.st, r, f.Pos, pointIn(v))
		}
	}
	if z.Radius != nil {
		n := z.Radius.Int(&m.env)
		if m.faulty(z.Line); m.env.Fault == expr.OK {
			m.st.SetPos(r, f.Size, min(max(n, 0), maxRadius), 0)
		}
	}
}

// maxRadius is the greatest radius of a zone, in millimetres.
const maxRadius = 2_000_000

// lookInto finds who has come into a zone and who has left it, in the order of the players. Only those near it and
// those who were in it are looked at.
func (m *zones) lookInto(r *sheet.Row, z *rulebook.Zone) (who presence) {
	f := &m.book.F.Zone
	zx, zy := r.Pos(f.Pos)
	w, h := r.Pos(f.Size)
	crowd, all := int64(0), &m.near.bodies
	all.inStrip(zx-w, zx+w)
	m.pickInside(r)
	for i := range all.near {
		for ; all.near[i] != 0; all.near[i] &= all.near[i] - 1 {
			at := i<<6 + bits.TrailingZeros64(all.near[i])
			b := &all.list[at]
			in := b.alive && expr.InShape(b.x-zx, b.y-zy, w, h) &&
				(len(all.up) == 0 || expr.InHeights(r, f.Pos, f.Size, all.up[at].z))
			if m.looks(r, z, b, in) {
				crowd++
				who.add(m.side(b.row))
			}
		}
	}
	m.st.SetInt(r, f.Crowd, crowd)
	return who
}

// pickInside picks those who were in a zone when it was last looked at.
func (m *zones) pickInside(r *sheet.Row) {
	all := &m.near.bodies
	for k, f := range m.book.F.Zone.In {
		for rest := uint64(r.Int(f)); rest != 0; rest &= rest - 1 {
			slot := k*expr.ZoneBits + bits.TrailingZeros64(rest)
			if slot >= len(all.bySlot) {
				continue
			}
			if i := all.bySlot[slot]; i >= 0 && i < all.players && int(all.list[i].slot) == slot {
				all.pick(i)
			}
		}
	}
}

// looks notes whether one who is within a zone's shape, or was in it, is in it now, and does what passing its edge
// does.
func (m *zones) looks(r *sheet.Row, z *rulebook.Zone, b *body, in bool) bool {
	f := &m.book.F.Zone
	if in && z.If != nil {
		m.subject(sheet.Player, b.row)
		m.env.Zone = r
		in = m.yes(z.If, z.Line)
	}
	set, bit := f.In[b.slot/expr.ZoneBits], int64(1)<<(b.slot%expr.ZoneBits)
	if was := r.Int(set)&bit != 0; was != in && m.st.Get(b.row.ID) == b.row {
		m.st.SetInt(r, set, r.Int(set)^bit)
		m.passesEdge(r, z, b.row, in)
	}
	return in
}

// passesEdge does what happens when a player comes into a zone, or leaves it.
func (m *zones) passesEdge(r *sheet.Row, z *rulebook.Zone, p *sheet.Row, in bool) {
	m.subject(sheet.Player, p)
	if m.env.Zone = r; in {
		m.do(z.Enter)
	} else {
		m.do(z.Leave)
	}
	m.env.Zone = nil
}

// leaves does what leaving them does in the zones in which a player is who leaves the match.
func (m *zones) leaves(p *sheet.Row) {
	f, slot := &m.book.F.Zone, p.Int(m.book.F.Player.Slot)
	set, bit := f.In[slot/expr.ZoneBits], int64(1)<<(slot%expr.ZoneBits)
	for _, r := range m.st.Of(sheet.Zone) {
		if r.Int(set)&bit != 0 {
			m.st.SetInt(r, set, r.Int(set)&^bit)
			m.passesEdge(r, m.book.Zones[r.Int(f.Kind)], p, false)
		}
	}
}

// outOfZones forgets in which zones a player is who comes into the match, or has left it.
func (m *zones) outOfZones(p *sheet.Row) {
	f := &m.book.F.Zone
	slot := p.Int(m.book.F.Player.Slot)
	for _, r := range m.st.Of(sheet.Zone) {
		bits := f.In[slot/expr.ZoneBits]
		m.st.SetInt(r, bits, r.Int(bits)&^(1<<(slot%expr.ZoneBits)))
	}
	m.stirred = true
}

// side is for whom a player takes zones.
func (m *zones) side(p *sheet.Row) sheet.ID {
	if m.book.F.Zone.Holder.Of == sheet.Team {
		return p.Team
	}
	return p.ID
}

// presence is which side is in a zone, with how many, and whether there are several.
type presence struct {
	only    sheet.ID
	n       int64
	several bool
}

// add counts one of a side.
func (p *presence) add(side sheet.ID) {
	if p.only == 0 || side == p.only {
		p.only, p.n = side, p.n+1
	} else {
		p.several = true
	}
}

// taking lets a zone be taken one tick further by the only side that is in it.
func (m *zones) taking(r *sheet.Row, z *rulebook.Zone, who presence) {
	f, h := &m.book.F.Zone, z.Hold
	only, n, several := who.only, who.n, who.several
	m.st.SetFlag(r, f.Contested, several)
	holder, taker, done := sheet.ID(r.Int(f.Holder)), sheet.ID(r.Int(f.Taker)), r.Int(f.Taking)
	if !h.Stays && holder != 0 && !several && only != holder {
		m.loseZone(r, z)
		holder = 0
	}
	whole := max(int64(h.Takes), 1) * sheet.Thousand
	switch {
	case several:
		return
	case only != 0 && only != holder && (taker == only || taker == 0 || done == 0):
		taker, done = only, done+min(n, h.Crowd)*sheet.Thousand
		if h.Takes == 0 {
			done = whole
		}
	case done > 0: // what was begun fades
		back := whole
		if h.Fades > 0 {
			back = max(whole/int64(h.Fades), 1)
		}
		if done = max(done-back, 0); done == 0 {
			taker = 0
		}
	}
	if done < whole {
		m.taken(r, taker, done, whole)
		return
	}
	m.taken(r, 0, 0, whole)
	if holder != 0 {
		m.loseZone(r, z)
	}
	m.st.SetInt(r, f.Holder, int64(only))
	m.subject(sheet.Zone, r)
	m.do(z.Taken)
}

// taken notes how far a zone's taking is.
func (m *zones) taken(r *sheet.Row, by sheet.ID, done, whole int64) {
	f := &m.book.F.Zone
	m.st.SetInt(r, f.Taker, int64(by))
	m.st.SetInt(r, f.Progress, done*sheet.Thousand/whole)
	r.N[f.Taking.Slot()] = done // hidden and read by nothing else, so not marked
}

func (m *zones) loseZone(r *sheet.Row, z *rulebook.Zone) {
	m.subject(sheet.Zone, r)
	m.do(z.Lost)
	m.st.SetInt(r, m.book.F.Zone.Holder, 0)
}
