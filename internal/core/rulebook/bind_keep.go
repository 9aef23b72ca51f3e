package rulebook

import (
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/zone"
)

// record declares the record sheet's fields, those of the game first.
func (b *fielder) record() {
	b.fields(sheet.Record, b.game.get("record"))
	b.fields(sheet.Record, &node{kind: mapNode, entries: b.own("record")})
	for _, f := range b.book.Schema.Fields(sheet.Record) {
		f.Reset = sheet.ResetNever
	}
}

// recordRules compiles what is kept at the end.
func (b *keeper) recordRules() {
	for _, e := range b.game.fields("record") {
		b.recordRule(e, b.shared("record", e.key, "value", "if", "keep"), true)
	}
	for _, e := range b.own("record") {
		b.recordRule(e, e.value, false)
	}
	if n := len(b.book.Record); n > maxRecord {
		b.fail(b.top.get("record"), "too-many", "", "%d fields, the game's with them; at most %d are allowed", n,
			maxRecord)
	}
	b.storedOnce()
}

// recordRule compiles what a rulebook keeps of a field; keeps is nil where it says nothing.
func (b *keeper) recordRule(e entry, keeps *node, game bool) {
	f := b.book.Schema.Field(sheet.Record, e.key)
	if f == nil || f.BuiltIn {
		return
	}
	r := &RecordField{Line: e.line, Field: f, Game: game}
	if keeps != nil {
		r.Keep = keepWords.named(keeps.str("keep"))
		r.Of, r.If = b.expr(keeps, "value", scopePlayer, expr.Want{Field: f}), b.condition(keeps, "if", scopePlayer)
		if t := f.Type; r.Keep != KeepLatest && t != sheet.Integer && t != sheet.Number {
			b.fail(keeps.get("keep"), "wrong-type", "latest", "a %s has no %s", t, r.Keep)
		}
	}
	for _, w := range e.value.list("was") {
		r.Was = append(r.Was, w.text)
	}
	b.renewed(r, e.value)
	b.uses.mark(sheet.Record, f)
	b.book.Record = append(b.book.Record, r)
}

// storedOnce reports fields of the record that would be kept under one name.
func (b *keeper) storedOnce() {
	by := map[string]string{}
	for _, r := range b.book.Record {
		for _, name := range append([]string{r.Field.Name}, r.Was...) {
			if other := by[name]; other != "" {
				b.fail(b.top.get("record"), "taken", "another name",
					"%q is, or was, a name of both %s and %s", name, other, r.Field.Name)
			}
			by[name] = r.Field.Name
		}
	}
}

func (b *keeper) boards() {
	for _, e := range b.boardEntries() {
		b.board(e)
	}
}

// boardEntries are the boards that a rulebook may post to: its game's, then its own.
func (b *document) boardEntries() []entry {
	return append(slices.Clone(b.game.fields("boards")), b.own("boards")...)
}

func (b *keeper) board(e entry) {
	n, posts := e.value, e.value
	game := b.game.get("boards").get(e.key) != nil
	if game {
		if posts = b.shared("boards", e.key, "value", "if"); posts == nil {
			posts = &node{kind: mapNode}
		}
	}
	x := &Board{Line: e.line, Name: e.key, Game: game, Title: n.titled(e.key), Team: byTeams.is(n, "for"),
		Keep: keepWords.named(n.str("keep")), Least: leastFirst.is(n, "order"),
		Show: showWords.named(n.str("show"))}
	scope := scopePlayer
	if x.Team {
		scope = scopeTeam
		if b.top.get("teams") == nil && !game {
			b.fail(n.get("for"), "not-here", "players", "there are no teams here")
		}
	}
	if n.get("family") != nil {
		x.Arena = 1 + slices.IndexFunc(b.arenaEntries(), func(a entry) bool {
			return e.key == boardFamily(e)+"_"+a.key
		})
	}
	x.Of, x.If = b.expr(posts, "value", scope, wantAmount), b.condition(posts, "if", scope)
	b.clients(n, x)
	b.renewal(n, x)
	if n.get("show") == nil && x.Of != nil && x.Of.Type.Of == sheet.Number && x.Keep != KeepCount {
		x.Show = ShowNumber
	}
	b.atEntry(n, x)
	b.book.Boards = append(b.book.Boards, x)
}

// What stands behind a board's name in the fields that tell how a player stands on it.
const (
	placeSuffix = "_place"
	valueSuffix = "_value"
)

// declareStanding adds the fields that tell how players stand on boards when they enter.
func (b *declarer) declareStanding() {
	rec := b.adder(sheet.Record)
	for _, e := range b.boardEntries() {
		if !e.value.on("at_entry") || byTeams.is(e.value, "for") {
			continue
		}
		value := whole
		switch showWords.named(e.value.str("show")) {
		case ShowNumber:
			value.Type = sheet.Number
		case ShowClock:
			value.Measure, value.Show = sheet.Duration, sheet.ShowTime
		}
		for _, f := range []*sheet.Field{rec(e.key+placeSuffix, whole), rec(e.key+valueSuffix, value)} {
			b.uses.wrote(sheet.Record, f)
		}
	}
}

// atEntry binds whether players bring how they stand on a board.
func (b *keeper) atEntry(n *node, x *Board) {
	switch at := n.get("at_entry"); {
	case !n.on("at_entry"):
	case x.Team:
		b.fail(at, "not-here", "a board of players", "players have no place on a board of teams")
	case x.Show == ShowNumber && n.get("show") == nil:
		b.fail(at, "missing-key", "show: number", "the values of this board are numbers")
	default:
		x.Place = b.book.Schema.Field(sheet.Record, x.Name+placeSuffix)
		x.Value = b.book.Schema.Field(sheet.Record, x.Name+valueSuffix)
	}
}

// clients binds what clients may post.
func (b *keeper) clients(n *node, x *Board) {
	c := n.get("clients")
	if c == nil {
		return
	}
	x.Open, x.Lowest, x.Most, x.Every = true, c.num("min"), c.num("max"), c.millis("every")
	if x.Lowest > x.Most {
		b.fail(c, "out-of-range", "min to be at most max", "min is above max")
	}
	if x.Team {
		b.fail(c, "not-here", "only boards of players to have it", "clients cannot post for a team")
	}
}

// renewal binds when a board begins anew.
func (b *keeper) renewal(n *node, x *Board) {
	x.Renew, x.Zone = renewWords.named(n.str("renew")), n.str("time_zone")
	if _, err := zone.Load(x.Zone); err != nil {
		b.fail(n.get("time_zone"), "unknown-word", "an IANA name such as UTC, Europe/Oslo or America/Lima",
			"there is no time zone %q", x.Zone)
	}
	dates := n.get("dates")
	switch {
	case x.Renew == RenewOnDates && dates == nil:
		b.fail(n, "missing-key", "", "\"renew: dates\" needs the key \"dates\" beside it")
	case x.Renew != RenewOnDates && dates != nil:
		b.fail(dates, "not-here", "it only with renew: dates", "these dates are not used")
	}
	for _, d := range n.list("dates") {
		switch at, err := time.Parse(time.DateOnly, d.text); {
		case err != nil || at.Year() < 2000 || at.Year() > 2999:
			b.fail(d, "wrong-type", "a day of the years 2000 to 2999 such as 2026-03-01", "%s", d.shown())
		case len(x.Dates) > 0 && d.text <= x.Dates[len(x.Dates)-1]:
			b.fail(d, "out-of-range", "a day after "+x.Dates[len(x.Dates)-1], "%s is not later", d.text)
		default:
			x.Dates = append(x.Dates, d.text)
		}
	}
}

// unposted warns of boards to which nothing posts.
func (b *keeper) unposted() {
	told := map[string]bool{}
	for i, e := range b.boardEntries() {
		x, family := b.book.Boards[i], boardFamily(e)
		if !x.Game && e.value.get("value") == nil && !x.Open && !b.uses.posted[family] && !told[family] {
			told[family] = true
			b.warn(e.value, "board-empty",
				"no match posts to this board: it has no \"value\", no effect posts to it, and clients may not")
		}
	}
}

// boardFamily is the name under which a board was declared.
func boardFamily(e entry) string {
	if f := e.value.get("family"); f != nil {
		return f.text
	}
	return e.key
}

func effectPost(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	list := b.boardEntries()
	var names []string
	for _, x := range list {
		names = append(names, boardFamily(x))
	}
	if e.No = b.indexOf(v, "board", names); e.No < 0 { // of a family the first
		return
	}
	if b.uses.posted == nil {
		b.uses.posted = map[string]bool{}
	}
	b.uses.posted[v.text] = true
	board := list[e.No].value
	kind, own, me := sheet.Player, expr.Me, "me"
	if byTeams.is(board, "for") {
		kind, own, me = sheet.Team, expr.Team, "team"
	}
	want := expr.Want{Type: sheet.Ref, Ref: kind}
	if to := n.get("to"); to != nil {
		e.Of = b.compile(to, scope, want)
	} else if scope.Vars&own == 0 {
		b.fail(n, "missing-key", "", "there is no %s here, so the key \"to\" must say whose entry it is", me)
	} else {
		e.Of, _ = b.checker.Compile(me, scope, want)
	}
	e.Value = b.expr(n, "value", scope, wantAmount)
	if n.get("value") == nil && board.get("value") == nil && b.top.get("boards").get(v.text).get("value") == nil &&
		board.str("keep") != KeepCount.String() {
		b.need(n, "value", "post")
	}
}
