// Package replica decides what each audience sees of a lobby's sheets, writes it as parts (whole sheets, changed
// fields, sheets that are gone), and keeps a client's copy from them. A tick's parts are encoded once for each audience
// and shared by all who belong to it.
package replica

import (
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Audience is who a group of parts is for: everyone, or the team or player Of, or the referees.
type Audience struct {
	To sheet.Audience
	Of sheet.ID
}

// places is the audience of positions where the rulebook says how far one sees: those who see everything get them all,
// the others by what is near (see Sight).
const places = sheet.Hidden + 1

// Masks are the fields that each audience sees, by kind.
type Masks [sheet.Kinds][places + 1]sheet.Mask

// MasksOf reads the masks from a schema; sight is nil where positions are seen from anywhere.
func MasksOf(s *sheet.Schema, sight *Sight) *Masks {
	m := &Masks{}
	for k := 0; k < sheet.Kinds; k++ {
		for _, f := range s.Fields(sheet.Kind(k)) {
			to := f.See
			if sight.field(sheet.Kind(k)) == f {
				to = places
			}
			m[k][to].Set(f.No)
		}
	}
	return m
}

// View is what one connection may see: its own seats' private fields, its teams' fields, or everything.
type View struct {
	Seats []sheet.ID
	Teams []sheet.ID
	All   bool // a referee or an operator: all but hidden fields
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
	case sheet.RefereesOnly:
		return v.All
	case places:
		return v.everywhere()
	}
	return false
}

// Fields returns which fields of a sheet the view includes, but for positions that it sees by what is near.
func (v *View) Fields(m *Masks, r *sheet.Row) sheet.Mask {
	masks := &m[r.Kind]
	out := masks[sheet.Everyone]
	if r.Team != 0 && v.Sees(Audience{sheet.TeamOnly, r.Team}) {
		out.Add(&masks[sheet.TeamOnly])
	}
	if r.Owner != 0 && v.Sees(Audience{sheet.OwnerOnly, r.Owner}) {
		out.Add(&masks[sheet.OwnerOnly])
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

// Join makes the view follow the teams that its seats are in now. It tells whether the teams are others than before.
func (v *View) Join(st *sheet.Store) bool {
	var buf [maxTeams]sheet.ID
	teams := buf[:0]
	for _, id := range v.Seats {
		if r := st.Get(id); r != nil && r.Team != 0 && !slices.Contains(teams, r.Team) {
			teams = append(teams, r.Team)
		}
	}
	if slices.Equal(teams, v.Teams) {
		return false
	}
	v.Teams = slices.Clone(teams)
	return true
}
