package match

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// clearArgs forgets the values that were sent along before.
func (m *acts) clearArgs() {
	clear(m.env.Arg.N)
	clear(m.env.Arg.S)
}

// accept puts the values sent along where expressions find them, or says which of them is missing, undeclared or not
// what the rulebook asks for: those of a player, or of a referee, who is nobody.
func (m *acts) accept(s *Player, title string, takes []*sheet.Field, bounds []rulebook.Bound,
	args []step.Named) step.Verdict {
	bad := func(format string, args ...any) step.Verdict {
		return step.Verdict{Code: code.BadArgument, Reason: fmt.Sprintf(format, args...)}
	}
	for _, given := range args {
		if !slices.ContainsFunc(takes, func(f *sheet.Field) bool { return f.Name == given.Name }) {
			return bad("%s takes no value %q; it takes %s", title, given.Name, taken(takes))
		}
	}
	for i, f := range takes {
		at := slices.IndexFunc(args, func(n step.Named) bool { return n.Name == f.Name })
		switch {
		case at >= 0:
			v := args[at].Value
			if why := m.unfit(s, f, &bounds[i], v); why != "" {
				return bad("%s", why)
			}
			m.env.Arg.Put(f, v)
		case !bounds[i].Optional:
			return bad("the value %s is missing", f.Name)
		}
	}
	return step.Verdict{}
}

// taken names what is taken.
func taken(takes []*sheet.Field) string {
	var names []string
	for _, f := range takes {
		names = append(names, f.Name)
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// unfit says why an argument is not taken, or nothing.
func (m *acts) unfit(s *Player, f *sheet.Field, b *rulebook.Bound, v sheet.Value) string {
	switch {
	case v.Type != f.Type:
		return wrongType(f, v).Reason
	case f.Type == sheet.List:
		return m.unfitItems(f, v)
	case f.Bounded && f.Clamp(v.N[0]) != v.N[0]:
		return fmt.Sprintf("%s must be from %s to %s", f.Name, sheet.IntValue(f.Type, f.Min).Show(f, m.book.Rate, 0),
			sheet.IntValue(f.Type, f.Max).Show(f, m.book.Rate, 0))
	case !f.Fits(v):
		return fmt.Sprintf("%s must be one of %s", f.Name, strings.Join(f.Choices, ", "))
	case f.Person:
		return unfitText(f, v.S)
	case f.Type == sheet.Text && f.Check(v) != nil:
		return f.Name + ": " + f.Check(v).Error()
	case f.Type == sheet.Ref && v.N[0] == 0 && b.Optional:
		return ""
	case f.Type == sheet.Ref && m.st.GetOr(sheet.ID(v.N[0]), f.Of).ID == 0:
		return fmt.Sprintf("%s must be a %s of this lobby", f.Name, f.Of)
	case f.Type.IsPosition() && b.Direction:
		if p := pointIn(v); max(p.X, -p.X, p.Y, -p.Y, p.Z, -p.Z) > ground.Full || p == (ground.Point{}) {
			return f.Name + " is a direction: " + map[bool]string{false: "two integers from -1000 to 1000, not both 0",
				true: "three integers from -1000 to 1000, not all 0"}[f.Type == sheet.Position3]
		}
	case f.Type.IsPosition():
		return m.offGround(s, f, b, v)
	}
	return ""
}

// Written brings a text that a player has written into the form in which it is an argument.
func Written(f *sheet.Field, raw string) (string, error) {
	text, err := names.Line(raw, int(f.Max))
	if err == nil && text == "" {
		err = errors.New("is empty")
	}
	if err != nil {
		return "", fmt.Errorf("the text %w", err)
	}
	return text, nil
}

// unfitText says why a text is not taken. How long it may be at this place is for Written to say, since whoever is
// erased stands in the journal as a token that may be longer.
func unfitText(f *sheet.Field, text string) string {
	longest := *f
	longest.Max = rulebook.TextLargest
	switch normal, err := Written(&longest, text); {
	case err != nil:
		return f.Name + ": " + err.Error()
	case normal != text:
		return f.Name + ": the text is not in its normal form"
	}
	return ""
}

// unfitItems says why a list is not taken.
func (m *acts) unfitItems(f *sheet.Field, v sheet.Value) string {
	items := sheet.Items(v.S)
	if len(items) > f.Most {
		return fmt.Sprintf("%s has %d items, at most %d are taken", f.Name, len(items), f.Most)
	}
	one := *f
	one.Type = f.Item
	for _, item := range items {
		n, _ := sheet.NextItem(item)
		if why := m.unfit(nil, &one, &rulebook.Bound{}, sheet.IntValue(one.Type, n)); why != "" {
			return "an item of " + why
		}
	}
	return ""
}

// offGround says why a place is not one that may be named.
func (m *acts) offGround(s *Player, f *sheet.Field, b *rulebook.Bound, v sheet.Value) string {
	g := m.ground()
	if !between(v.N[0], 0, g.Width) || !between(v.N[1], 0, g.Height) || !between(v.N[2], 0, g.Tall) {
		if g.Tall > 0 {
			return fmt.Sprintf("%s must lie on the ground, from [0, 0, 0] to [%d, %d, %d]", f.Name, g.Width, g.Height,
				g.Tall)
		}
		return fmt.Sprintf("%s must lie on the ground, from [0, 0] to [%d, %d]", f.Name, g.Width, g.Height)
	}
	if b.Reach == 0 || s == nil {
		return ""
	}
	if !inReach(m.at(s.Row), pointIn(v), b.Reach) {
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
