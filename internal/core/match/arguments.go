package match

import (
	"fmt"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// arguments puts the values sent along where expressions find them, or says which of
// them is missing, undeclared or not what the rulebook asks for.
func (m *Match) arguments(s *Player, a *rulebook.Action, in *step.Input) step.Verdict {
	bad := func(format string, args ...any) step.Verdict {
		return step.Verdict{Code: code.BadArgument, Reason: fmt.Sprintf(format, args...)}
	}
	for _, given := range in.Args {
		if !slices.ContainsFunc(a.Takes, func(f *sheet.Field) bool { return f.Name == given.Name }) {
			return bad("%s takes no value %q; it takes %s", a.Title, given.Name, taken(a))
		}
	}
	clear(m.env.Arg.N)
	for i, f := range a.Takes {
		at := slices.IndexFunc(in.Args, func(n step.Named) bool { return n.Name == f.Name })
		switch {
		case at >= 0:
			v := in.Args[at].Value
			if why := m.unfit(s, f, &a.Bounds[i], v); why != "" {
				return bad("%s", why)
			}
			m.env.Arg.Put(f, v)
		case !a.Bounds[i].Optional:
			return bad("the value %s is missing", f.Name)
		}
	}
	return step.Verdict{}
}

// taken names what an action takes.
func taken(a *rulebook.Action) string {
	var names []string
	for _, f := range a.Takes {
		names = append(names, f.Name)
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// unfit says why an argument is not taken, or nothing.
func (m *Match) unfit(s *Player, f *sheet.Field, b *rulebook.Bound, v sheet.Value) string {
	switch {
	case v.Type != f.Type:
		return wrongType(f, v).Reason
	case f.Bounded && f.Clamp(v.N[0]) != v.N[0]:
		return fmt.Sprintf(
			"%s must be from %s to %s",
			f.Name,
			sheet.IntValue(f.Type, f.Min).
				Show(f, m.book.Rate, 0),
			sheet.IntValue(f.Type, f.Max).Show(f, m.book.Rate, 0),
		)
	case !f.Fits(v):
		return fmt.Sprintf("%s must be one of %s", f.Name, strings.Join(f.Choices, ", "))
	case f.Type == sheet.Ref && v.N[0] == 0 && b.Optional:
		return ""
	case f.Type == sheet.Ref && m.st.GetOr(sheet.ID(v.N[0]), f.Of).ID == 0:
		return fmt.Sprintf("%s must be a %s of this lobby", f.Name, f.Of)
	case f.Type == sheet.Position && b.Direction:
		if !between(v.N[0], -full, full) || !between(v.N[1], -full, full) || v.N[0] == 0 && v.N[1] == 0 {
			return f.Name + " is a direction: two integers from -1000 to 1000, not both 0"
		}
	case f.Type == sheet.Position:
		return m.offGround(s, f, b, v)
	}
	return ""
}

// offGround says why a place is not one that may be named.
func (m *Match) offGround(s *Player, f *sheet.Field, b *rulebook.Bound, v sheet.Value) string {
	g := m.ground()
	if !between(v.N[0], 0, g.Width) || !between(v.N[1], 0, g.Height) {
		return fmt.Sprintf("%s must lie on the ground, from [0, 0] to [%d, %d]", f.Name, g.Width, g.Height)
	}
	if x, y := s.Row.Pos(m.book.F.Player.Pos); b.Reach > 0 && !near(x, y, v.N[0], v.N[1], b.Reach) {
		return fmt.Sprintf("%s must lie within %s of you", f.Name, metres(b.Reach))
	}
	return ""
}

func between(n, lo, hi int64) bool { return n >= lo && n <= hi }

// wrongType refuses a value that a field cannot hold.
func wrongType(f *sheet.Field, v sheet.Value) step.Verdict {
	if v.Type == sheet.Unreadable {
		return step.Verdict{Code: code.BadArgument, Reason: f.Name + ": " + v.S}
	}
	return step.Verdict{Code: code.BadArgument, Reason: fmt.Sprintf("%s must be of type %s", f.Name, f.Type)}
}
