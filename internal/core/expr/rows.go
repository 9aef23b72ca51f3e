package expr

import (
	"slices"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// place is a compiled reference to a sheet.
type place struct {
	row  rowFn
	kind sheet.Kind
	own  bool // it is the subject itself, not something found through a field
}

// place compiles an expression whose value is a sheet.
func (k *compiler) place(e ast.Expr) place {
	kind, _ := kindOf(k.typeOf(e))
	switch e.Kind() {
	case ast.IdentKind:
		return k.named(e, e.AsIdent())
	case ast.SelectKind:
		return k.deref(e, kind)
	case ast.ComprehensionKind:
		return k.extreme(e)
	case ast.CallKind:
		if d := called(k, e); d != nil {
			return inlinePlace(k, e, d, kind)
		}
		if c := e.AsCall(); c.FunctionName() == "team_named" {
			return k.teamNamed(e, c.Args()[0])
		} else if isPick(c.FunctionName()) {
			return k.pick(e)
		} else if c.FunctionName() == "_?_:_" {
			cond, a, b := k.num(c.Args()[0]), k.place(c.Args()[1]), k.place(c.Args()[2])
			return place{kind: kind, row: func(v *Env) *sheet.Row {
				if cond(v) != 0 {
					return a.row(v)
				}
				return b.row(v)
			}}
		}
	}
	k.fail(e, "this cannot be used as a %s here", kind)
	return place{kind: kind, row: func(v *Env) *sheet.Row { return v.Store.GetOr(0, kind) }}
}

// teamNamed compiles team_named('amber'): the name is known when the rulebook is read.
func (k *compiler) teamNamed(e, arg ast.Expr) place {
	if arg.Kind() == ast.LiteralKind {
		name := string(arg.AsLiteral().(types.String))
		if i := slices.Index(k.checker.Teams, name); i >= 0 {
			return place{kind: sheet.Team, row: func(v *Env) *sheet.Row { return v.Store.Of(sheet.Team)[i] }}
		}
		k.fail(arg, "there is no team %q", name)
		is := &k.issues[len(k.issues)-1]
		is.Word, is.Known = name, k.checker.Teams
	} else {
		k.fail(arg, "team_named takes a name written out, as in team_named('amber')")
	}
	return place{kind: sheet.Team, row: func(v *Env) *sheet.Row { return v.Store.GetOr(0, sheet.Team) }}
}

func (k *compiler) named(e ast.Expr, name string) place {
	for i := len(k.loops) - 1; i >= k.floor; i-- {
		if k.loops[i].name == name {
			return place{kind: k.loops[i].kind, row: func(v *Env) *sheet.Row { return v.rows[i] }}
		}
	}
	for i := len(k.scope.Named) - 1; i >= 0; i-- {
		if k.scope.Named[i].Name == name {
			k.prog.Vars |= Walked
			return place{kind: k.scope.Named[i].Kind, row: func(v *Env) *sheet.Row { return v.Named[i] }}
		}
	}
	use := func(v Vars) { k.prog.Vars |= v }
	switch name {
	case "lobby":
		return place{kind: sheet.Lobby, row: func(v *Env) *sheet.Row { return v.Lobby }}
	case "match":
		return place{kind: sheet.Match, row: func(v *Env) *sheet.Row { return v.Match }}
	case "me":
		use(Me)
		return place{kind: sheet.Player, own: true, row: func(v *Env) *sheet.Row { return v.Me }}
	case "it":
		use(It)
		return place{kind: k.scope.It, row: func(v *Env) *sheet.Row { return v.It }}
	case "target":
		use(Target)
		return place{kind: k.scope.Hit, row: func(v *Env) *sheet.Row { return v.Target }}
	case "creature":
		use(Creature)
		return place{kind: sheet.Creature, own: true, row: func(v *Env) *sheet.Row { return v.Being }}
	case "piece":
		use(Piece)
		return place{kind: sheet.Piece, own: true, row: func(v *Env) *sheet.Row { return v.Piece }}
	case "zone":
		use(Zone)
		return place{kind: sheet.Zone, own: true, row: func(v *Env) *sheet.Row { return v.Zone }}
	case "aim":
		use(Aim)
		return place{kind: aimKind, row: func(v *Env) *sheet.Row { return v.Aim }}
	case "arg":
		if i := k.frame; i != noFrame {
			return place{kind: argKind, row: func(v *Env) *sheet.Row { return v.frame(i) }}
		}
		use(Args)
		return place{kind: argKind, row: func(v *Env) *sheet.Row { return v.Arg }}
	case "team":
		use(Team)
		own := k.scope.Vars&Me == 0
		if !own {
			k.reads(sheet.Player, "team", true)
		}
		return place{kind: sheet.Team, own: own, row: func(v *Env) *sheet.Row { return v.Team }}
	case "record":
		use(Me)
		return k.recordOf(place{kind: sheet.Player, own: true, row: func(v *Env) *sheet.Row { return v.Me }})
	case "nobody", "noteam", "nocreature":
		kind, _ := kindOf(k.typeOf(e))
		return place{kind: kind, row: func(v *Env) *sheet.Row { return v.Store.GetOr(0, kind) }}
	}
	k.fail(e, "nothing here is called %q", name)
	return place{row: func(v *Env) *sheet.Row { return v.Lobby }}
}

// recordOf finds a player's record: the record sheet follows its player's. It is not the subject itself: when a record
// changes, everybody's expressions are looked at.
func (k *compiler) recordOf(p place) place {
	k.reads(sheet.Player, "record_sheet", p.own)
	f := k.checker.schema.Field(sheet.Player, "record_sheet")
	if f == nil {
		return place{kind: sheet.Record, row: func(v *Env) *sheet.Row { return v.Store.GetOr(0, sheet.Record) }}
	}
	slot := f.Slot()
	return place{kind: sheet.Record, row: func(v *Env) *sheet.Row {
		return v.Store.GetOr(sheet.ID(p.row(v).N[slot]), sheet.Record)
	}}
}

// deref compiles a.b where b refers to a sheet.
func (k *compiler) deref(e ast.Expr, kind sheet.Kind) place {
	s := e.AsSelect()
	if o := s.Operand(); o.Kind() == ast.IdentKind && o.AsIdent() == "arg" && k.given[s.FieldName()].own {
		return k.given[s.FieldName()]
	}
	p := k.place(s.Operand())
	if kind == sheet.Record {
		return k.recordOf(p)
	}
	f := k.fieldNamed(p.kind, s.FieldName())
	if f == nil {
		k.fail(e, "no field is called %q", s.FieldName())
		return p
	}
	k.readField(p, f)
	slot := f.Slot()
	return place{kind: kind, row: func(v *Env) *sheet.Row {
		return v.Store.GetOr(sheet.ID(p.row(v).N[slot]), kind)
	}}
}

func (k *compiler) readField(p place, f *sheet.Field) {
	switch {
	case p.kind >= argKind: // what does not change is not watched
		k.prog.Reads.Met = k.prog.Reads.Met || f == AimMet
	case p.own:
		k.prog.Reads.Own[p.kind].Set(f.No)
	default:
		k.prog.Reads.Any[p.kind].Set(f.No)
	}
	if f.Type == sheet.Clock {
		k.prog.Reads.Clock = true
	}
}

func (k *compiler) reads(kind sheet.Kind, field string, own bool) {
	if f := k.checker.schema.Field(kind, field); f != nil {
		k.readField(place{kind: kind, own: own}, f)
	}
}

// list is a compiled list of sheets: a base slice and who of it counts.
type list struct {
	kind sheet.Kind
	base func(*Env) []*sheet.Row
	of   rowFn                               // whose list it is, nil for the plain lists
	keep func(of, candidate *sheet.Row) bool // nil keeps all

	members bool // keep asks for nothing but the team

	holds numFn // of a filtered list: the condition, with the candidate in slot
	slot  int
}

// looked is what a walk goes through: nothing where that is more than it may.
func (l *list) looked(v *Env) []*sheet.Row {
	if base := l.base(v); v.looks(len(base)) {
		return base
	}
	return nil
}

// costs adds a walk over so many, inside the walks that are being compiled, to what the program looks at.
func (k *compiler) costs(size int64) {
	for _, l := range k.loops {
		size = min(size*max(l.size, 1), 1<<40)
	}
	k.prog.Cost += size
}

func (k *compiler) list(e ast.Expr) (list, bool) {
	l, ok := k.listOf(e)
	if e.Kind() != ast.ComprehensionKind { // of which the list inside has been counted
		k.costs(k.checker.Sizes[l.kind])
	}
	return l, ok
}

func (k *compiler) listOf(e ast.Expr) (list, bool) {
	seated := func(v *Env) []*sheet.Row { return v.Store.Seated }
	k.reads(sheet.Player, "team", false) // who is there: marked when players come, go or change sides
	if e.Kind() == ast.ComprehensionKind {
		return k.filtered(e)
	}
	if e.Kind() == ast.IdentKind {
		switch e.AsIdent() {
		case "players":
			return list{kind: sheet.Player, base: seated}, true
		case "teams":
			return list{kind: sheet.Team, base: func(v *Env) []*sheet.Row { return v.Store.Of(sheet.Team) }}, true
		case "pieces":
			k.reads(sheet.Piece, "kind", false)
			return list{kind: sheet.Piece, base: func(v *Env) []*sheet.Row { return v.Store.Of(sheet.Piece) }}, true
		case "zones":
			return list{kind: sheet.Zone, base: func(v *Env) []*sheet.Row { return v.Store.Of(sheet.Zone) }}, true
		case "creatures":
			k.reads(sheet.Creature, "kind", false)
			return list{
				kind: sheet.Creature,
				base: func(v *Env) []*sheet.Row { return v.Store.Of(sheet.Creature) },
			}, true
		}
	}
	if l := k.listField(e); l != nil {
		if l.field.Item == sheet.Ref {
			return l.rows(), true
		}
		k.fail(e, "a list of values takes size, in, first, nth, exists, all, count, sum, most and least")
		return list{}, false
	}
	if e.Kind() == ast.SelectKind && k.typeOf(e).Kind() == types.ListKind {
		p := k.place(e.AsSelect().Operand())
		if p.kind == sheet.Zone {
			return list{kind: sheet.Player, base: seated, of: p.row, keep: k.inZone(p)}, true
		}
		if keep := Relation(e.AsSelect().FieldName()); keep != nil {
			return list{kind: sheet.Player, base: seated, of: p.row, keep: keep,
				members: e.AsSelect().FieldName() == "members"}, true
		}
	}
	k.fail(
		e,
		"only players, teams, pieces, creatures, zones, team.members, zone.inside and a player's rivals, friends "+
			"and others can be walked through",
	)
	return list{}, false
}

// Relation returns the test behind a virtual list: whether a candidate player is one of the members, rivals, friends or
// others of a sheet. It is nil for other names.
func Relation(name string) func(of, candidate *sheet.Row) bool {
	switch name {
	case "members":
		return func(of, c *sheet.Row) bool { return c.Team == of.ID && of.ID != 0 }
	case "rivals":
		return func(of, c *sheet.Row) bool { return c != of && (c.Team != of.Team || c.Team == 0) }
	case "friends":
		return func(of, c *sheet.Row) bool { return c != of && c.Team == of.Team && c.Team != 0 }
	case "others":
		return func(of, c *sheet.Row) bool { return c != of }
	}
	return nil
}

func (l *list) size(v *Env) int64 {
	if l.keep == nil && l.holds == nil {
		return int64(len(l.base(v)))
	}
	n, of := int64(0), l.owner(v)
	for _, r := range l.looked(v) {
		if l.has(v, of, r) {
			n++
		}
	}
	return n
}
