package replica

import (
	"slices"

	"turnvex/internal/sheet"
)

// View is what one connection may see: its own seats' private fields, its
// teams' fields, or everything.
type View struct {
	Seats []sheet.ID
	Teams []sheet.ID
	All   bool // a referee or an operator: all but hidden fields
}

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
	}
	return false
}

// Fields returns which fields of a sheet the view includes.
func (v *View) Fields(m *Masks, r *sheet.Row) sheet.Mask {
	masks := &m[r.Kind]
	out := masks[sheet.Everyone]
	if r.Team != 0 && v.Sees(Audience{sheet.TeamOnly, r.Team}) {
		out.Add(masks[sheet.TeamOnly])
	}
	if r.Owner != 0 && v.Sees(Audience{sheet.OwnerOnly, r.Owner}) {
		out.Add(masks[sheet.OwnerOnly])
	}
	if v.All {
		out.Add(masks[sheet.RefereesOnly])
	}
	return out
}

// Join makes the view follow the teams that its seats are in now. It tells
// whether the teams are others than before.
func (v *View) Join(st *sheet.Store) bool {
	var teams []sheet.ID
	for _, id := range v.Seats {
		if r := st.Get(id); r != nil && r.Team != 0 && !slices.Contains(teams, r.Team) {
			teams = append(teams, r.Team)
		}
	}
	if slices.Equal(teams, v.Teams) {
		return false
	}
	v.Teams = teams
	return true
}

// Whole returns everything in the store that the view includes.
func (v *View) Whole(m *Masks, st *sheet.Store) Group {
	var g Group
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range st.Of(sheet.Kind(k)) {
			g.entries = append(g.entries, entry{op: opAppear, row: r, mask: v.Fields(m, r)})
		}
	}
	return g
}

// Shift returns what a view must be told when it, or a player it sees, has
// changed sides: fields to withdraw and fields now to be seen. before is the
// view as it was; moved are the players who changed sides, with their old teams.
func Shift(m *Masks, st *sheet.Store, before, after *View, moved []sheet.Moved) Group {
	var g Group
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range st.Of(sheet.Kind(k)) {
			was := *r
			for i := len(moved) - 1; i >= 0; i-- { // the first move of a player tells the oldest team
				if moved[i].Player.ID == r.Owner {
					was.Team = moved[i].From
				}
			}
			old, now := before.Fields(m, &was), after.Fields(m, r)
			lost, won := minus(old, now), minus(now, old)
			if !lost.Empty() {
				g.entries = append(g.entries, entry{op: opWithdraw, row: r, mask: lost})
			}
			if !won.Empty() {
				g.entries = append(g.entries, entry{op: int(r.ID), row: r, mask: won})
			}
		}
	}
	return g
}

func minus(a, b sheet.Mask) sheet.Mask {
	for i := range a {
		a[i] &^= b[i]
	}
	return a
}

// Empty tells whether the group has no parts.
func (g *Group) Empty() bool { return len(g.entries) == 0 }
