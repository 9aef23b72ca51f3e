package rulebook

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

const (
	textMost    = 64  // characters of a text field, unless max says otherwise
	TextLargest = 500 // the most characters of a text
	largestInt  = 1 << 53
)

// sheets declares the author's fields.
func (b *fielder) sheets() {
	b.fields(sheet.Lobby, b.top.get("options"))
	for _, o := range b.top.fields("options") {
		if f := b.book.Schema.Field(sheet.Lobby, o.key); f != nil {
			f.Reset = sheet.ResetNever
			b.book.Options = append(b.book.Options, f)
			b.uses.wrote(sheet.Lobby, f)
			if o.value.on("fixed") {
				b.book.Fixed = append(b.book.Fixed, f)
			}
			if is := o.value.get("is"); is != nil {
				b.fail(is, "not-here", "start, which whoever opens the lobby may change",
					"an option is chosen when the lobby is opened, and so does not follow from an expression")
			} else if t := f.Type; t == sheet.Ref || t == sheet.List || t == sheet.Clock || t.IsPosition() {
				b.fail(o.value, "wrong-type", "integer, number, text, flag or choice", "an option cannot be a %s",
					o.value.get("type").text)
			}
		}
	}
	sheets := b.top.get("sheets")
	b.bendable = true
	for _, k := range []sheet.Kind{sheet.Lobby, sheet.Match, sheet.Team, sheet.Player} {
		b.fields(k, sheets.get(k.String()))
		for _, e := range sheets.fields(k.String()) {
			if e.value.is("fixed", "true") {
				b.fail(e.value.get("fixed"), "not-here", "it with an option", "only an option is fixed")
			}
		}
	}
	b.bendable = false
}

func (b *fielder) fields(k sheet.Kind, n *node) {
	if n == nil {
		return
	}
	for _, e := range n.entries {
		f := b.field(k, e)
		if slices.Contains(expr.ReservedMembers(k), e.key) {
			b.failEntry(e, "taken", "the name %q is used by expressions on a %s", e.key, k)
			continue
		}
		if old := b.book.Schema.Field(k, e.key); old != nil {
			what := "declared already"
			if old.BuiltIn {
				what = "a built-in field"
			}
			b.failEntry(e, "taken", "%q is %s of the %s sheet; choose another name", e.key, what, k)
			continue
		}
		added, err := b.book.Schema.Add(k, f)
		if err != nil {
			b.failEntry(e, "too-many", "%s", err.Error())
			continue
		}
		b.addSize(k, e, added)
	}
}

func (b *document) failEntry(e entry, code, format string, args ...any) {
	b.problems = append(b.problems, Problem{Severity: Error, Code: code, Line: e.line, Column: e.col, At: e.value.path,
		Message: fmt.Sprintf(format, args...)})
}

// field reads one declaration. Where it is wrong, what comes back can still be declared, so that its uses are not
// reported too.
func (b *fielder) field(k sheet.Kind, e entry) sheet.Field {
	n := e.value
	f := sheet.Field{Name: e.key, Title: n.str("title"), Derived: n.get("is") != nil,
		Down: countsDown.is(n, "count"), Wall: runsOnWall.is(n, "runs")}
	switch word := n.str("type"); word {
	case "player":
		f.Type, f.Of = sheet.Ref, sheet.Player
	case "team":
		f.Type, f.Of = sheet.Ref, sheet.Team
	case "creature":
		f.Type, f.Of = sheet.Ref, sheet.Creature
	case "piece":
		f.Type, f.Of = sheet.Ref, sheet.Piece
	case "zone":
		f.Type, f.Of = sheet.Ref, sheet.Zone
	case countsType: // elsewhere they have been written out
		b.fail(n.get("type"), "not-here", "another type", "counts stand on the sheets of the lobby, the match, teams "+
			"and players, and in records")
	default:
		if f.Measure, _ = sheet.MeasureNamed(word); f.Measure == sheet.Unmeasured {
			f.Type, _ = sheet.TypeNamed(word)
		}
	}
	f.Reset, _ = sheet.ResetNamed(n.str("reset"))
	f.Rate = sheet.Tick(sheet.Ticks(n.millis("update"), b.book.Rate))
	if k != sheet.Record {
		b.listField(n, &f)
	}
	b.audience(k, n, &f)
	b.bounds(n, &f)
	b.start(n, &f)
	b.show(n, &f)
	return f
}

// show reads how a field wants to be drawn.
func (b *fielder) show(n *node, f *sheet.Field) {
	v := n.get("show")
	if (v == nil || v.implied) && f.Measure == sheet.Duration {
		f.Show = sheet.ShowTime
		return
	}
	f.Show, _ = sheet.ShowNamed(n.str("show"))
	switch f.Show {
	case sheet.ShowBar, sheet.ShowNumber, sheet.ShowTime:
		if f.Type != sheet.Integer && f.Type != sheet.Number {
			b.fail(v, "not-here", "an integer or a number, or show: aside", "a %s is not drawn as a %s",
				n.str("type"), f.Show)
		} else if f.Show == sheet.ShowBar && (n.get("min") == nil || n.get("max") == nil) {
			b.fail(v, "missing-key", "min and max", "a bar needs a least and a greatest value")
		}
	}
}

func (b *fielder) audience(k sheet.Kind, n *node, f *sheet.Field) {
	see := n.get("see")
	if see == nil {
		f.SeeBy(n.str("see"))
		return
	}
	if !f.SeeBy(see.text) || f.See == sheet.Group && !groupOf(b.document, see, f) {
		b.fail(see, "unknown-word", "one of everyone, team, owner, referees, or a list of players on the match sheet, "+
			"as in match.spies", "%s", see.shown()).Nearest = Nearest(see.text,
			append(groupNames(b.document), sheet.AudienceWords()...))
		f.See = sheet.Everyone
	}
	if f.See == sheet.OwnerOnly && k != sheet.Player && k != sheet.Record ||
		f.See == sheet.TeamOnly && k != sheet.Player && k != sheet.Team && k != sheet.Record {
		b.fail(see, "audience", "everyone or referees", "a %s sheet has no %s", k, f.See)
	}
	if f.See == sheet.TeamOnly && len(b.book.Teams.List) == 0 {
		b.fail(see, "audience", "everyone, owner or referees", "there are no teams in this rulebook")
	}
}

// groupNames are the lists that may be audiences, as fields name them.
func groupNames(b *document) (names []string) {
	for _, e := range b.section("sheets").fields(sheet.Match.String()) {
		if e.value.is("type", "list") && e.value.is("of", sheet.Player.String()) {
			names = append(names, sheet.GroupPrefix+e.key)
		}
	}
	return names
}

// mostGroups is how many lists may be audiences.
const mostGroups = 16

// groupOf tells whether a field's audience is a list of players on the match sheet.
func groupOf(b *document, see *node, f *sheet.Field) bool {
	groups := map[string]bool{f.Group: true}
	for k := range sheet.Kinds {
		for _, g := range b.book.Schema.Fields(sheet.Kind(k)) {
			if g.See == sheet.Group {
				groups[g.Group] = true
			}
		}
	}
	if len(groups) > mostGroups {
		b.fail(see, "too-many", fmt.Sprintf("at most %d", mostGroups), "%d lists say who sees something", len(groups))
	}
	return slices.Contains(groupNames(b), f.SeenBy())
}

// bounds reads min, max and words.
func (b *fielder) bounds(n *node, f *sheet.Field) {
	lo, hi, words := n.get("min"), n.get("max"), n.get("words")
	if f.Type == sheet.Choice || f.Item == sheet.Choice {
		if words == nil || len(words.items) == 0 {
			b.fail(n, "missing-key", "words: [calm, cross]", "a choice needs its words")
		} else {
			for _, w := range words.items {
				if slices.Contains(f.Choices, w.text) {
					b.fail(w, "taken", "each word once", "%s", w.shown())
				}
				f.Choices = append(f.Choices, w.text)
			}
		}
	} else if words != nil {
		b.fail(words, "not-here", "", "only a choice has words")
	}
	t := f.Type
	if t == sheet.List && f.Item == sheet.Integer {
		t = sheet.Integer
	}
	switch t {
	case sheet.Integer, sheet.Number:
		f.Min, f.Max = -largestInt, largestInt
		if lo != nil && !b.bends(lo, f) {
			f.Min = measured(b, lo, f, t)
		}
		if hi != nil && !b.bends(hi, f) {
			f.Max = measured(b, hi, f, t)
		}
		f.Bounded = true
		if f.Min > f.Max {
			b.fail(lo, "out-of-range", "at most max", "min is above max")
			f.Bounded = false // the start is not to blame
		}
		return
	case sheet.Text:
		f.Max = textMost
		if hi != nil {
			if f.Max = b.amount(hi, sheet.Integer); f.Max < 1 || f.Max > TextLargest {
				b.fail(hi, "out-of-range", fmt.Sprintf("1 to %d characters", TextLargest), "%s", hi.shown())
			}
		}
		hi = nil
	}
	for _, v := range []*node{lo, hi} {
		if v != nil {
			b.fail(v, "not-here", "", "a %s has no bounds", n.str("type"))
		}
	}
}

// amount reads a written integer or number in the unit of the type.
func (b *fielder) amount(n *node, t sheet.Type) int64 {
	v, ok := sheet.ParseThousandths(n.text)
	if ok && t == sheet.Integer {
		ok, v = v%1000 == 0 && n.plain == 'i', v/1000
	}
	if !ok || (n.plain != 'i' && n.plain != 'f') {
		wanted := "an integer"
		if t == sheet.Number {
			wanted = "a number with at most three decimals"
		}
		b.fail(n, "wrong-type", wanted, "%s", n.shown())
		return 0
	}
	if v > largestInt || v < -largestInt {
		b.fail(n, "out-of-range", "at most 9007199254740992 either way", "%s", n.shown())
		return 0
	}
	return v
}

// measured is amount for what a field may measure, which is written with its unit.
func measured(b *fielder, n *node, f *sheet.Field, t sheet.Type) int64 {
	if f.Measure == sheet.Unmeasured {
		return b.amount(n, t)
	}
	v, what, ok := expr.Quantity(n.text)
	if ms, is := parseDuration(n.text); is && f.Measure == sheet.Duration { // as 1m30s
		v, what, ok = ms, sheet.Duration, true
	}
	if ok && what == f.Measure || n.text == "0" {
		return v
	}
	p := b.fail(n, "wrong-type", "a "+dimensions[f.Measure.Unit()]("3"), "%s", n.shown())
	if n.plain == 'i' {
		p.swap = swap{n.text, n.text + f.Measure.Unit()}
	}
	return 0
}

// start reads the value that a field begins with.
func (b *fielder) start(n *node, f *sheet.Field) {
	v := n.get("start")
	if v == nil {
		f.Start.N[0] = f.Clamp(0)
		return
	}
	if f.Derived {
		b.fail(v, "not-here", "", "a derived field has no start")
		return
	}
	if f.Type == sheet.List {
		b.listStart(v, f, n.get("most"))
		return
	}
	if v.kind != scalarNode {
		b.fail(v, "wrong-type", "a single value", "%s", kindWords[v.kind])
		return
	}
	if b.bends(v, f) {
		f.Start.N[0] = f.Clamp(0)
		return
	}
	switch f.Type {
	case sheet.Integer, sheet.Number:
		x := measured(b, v, f, f.Type)
		if f.Start.N[0] = x; f.Clamp(x) != x {
			b.fail(v, "out-of-range", "a value within min and max", "the start %s", v.shown())
		}
	case sheet.Text:
		f.Start.S = v.text
		if int64(len([]rune(v.text))) > f.Max {
			b.fail(v, "too-long", fmt.Sprintf("at most %d characters", f.Max), "%s", v.shown())
		}
	case sheet.Flag:
		if v.plain != 'b' {
			b.fail(v, "wrong-type", "true or false", "%s", v.shown())
		} else if v.text == "true" {
			f.Start.N[0] = 1
		}
	case sheet.Choice:
		if i := slices.Index(f.Choices, v.text); i >= 0 {
			f.Start.N[0] = int64(i)
		} else {
			if len(f.Choices) > 0 {
				b.fail(v, "unknown-word", "one of its words", "%s", v.shown()).Nearest = Nearest(v.text, f.Choices)
			}
		}
	case sheet.Clock:
		ms, ok := parseDuration(v.text)
		if !ok {
			b.fail(v, "wrong-type", "a duration such as 90s", "%s", v.shown())
		}
		f.Start.N[0] = sheet.Ticks(ms, b.book.Rate)
	default:
		b.fail(v, "not-here", "", "a %s begins at nothing; set it with an effect", n.str("type"))
	}
}

// derivedOfKind compiles the derived fields of a kind of piece or creature. Kinds that share one say the same of it.
func (b *fielder) derivedOfKind(k sheet.Kind, no int, n *node, left []*Derived, where map[*Derived]*node) []*Derived {
	scope := scopeOf(k)
	for _, e := range n.fields("fields") {
		f := b.book.Schema.Field(k, e.key)
		if f == nil || !f.Derived || e.value.get("is") == nil {
			continue
		}
		i := slices.IndexFunc(left, func(d *Derived) bool { return d.Field == f })
		if i < 0 {
			p := b.expr(e.value, "is", scope, expr.Want{Field: f})
			if p == nil {
				continue
			}
			d := &Derived{Kind: k, Field: f, Is: p, Line: e.line}
			where[d], i = e.value.get("is"), len(left)
			left = append(left, d)
		} else if is := e.value.get("is"); is.text != where[left[i]].text {
			b.fail(is, "taken", "", "another kind of %s derives %s in another way; call one of them something else", k,
				e.key)
		}
		left[i].Kinds |= 1 << no
	}
	return left
}

// derived compiles the fields that follow from others, in an order in which each comes after those that it reads.
func (b *fielder) derived() {
	sheets := b.top.get("sheets")
	scopes := map[sheet.Kind]expr.Scope{
		sheet.Lobby:  scopeMatch,
		sheet.Match:  scopeMatch,
		sheet.Team:   scopeTeam,
		sheet.Player: scopePlayer,
	}
	var left []*Derived
	where := map[*Derived]*node{}
	for _, k := range []sheet.Kind{sheet.Lobby, sheet.Match, sheet.Team, sheet.Player} {
		for _, e := range sheets.fields(k.String()) {
			f := b.book.Schema.Field(k, e.key)
			if f == nil || !f.Derived {
				continue
			}
			if p := b.expr(e.value, "is", scopes[k], expr.Want{Field: f}); p != nil {
				d := &Derived{Kind: k, Field: f, Is: p, Line: e.line}
				left, where[d] = append(left, d), e.value.get("is")
				b.uses.wrote(k, f)
			}
		}
	}
	for no, e := range b.top.fields("pieces") {
		left = b.derivedOfKind(sheet.Piece, no, e.value, left, where)
	}
	for no, e := range b.top.fields("creatures") {
		left = b.derivedOfKind(sheet.Creature, no, e.value, left, where)
	}
	for no, e := range b.top.fields("zones") {
		left = b.derivedOfKind(sheet.Zone, no, e.value, left, where)
	}
	reads := func(a, c *Derived) bool {
		return a.Is.Reads.Own[c.Kind].Has(c.Field.No) || a.Is.Reads.Any[c.Kind].Has(c.Field.No)
	}
	for len(left) > 0 {
		i := slices.IndexFunc(left, func(a *Derived) bool {
			return !slices.ContainsFunc(left, func(c *Derived) bool { return reads(a, c) })
		})
		if i < 0 {
			b.fail(where[left[0]], "circle", "", "%s is derived from itself, directly or through others",
				left[0].Field.Name)
			return
		}
		if d := left[i]; d.Is.Const { // nothing that it reads ever changes: it is found when the sheet appears
			once := *d.Is
			once.Reads.Own[d.Kind].Set(0)
			d.Is = &once
		}
		b.book.Derived = append(b.book.Derived, left[i])
		left = slices.Delete(left, i, i+1)
	}
}
