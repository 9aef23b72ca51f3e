package rulebook

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Groups are the lists of the match that are audiences, in the order of their fields.
func (b *Book) Groups() []*sheet.Field { return b.groups }

// bindGroups finds the lists that are audiences; all fields are bound.
func bindGroups(b *document) {
	for _, list := range b.book.Schema.Fields(sheet.Match) {
		for k := range sheet.Kinds {
			if slices.ContainsFunc(b.book.Schema.Fields(sheet.Kind(k)), func(f *sheet.Field) bool {
				return f.See == sheet.Group && f.Group == list.Name
			}) {
				b.book.groups = append(b.book.groups, list)
				break
			}
		}
	}
}

// usualWatchers is how many may watch where a rulebook says nothing and hides nothing.
const usualWatchers = 20

// KeepsSecrets tells whether spectators of a rulebook see what some players must not: positions out of sight; or
// whether players could have them tell what others show to some players alone.
func (b *Book) KeepsSecrets() bool { return b.Hides() || len(b.hidden()) > 0 }

// Hides tells whether somebody sees only a part of a ground.
func (b *Book) Hides() bool {
	return slices.ContainsFunc(b.Grounds, func(g *Ground) bool { return g.Sight != nil })
}

// hidden lists the declared fields that only some players see.
func (b *Book) hidden() (names []string) {
	for k := range sheet.Kinds {
		if sheet.Kind(k) == sheet.Record { // its player's alone, and of no match
			continue
		}
		for _, f := range b.Schema.Fields(sheet.Kind(k)) {
			if !f.BuiltIn && (f.See == sheet.TeamOnly || f.See == sheet.OwnerOnly || f.See == sheet.Group) {
				names = append(names, sheet.Kind(k).String()+"."+f.Name)
			}
		}
	}
	return names
}

// Watching says what spectators see, and how many there may be.
func (b *Book) Watching() string {
	sees := "what everyone sees"
	if b.Hides() {
		sees += " and every position, in and out of sight"
	}
	if hidden := b.hidden(); len(hidden) > 0 {
		more := ""
		if n := len(hidden) - 4; n > 0 {
			hidden, more = hidden[:4], fmt.Sprintf(" and %d more", n)
		}
		sees += ", without " + strings.Join(hidden, ", ") + more
	}
	if b.Spectators.Most == 0 {
		return "nobody may watch; with spectators: {most: N} they would see " + sees
	}
	when := "at once"
	if b.Spectators.Delay > 0 {
		when = showDuration(sheet.Millis(int64(b.Spectators.Delay), b.Rate)) + " late"
	}
	return fmt.Sprintf("up to %d spectators see, %s, %s", b.Spectators.Most, when, sees)
}

// bindWatching says how many may watch where the rulebook does not; all else is bound.
func bindWatching(b *document) {
	if n := b.section("spectators"); n.get("most") == nil && !b.book.KeepsSecrets() {
		b.book.Spectators.Most = usualWatchers
	}
}

// warnTold warns of a refusal that tells who asks something which they may not see.
func warnTold(b *actor, n *node, a *Action) {
	for i := range a.Needs {
		warnReads(b.document, n.get("needs"), a, a.Needs[i].By)
	}
	for i := range a.Cost {
		warnReads(b.document, n.get("cost"), a, a.Cost[i].By)
	}
	warnReads(b.document, n.get("if"), a, a.If)
}

// warnReads warns where a condition of an action depends on a field of others that who asks may not see. Of lists the
// length is told to everyone, so they are left out.
func warnReads(b *document, n *node, a *Action, p *expr.Prog) {
	if n == nil || p == nil {
		return
	}
	for k := range sheet.Kinds {
		for _, f := range b.book.Schema.Fields(sheet.Kind(k)) {
			of, own := p.Reads.Any[k].Has(f.No), p.Reads.Own[k].Has(f.No)
			told := f.See == sheet.OwnerOnly && of ||
				f.See == sheet.TeamOnly && of && (p.Calls || others.MatchString(p.Source)) ||
				(f.See == sheet.RefereesOnly || f.See == sheet.Group) && (of || own)
			if told && f.Type != sheet.List && sheet.Kind(k) != sheet.Record && !f.BuiltIn {
				a.Tells = true
				b.warn(n, "tells-hidden", "whether %s is refused tells who asks something of %s.%s, which only %s may "+
					"see", a.Title, sheet.Kind(k), f.Name, seers(f))
			}
		}
	}
}

// others finds what may be of another team.
var others = regexp.MustCompile(`\b(players|teams|arg|target)\b`)

// seers says who sees a field.
func seers(f *sheet.Field) string {
	switch f.See {
	case sheet.OwnerOnly, sheet.TeamOnly:
		return "its " + f.SeenBy()
	case sheet.Group:
		return "players in " + f.SeenBy()
	}
	return f.SeenBy()
}
