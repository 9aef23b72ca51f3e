package rulebook

import (
	"regexp"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

func (b *actor) kitNames() {
	actions := b.mapKeys("actions")
	for _, e := range b.top.fields("kits") {
		kit := Kit{Name: e.key, Start: e.value.on("start")}
		for _, a := range e.value.list("actions") {
			if i := b.indexOf(a, "action", actions); i >= 0 {
				kit.Actions |= 1 << i
			}
		}
		b.book.Kits = append(b.book.Kits, kit)
	}
	if len(b.book.Kits) == 0 && len(actions) > 0 {
		b.book.Kits = []Kit{{Name: "all", Actions: 1<<len(actions) - 1, Start: true}}
	}
}

func (b *document) kitIndex(n *node) int {
	var known []string
	for _, k := range b.book.Kits {
		known = append(known, k.Name)
	}
	return b.indexOf(n, "kit", known)
}

func (b *actor) actions() {
	for i, e := range b.top.fields("actions") {
		a := b.action(i, e)
		b.book.Actions, b.book.Lasting = append(b.book.Actions, a), b.book.Lasting || a.Active != nil
		b.book.ActionNamed[a.Name] = a
	}
}

func (b *actor) action(no int, e entry) *Action {
	n := e.value
	a := &Action{
		No:      no,
		Line:    e.line,
		Name:    e.key,
		Title:   n.titled(e.key),
		Key:     n.str("key"),
		Phases:  b.phaseMask(n, "phases", b.openPhases()),
		Out:     n.on("out"),
		AnyTurn: turnAny.is(n, "turn"),
		Held:    n.on("held"),
		Cool:    b.book.Schema.Field(sheet.Player, "cool_"+e.key),
		Active:  b.book.Schema.Field(sheet.Player, "active_"+e.key),
	}
	b.also(n, a)
	scope, args := scopePlayer, &sheet.Schema{Deep: b.book.Schema.Deep}
	if takes := n.get("takes"); takes != nil {
		a.Takes, a.Bounds = b.takes(takes, args, false)
		scope.Args, scope.Vars = a.Takes, scope.Vars|expr.Args
	}
	a.Cooldown = b.quantity(n.get("cooldown"), scope, "ms")
	bindLasting(b, n, a, scope)
	a.If, a.Else = b.condition(n, "if", scope), n.str("refusal")
	if e := n.get("refusal"); e != nil && n.get("if") == nil {
		b.fail(e, "not-here", "if: a condition", "without a condition there is nothing to say where it does not hold")
	}
	a.Needs, a.Cost = b.amounts(n, "needs", scope), b.amounts(n, "cost", scope)
	if c := n.get("certain"); c != nil && c.text == "true" {
		if a.Certain = slices.ContainsFunc(a.Cost, func(x Amount) bool { return x.Record }); !a.Certain {
			b.fail(c, "not-here", "a cost that is a field of the record", "only what is taken from the record can "+
				"be certain")
		}
		if r := n.get("referee"); r != nil {
			b.fail(r, "not-here", "one of the two", "a certain cost and a referee do not go together")
		}
	}
	warnTold(b, n, a)
	a.Free = len(a.Needs)+len(a.Cost) == 0 && a.Cool == nil
	b.aim(n, a, scopePlayer)
	hit := with(scope, expr.Random)
	b.referee(n, a, args, &hit)
	b.hitEffects(n, a, hit)
	if aimDecls[a.Aim.At].target {
		hit.Vars, hit.Hit = hit.Vars|expr.Target, sheet.Player
	}
	after := with(scope, expr.Random)
	after.Vars &^= expr.Args // what was sent along is not kept
	miss := with(scope, expr.Random|expr.Aim|hit.Vars&expr.Args)
	miss.Args = hit.Args
	b.missed(n, a, miss)
	a.End = b.does.effects(n, "end", after)
	if end := n.get("end"); end != nil && never(n.get("lasts")) {
		b.fail(end, "not-here", "lasts: a duration", "the action is over at once and has no end")
	}
	if r := n.get("referee"); r != nil {
		told := hit
		told.Args = a.Takes
		a.Referee.Tell = b.named(r, "tell", told)
		refused := with(scope, expr.Random)
		refused.Args, refused.Vars = hit.Args, refused.Vars|hit.Vars&expr.Args
		a.Referee.Refused = b.does.effects(r, "refused", refused)
	}
	return a
}

// bindLasting binds how long an action lasts, or what it takes before it is done.
func bindLasting(b *actor, n *node, a *Action, scope expr.Scope) {
	a.Lasts = b.quantity(n.get("lasts"), scope, "ms")
	if w := n.get("windup"); !never(w) {
		a.Windup, b.book.Winds = true, true
		for _, key := range []string{"lasts", "end", "referee", "certain"} {
			if v := n.get(key); v != nil && !v.implied {
				b.fail(v, "not-here", "one of the two", "a windup and %s do not go together", key)
			}
		}
		a.Lasts = b.quantity(w, scope, "ms")
	}
	if held := n.get("held"); a.Held && never(n.get("lasts")) && !a.Windup {
		b.fail(held, "not-here", "lasts or windup: how long it may be held", "what takes no time cannot be held")
	}
}

// missed binds what happens when the aim hits nobody.
func (b *actor) missed(n *node, a *Action, scope expr.Scope) {
	a.Miss = b.does.effects(n, "miss", scope)
	if m := n.get("miss"); m != nil && !aimDecls[a.Aim.At].misses &&
		!(a.Windup && a.Aim.At == AimTarget) {
		b.fail(m, "not-here", "", "only an aim along a line, in a cone or at an area can miss")
	}
}

// takes binds values that are sent along, into the schema of what is sent. What a player writes is told apart from what
// a referee does.
func (b *actor) takes(n *node, s *sheet.Schema, referees bool) (fields []*sheet.Field, bounds []Bound) {
	for _, e := range n.entries {
		f := b.decl.field(sheet.Match, e)
		f.Person = f.Type == sheet.Text && !referees
		bound := Bound{Optional: e.value.on("optional"), Reach: e.value.span("reach")}
		if e.value.str("type") == direction {
			f.Type, bound.Direction = sheet.Position, true
		}
		if reach := e.value.get("reach"); reach != nil && (f.Type != sheet.Position || bound.Direction) {
			b.fail(reach, "not-here", "", "only a position has a reach")
		}
		if f.Type.IsPosition() && !b.hasGround() {
			b.fail(e.value, "needs-ground", "a ground with width and height", "a %s without a ground",
				e.value.str("type"))
		}
		added, err := s.Add(sheet.Match, f)
		if err != nil {
			b.failEntry(e, "taken", "the player sends a value %q already; call this one something else", e.key)
			continue
		}
		fields, bounds = append(fields, added), append(bounds, bound)
	}
	return fields, bounds
}

// also reads the times at which an action is taken beside the usual ones.
func (b *actor) also(n *node, a *Action) {
	for _, item := range n.list("also") {
		a.Also |= 1 << max(slices.Index(alsoWords, item.text), 0)
	}
	if a.Also&AlsoFrozen != 0 && n.get("phases") == nil {
		a.Phases = everyPhase
	}
	if a.Also&(AlsoLobby|AlsoResult) == 0 {
		return
	}
	for _, key := range []string{"cooldown", "lasts", "windup", "referee"} {
		if v := n.get(key); v != nil && !v.implied && v.text != "0s" {
			b.fail(v, "not-here", "", "an action of the lobby or the result has no %s: it needs play time, which "+
				"stands still there", key)
		}
	}
}

// direction is the type of an argument that is a direction and no place.
const direction = "direction"

// amounts reads needs or cost: expressions by field of the player.
func (b *actor) amounts(n *node, key string, scope expr.Scope) []Amount {
	var out []Amount
	for _, e := range n.fields(key) {
		at := amountOf(b, n, e, scope)
		if at == nil {
			continue
		}
		f, record := at.Field, at.Kind == sheet.Record
		if f.Derived && key == "cost" {
			b.failEntry(e, "derived", "%s is derived; only its own expression changes it", e.key)
			continue
		}
		if p := b.compile(e.value, scope, expr.Want{Field: f}); p != nil {
			out = append(out, Amount{Record: record, At: at, By: p})
			for _, f := range at.Fields() {
				b.uses.mark(at.Kind, f)
			}
			if wants, why := paysOut(e.value.text, p, f, scope.Args); why != "" && key == "cost" {
				b.fail(e.value, "out-of-range", wants, "%s", why)
			}
		}
	}
	return out
}

// amountOf finds the field that an amount is of: the player's, or else that of the record.
func amountOf(b *actor, n *node, e entry, scope expr.Scope) *expr.Path {
	name, _, _ := strings.Cut(strings.ReplaceAll(e.key, "[", "."), ".")
	for kind, of := range map[sheet.Kind]string{sheet.Player: "me.", sheet.Record: "record."} {
		if b.book.Schema.Field(kind, name) == nil && b.book.Schema.Counts(kind, name) == nil ||
			kind == sheet.Record && b.book.Schema.Field(sheet.Player, name) != nil {
			continue
		}
		at, issues := b.checker.CompilePath(of+e.key, scope)
		if at == nil {
			b.problems = append(b.problems, Problem{Severity: Error, Code: "expression", Line: e.line, Column: e.col,
				At: n.path, Message: issues[0].Message, Nearest: Nearest(issues[0].Word, issues[0].Known)})
			return nil
		}
		if t := at.Field.Type; t == sheet.Integer || t == sheet.Number {
			return at
		}
	}
	b.problems = append(b.problems, Problem{Severity: Error, Code: "unknown-name", Line: e.line, Column: e.col,
		At: n.path, Message: "neither the player sheet nor the record has an integer or number called " + e.key,
		Nearest: Nearest(e.key, b.numericFields()), word: e.key})
	return nil
}

// paysOut says why a cost can pay out, and what is wanted in its place: a negative constant, or a value from a player
// that has no least value.
func paysOut(text string, p *expr.Prog, f *sheet.Field, args []*sheet.Field) (wants, why string) {
	if p.Const && p.Value(&expr.Env{}, f.Type).N[0] < 0 {
		return "0 or more", "a cost of " + text + " would pay out"
	}
	if a := belowZero(text, args); a != "" {
		return "takes." + a + " with a min of 0 or more",
			"the player may send less than 0 as " + a + ", and the cost would pay out"
	}
	return "", ""
}

// belowZero returns a value in an expression that a player may send as less than 0, or "".
func belowZero(text string, args []*sheet.Field) string {
	for _, a := range args {
		reads := regexp.MustCompile(`\barg\.` + a.Name + `\b`)
		if (a.Type == sheet.Integer || a.Type == sheet.Number) && (!a.Bounded || a.Min < 0) && reads.MatchString(text) {
			return a.Name
		}
	}
	return ""
}

func (b *actor) numericFields() []string {
	var names []string
	for _, f := range b.book.Schema.Fields(sheet.Player) {
		if !f.BuiltIn && (f.Type == sheet.Integer || f.Type == sheet.Number) {
			names = append(names, b.book.Schema.Written(sheet.Player, f))
		}
	}
	return names
}

func (b *actor) aim(n *node, a *Action, scope expr.Scope) {
	v := n.get("aim")
	if v == nil {
		return
	}
	a.Aim = Aim{At: aimWords.named(v.str("kind")),
		Thick: v.span("thick"), Radius: v.span("radius"),
		Who: whoWords.named(v.str("who")), Block: wallsBlock.is(v, "walls"), Out: v.on("out")}
	a.Aim.Players, a.Aim.Creatures, a.Aim.Pieces = b.hits(v)
	if far := b.quantity(v.get("reach"), scope, "mm"); far != nil && far.Const {
		a.Aim.Reach = min(max(far.Int(&expr.Env{}), 0), maxSide)
	} else {
		a.Aim.Far = far
	}
	a.Aim.Pierce = v.on("pierce")
	if a.Aim.Faces = towardsFacing.is(v, "towards"); a.Aim.Faces {
		switch {
		case !a.Aim.At.Direction():
			b.fail(v.get("towards"), "not-here", "it only with kind: line or cone", "this aim takes no direction")
		case b.top.get("facing") == nil:
			b.fail(v.get("towards"), "not-here", "the key facing beside actions", "nobody faces anywhere")
		}
	}
	angle, ok := b.angle(v.get("angle"), scope, 360)
	if !ok {
		angle = 60
	}
	a.Aim.Cos = cosOf(angle)
	for key, at := range map[string]AimAt{"pierce": AimLine, "angle": AimCone, "thick": AimLine, "radius": AimArea} {
		if x := v.get(key); x != nil && !x.implied && a.Aim.At != at {
			b.fail(x, "not-here", "it only with kind: "+at.String(), "a %s has no %s", a.Aim.At, key)
		}
	}
	decl := &aimDecls[a.Aim.At]
	needsGround := decl.ground || a.Aim.Reach > 0 || a.Aim.Far != nil
	if needsGround && !b.hasGround() {
		b.fail(v, "needs-ground", "a ground with width and height", "an aim with a distance")
	}
	if reach := v.get("reach"); decl.reach && (reach == nil || reach.text == "0") {
		b.fail(v, "missing-key", "reach: a length above 0", "a line needs a reach")
	}
	if a.Aim.Who == WhoFriends && len(b.book.Teams.List) == 0 {
		b.fail(v, "not-here", "rivals, others or anyone", "there are no teams, so nobody has friends")
	}
}

func (b *terms) named(n *node, key string, scope expr.Scope) []Named {
	var out []Named
	for _, e := range n.fields(key) {
		if p := handedOn(b, e.value, scope, b.loose(e.value, scope)); p != nil {
			out = append(out, Named{e.key, p})
		}
	}
	return out
}

// loose is a want that any value fits: it asks the checker what comes out.
func (b *terms) loose(n *node, scope expr.Scope) expr.Want {
	if t, ok := b.checker.TypeOf(n.text, scope); ok {
		return expr.Want{Type: t.Of, Ref: t.Kind}
	}
	return expr.Want{Any: true}
}
