package rulebook

import (
	"regexp"
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Limit is what bounds a field, or what it begins with, by expression.
type Limit struct {
	Kind            sheet.Kind
	Field           *sheet.Field
	Min, Max, Start *expr.Prog // nil where it is a plain value
	Line            int        // where it stands in the file
	Kinds           uint64     // of Piece, Creature and Zone: the kinds that have it, by bit
}

// LimitOf returns what bounds a field by expression, or nil.
func (b *Book) LimitOf(f *sheet.Field) *Limit {
	if f.Limit == 0 {
		return nil
	}
	return b.Limits[f.Limit-1]
}

// bends tells whether a bound or start is an expression and no plain value.
func (b *fielder) bends(n *node, f *sheet.Field) bool {
	if n == nil || n.kind != scalarNode || n.plain != 's' || !b.bendable {
		return false
	}
	if f.Measure != sheet.Unmeasured {
		_, _, plain := expr.Quantity(n.text)
		_, time := parseDuration(n.text) // as 1m30s
		return !plain && !(time && f.Measure == sheet.Duration)
	}
	switch f.Type {
	case sheet.Integer, sheet.Number, sheet.Position, sheet.Position3, sheet.Flag:
		return true
	case sheet.Clock:
		_, plain := parseDuration(n.text)
		return !plain
	}
	return false
}

// limits compiles the bounds and starts that are expressions. They may read derived fields.
func (b *limiter) limits() {
	b.decl.bendable = true
	defer func() { b.decl.bendable = false }()
	sheets := b.top.get("sheets")
	for _, k := range []sheet.Kind{sheet.Lobby, sheet.Match, sheet.Team, sheet.Player} {
		for _, e := range sheets.fields(k.String()) {
			f := b.book.Schema.Field(k, e.key)
			if f != nil && !f.BuiltIn && !f.Derived {
				b.limit(k, f, e)
			}
		}
	}
	for _, k := range []sheet.Kind{sheet.Piece, sheet.Creature, sheet.Zone} {
		b.ownLimits(k)
	}
	b.orderLimits()
}

// ownLimits compiles those of the fields of kinds of pieces, creatures or zones. Kinds that share a field share its
// bounds and start by expression.
func (b *limiter) ownLimits(k sheet.Kind) {
	first := map[*sheet.Field]entry{}
	for no, kind := range b.top.fields(kindsOf[k]) {
		for _, e := range kind.value.fields("fields") {
			f := b.book.Schema.Field(k, e.key)
			if f == nil || f.BuiltIn || f.Derived {
				continue
			}
			of, shared := first[f]
			if !shared {
				first[f] = e
				b.limit(k, f, e)
			}
			for _, key := range []string{"min", "max", "start"} {
				if shared && b.bent(e.value.get(key), f) != b.bent(of.value.get(key), f) {
					b.failEntry(e, "taken", "another kind of %s has a %q with another %s by expression; "+
						"call one of them something else", k, e.key, key)
				}
			}
			if i := slices.IndexFunc(b.book.Limits, func(l *Limit) bool { return l.Field == f }); i >= 0 {
				b.book.Limits[i].Kinds |= 1 << no
			}
		}
	}
}

// bent is a bound or start as it is written, where it is an expression.
func (b *limiter) bent(n *node, f *sheet.Field) string {
	if !b.decl.bends(n, f) {
		return ""
	}
	return n.text
}

// orderLimits puts those whose bounds and starts read what others begin with after these, and numbers them.
func (b *limiter) orderLimits() {
	reads := func(l, of *Limit) bool {
		for _, p := range []*expr.Prog{l.Min, l.Max, l.Start} {
			if p != nil && l != of && (p.Reads.Own[of.Kind].Has(of.Field.No) || p.Reads.Any[of.Kind].Has(of.Field.No)) {
				return true
			}
		}
		return false
	}
	left := b.book.Limits
	b.book.Limits = nil
	for len(left) > 0 {
		i := slices.IndexFunc(left, func(l *Limit) bool {
			return !slices.ContainsFunc(left, func(of *Limit) bool { return reads(l, of) })
		})
		i = max(i, 0) // of those that read each other the first
		b.book.Limits = append(b.book.Limits, left[i])
		left[i].Field.Limit = len(b.book.Limits)
		left = slices.Delete(left, i, i+1)
	}
}

func (b *limiter) limit(k sheet.Kind, f *sheet.Field, e entry) {
	l, scope := &Limit{Kind: k, Field: f, Line: e.line}, scopeOf(k)
	for _, x := range []struct {
		key string
		to  **expr.Prog
	}{{"min", &l.Min}, {"max", &l.Max}, {"start", &l.Start}} {
		if n := e.value.get(x.key); b.decl.bends(n, f) &&
			(x.key == "start" || f.Type == sheet.Integer || f.Type == sheet.Number) {
			*x.to = b.compile(n, scope, expr.Want{Field: f})
		}
	}
	if l.Min == nil && l.Max == nil && l.Start == nil {
		return
	}
	if l.Start != nil && (f.Reset == sheet.ResetNever || k == sheet.Lobby) {
		b.fail(e.value.get("start"), "not-here", "a plain value",
			"a field that no match resets begins with no expression")
	}
	for _, p := range []*expr.Prog{l.Min, l.Max} {
		if p != nil && (p.Reads.Own[k].Has(f.No) || p.Reads.Any[k].Has(f.No)) {
			b.fail(e.value, "circle", "", "the bounds of %s read %s itself", f.Name, f.Name)
		}
	}
	if m := fieldAlone.FindStringSubmatch(e.value.str("max")); l.Max != nil && m != nil {
		if of := b.book.Schema.Field(k, m[2]); of != nil && m[1] == selfOf(k) {
			f.MaxBy = of.Name
		}
	}
	b.book.Limits = append(b.book.Limits, l)
}

// fieldAlone is an expression that is nothing but a field of the sheet's own.
var fieldAlone = regexp.MustCompile(`^(me|team|match|lobby|piece|creature|zone)\.(\w+)$`)

// scopeOf is the scope of expressions on a kind of sheet.
func scopeOf(k sheet.Kind) expr.Scope {
	switch k {
	case sheet.Team:
		return scopeTeam
	case sheet.Player:
		return scopePlayer
	case sheet.Piece:
		return expr.Scope{Vars: expr.Piece}
	case sheet.Creature:
		return scopeCreature
	case sheet.Zone:
		return scopeZone
	}
	return scopeMatch
}

// selfOf is how expressions on a kind of sheet call it.
func selfOf(k sheet.Kind) string {
	if k == sheet.Player {
		return "me"
	}
	return k.String()
}
