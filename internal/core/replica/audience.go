// Package replica decides what each audience sees of a lobby's sheets, writes it as parts (whole sheets, changed
// fields, sheets that are gone), and keeps a client's copy from them. A tick's parts are encoded once for each audience
// and shared by all who belong to it.
package replica

import (
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Audience is who a group of parts is for: everyone, the team or player Of, those in the list of the match with the
// number Of, or the referees.
type Audience struct {
	To sheet.Audience
	Of sheet.ID
}

// places is the audience of positions where the rulebook says how far one sees: those who see everything get them all,
// the others by what is near (see Sight).
const places = sheet.Group + 1

// Masks are the fields that each audience sees, by kind; those of all groups together stand under sheet.Group.
type Masks struct {
	of     [sheet.Kinds][places + 1]sheet.Mask
	groups []grouped
}

// grouped are the fields that those in a list see.
type grouped struct {
	list   *sheet.Field
	fields [sheet.Kinds]sheet.Mask
}

// group returns the fields of a group, from the name of its list.
func (m *Masks) group(s *sheet.Schema, name string) *grouped {
	i := slices.IndexFunc(m.groups, func(g grouped) bool { return g.list.Name == name })
	if i < 0 {
		i, m.groups = len(m.groups), append(m.groups, grouped{list: s.Field(sheet.Match, name)})
	}
	return &m.groups[i]
}

// MasksOf reads the masks from a schema; sight is nil where positions are seen from anywhere.
func MasksOf(s *sheet.Schema, sight *Sight) *Masks {
	m := &Masks{}
	for k := 0; k < sheet.Kinds; k++ {
		for _, f := range s.Fields(sheet.Kind(k)) {
			to := f.See
			if sight.covers(sheet.Kind(k), f) {
				to = places
			}
			m.of[k][to].Set(f.No)
			if to == sheet.Group {
				m.group(s, f.Group).fields[k].Set(f.No)
			}
		}
	}
	return m
}

// View is what one connection may see: its own seats' private fields, its teams' fields, or everything.
type View struct {
	Seats  []sheet.ID
	Teams  []sheet.ID
	Groups []sheet.ID // by the numbers of their lists
	All    bool       // a referee or an operator: all but hidden fields
}

// everywhere tells whether the view sees every position: only who has a place of their own on the ground sees no
// farther than from there.
func (v *View) everywhere() bool { return v.All || len(v.Seats) == 0 }

// Sees tells whether the view includes an audience.
func (v *View) Sees(a Audience) bool {
	switch a.To {
	case sheet.Everyone:
		return true
	case sheet.TeamOnly:
		return v.All || slices.Contains(v.Teams, a.Of)
	case sheet.OwnerOnly:
		return v.All || slices.Contains(v.Seats, a.Of)
	case sheet.Group:
		return v.All || slices.Contains(v.Groups, a.Of)
	case sheet.RefereesOnly:
		return v.All
	case places:
		return v.everywhere()
	}
	return false
}

// Fields returns which fields of a sheet the view includes, but for positions that it sees by what is near.
func (v *View) Fields(m *Masks, r *sheet.Row) sheet.Mask {
	masks := &m.of[r.Kind]
	out := masks[sheet.Everyone]
	if r.Team != 0 && v.Sees(Audience{sheet.TeamOnly, r.Team}) {
		out.Add(&masks[sheet.TeamOnly])
	}
	if r.Owner != 0 && v.Sees(Audience{sheet.OwnerOnly, r.Owner}) {
		out.Add(&masks[sheet.OwnerOnly])
	}
	for i := range m.groups {
		if g := &m.groups[i]; v.Sees(Audience{sheet.Group, sheet.ID(g.list.No)}) {
			out.Add(&g.fields[r.Kind])
		}
	}
	if v.All {
		out.Add(&masks[sheet.RefereesOnly])
	}
	if v.everywhere() {
		out.Add(&masks[places])
	}
	return out
}

// maxTeams is how many teams the seats of one connection can be in at most.
const maxTeams = 8

// Join makes a view follow the teams and groups that its seats are in now. It tells whether they are others than
// before.
func (f *Face) Join(v *View, st *sheet.Store) bool {
	var buf [maxTeams]sheet.ID
	teams := buf[:0]
	for _, id := range v.Seats {
		if r := st.Get(id); r != nil && r.Team != 0 && !slices.Contains(teams, r.Team) {
			teams = append(teams, r.Team)
		}
	}
	grouped := len(f.masks.groups) > 0 && f.masks.regroup(v, st)
	if slices.Equal(teams, v.Teams) {
		return grouped
	}
	v.Teams = slices.Clone(teams)
	return true
}

// regroup makes a view follow the groups that its seats are in now.
func (m *Masks) regroup(v *View, st *sheet.Store) bool {
	var groups []sheet.ID
	for i := range m.groups {
		list := m.groups[i].list
		for _, match := range st.Of(sheet.Match) {
			in := func(id sheet.ID) bool { return sheet.Holds(match.Text(list), int64(id)) }
			if slices.ContainsFunc(v.Seats, in) {
				groups = append(groups, sheet.ID(list.No))
			}
		}
	}
	changed := !slices.Equal(groups, v.Groups)
	v.Groups = groups
	return changed
}
