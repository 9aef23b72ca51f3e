package rulebook

import (
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// effects binds the list of effects under a key.
func (b *binder) effects(n *node, key string, scope expr.Scope) []Effect {
	return b.effectList(n.get(key), scope)
}

func (b *binder) effectList(n *node, scope expr.Scope) []Effect {
	if n == nil {
		return nil
	}
	var out []Effect
	for _, item := range n.items {
		e := &Effect{}
		for _, bind := range effectBinders {
			if v := item.get(bind.key); v != nil {
				b.strays(item, bind.key, bind.with)
				bind.fn(b, item, v, scope, e)
				out = append(out, *e)
				break
			}
		}
	}
	return out
}

type effectBinder struct {
	key  string
	with []string // the other keys that belong to it
	fn   func(b *binder, n, v *node, scope expr.Scope, e *Effect)
}

// effectBinders is filled in below, because effects contain effects.
var effectBinders []effectBinder

func init() {
	effectBinders = []effectBinder{
		{"add", []string{"by"}, (*binder).effectAdd},
		{"set", []string{"to"}, (*binder).effectSet},
		{"reset", nil, (*binder).effectReset},
		{"clock", []string{"do", "into"}, (*binder).effectClock},
		{"out", nil, (*binder).effectOut},
		{"spawn", nil, (*binder).effectSpawn},
		{"give", []string{"to"}, (*binder).effectGive},
		{"notice", []string{"to", "of", "with", "needed"}, (*binder).effectNotice},
		{"place", []string{"at"}, (*binder).effectPlace},
		{"remove", nil, (*binder).effectRemove},
		{"grant", []string{"to"}, (*binder).effectKit},
		{"withdraw", []string{"to"}, (*binder).effectKit},
		{"each", []string{"when", "do"}, (*binder).effectEach},
		{"if", []string{"then", "else"}, (*binder).effectIf},
		{"go", nil, (*binder).effectGo},
		{"finish", []string{"winner"}, (*binder).effectFinish},
	}
}

func (b *binder) strays(n *node, verb string, with []string) {
	for _, e := range n.entries {
		if e.key != verb && !slices.Contains(with, e.key) {
			wanted := "only " + verb
			if len(with) > 0 {
				wanted += " and " + strings.Join(with, ", ")
			}
			b.failEntry(e, "not-here", "the key %q does not go with %q; expected %s", e.key, verb, wanted)
		}
	}
}

func (b *binder) need(n *node, key, verb string) *node {
	v := n.get(key)
	if v == nil {
		b.fail(n, "missing-key", "", "%q needs the key %q beside it", verb, key)
	}
	return v
}

func (b *binder) effectAdd(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb = Add
	if e.Path = b.path(n, "add", scope); e.Path == nil {
		return
	}
	if t := e.Path.Field.Type; t != sheet.Integer && t != sheet.Number {
		b.fail(v, "wrong-type", "an integer or number field", "%s is a %s", v.text, t)
		return
	}
	if by := b.need(n, "by", "add"); by != nil {
		e.Value = b.compile(by, scope, expr.Want{Field: e.Path.Field})
	}
}

func (b *binder) effectSet(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb = Set
	if e.Path = b.path(n, "set", scope); e.Path == nil {
		return
	}
	if to := b.need(n, "to", "set"); to != nil {
		e.Value = b.compile(to, scope, expr.Want{Field: e.Path.Field})
	}
}

func (b *binder) effectReset(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb, e.Path = ResetField, b.path(n, "reset", scope)
}

var clockVerbs = map[string]Verb{"start": ClockStart, "stop": ClockStop, "reset": ClockReset, "restart": ClockRestart, "split": ClockSplit}

func (b *binder) effectClock(n, v *node, scope expr.Scope, e *Effect) {
	e.Path = b.path(n, "clock", scope)
	if e.Path != nil && e.Path.Field.Type != sheet.Clock {
		b.fail(v, "wrong-type", "a clock", "%s is a %s", v.text, e.Path.Field.Type)
	}
	do := b.need(n, "do", "clock")
	if do == nil {
		return
	}
	verb, ok := clockVerbs[do.text]
	if !ok || do.kind != scalarNode {
		b.fail(do, "unknown-word", "one of start, stop, reset, restart, split", "%s", do.shown())
		return
	}
	e.Verb = verb
	into := n.get("into")
	if verb == ClockSplit && into == nil {
		b.need(n, "into", "split")
	}
	if into != nil {
		e.Into = b.path(n, "into", scope)
		if e.Into != nil && e.Into.Field.Type != sheet.Integer {
			b.fail(into, "wrong-type", "an integer field for the milliseconds", "%s is a %s", into.text, e.Into.Field.Type)
		}
	}
}

func (b *binder) effectOut(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb, e.Value = Out, b.compile(v, scope, wantPlayer)
}

func (b *binder) effectSpawn(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb, e.Value = SpawnNow, b.compile(v, scope, wantPlayer)
}

func (b *binder) effectGive(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb = Give
	e.No = b.indexOf(v, "bearer", b.mapKeys("bearers"))
	if to := b.need(n, "to", "give"); to != nil {
		e.Value = b.compile(to, scope, wantPlayer)
	}
}

func (b *binder) effectPlace(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb = Place
	e.No = b.indexOf(v, "piece", b.mapKeys("pieces"))
	e.Value = b.expr(n, "at", scope, expr.Want{Type: sheet.Position})
}

func (b *binder) effectRemove(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb = Remove
	e.Value = b.compile(v, scope, expr.Want{Type: sheet.Ref, Ref: sheet.Piece})
}

func (b *binder) effectKit(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb = Grant
	if n.get("withdraw") != nil {
		e.Verb = Withdraw
	}
	if e.No = b.kitIndex(v); e.No >= 0 && e.Verb == Grant {
		b.uses.granted |= b.book.Kits[e.No].Actions
	}
	e.Value = b.playerOr(n, "to", scope)
}

// playerOr compiles the player under a key; me, where there is one, if it is
// not given.
func (b *binder) playerOr(n *node, key string, scope expr.Scope) *expr.Prog {
	if v := n.get(key); v != nil {
		return b.compile(v, scope, wantPlayer)
	}
	if scope.Vars&expr.Me == 0 {
		b.fail(n, "missing-key", "", "there is no me here, so the key %q must say which player", key)
		return nil
	}
	p, _ := b.checker.Compile("me", scope, wantPlayer)
	return p
}

var eachKinds = map[string]sheet.Kind{"players": sheet.Player, "teams": sheet.Team, "pieces": sheet.Piece,
	"rivals": sheet.Player, "friends": sheet.Player, "others": sheet.Player, "members": sheet.Player}

func (b *binder) effectEach(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb, e.Walk, e.Over = Each, v.text, eachKinds[v.text]
	switch v.text {
	case "rivals", "friends", "others":
		if scope.Vars&expr.Me == 0 {
			b.fail(v, "not-here", "players, teams or pieces", "there is no me here whose %s these could be", v.text)
			return
		}
	case "members":
		if scope.Vars&expr.Team == 0 {
			b.fail(v, "not-here", "players, teams or pieces", "there is no team here whose members these could be")
			return
		}
	}
	inner := with(scope, expr.It)
	inner.It = e.Over
	e.Cond = b.expr(n, "when", inner, wantFlag)
	do := b.need(n, "do", "each")
	if do == nil {
		return
	}
	s := &structure{}
	s.check(do, &effects)
	b.problems = append(b.problems, s.problems...)
	if len(s.problems) == 0 {
		e.Then = b.effectList(do, inner)
	}
}

func (b *binder) effectIf(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb, e.Cond = If, b.condition(n, "if", scope)
	e.Then, e.Else = b.effects(n, "then", scope), b.effects(n, "else", scope)
	if len(e.Then)+len(e.Else) == 0 {
		b.fail(n, "missing-key", "", "\"if\" needs then, else or both beside it")
	}
}

func (b *binder) effectGo(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb, e.No = Go, b.phaseOrEnd(v)
	b.uses.reached(e.No)
}

func (b *binder) effectFinish(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb, e.Reason = Finish, v.text
	e.Winner = b.winner(n, scope)
	b.uses.finishes = true
}

// winner compiles the player or team that has won.
func (b *binder) winner(n *node, scope expr.Scope) *expr.Prog {
	kind := sheet.Player
	if b.winsByTeam() {
		kind = sheet.Team
	}
	return b.expr(n, "winner", scope, expr.Want{Type: sheet.Ref, Ref: kind})
}

func (b *binder) effectNotice(n, v *node, scope expr.Scope, e *Effect) {
	e.Verb, e.To = Tell, sheet.Everyone
	if to := n.get("to"); to != nil {
		a, ok := sheet.AudienceNamed(to.text)
		if !ok || a == sheet.Hidden {
			b.fail(to, "unknown-word", "one of everyone, team, owner, referees", "%s", to.shown())
		}
		e.To = a
	}
	if e.To == sheet.TeamOnly || e.To == sheet.OwnerOnly || n.get("of") != nil {
		e.Of = b.playerOr(n, "of", scope)
	}
	b.noticeFields(n, v, scope, e)
	if e.Notice != nil && n.is("needed", "true") {
		e.Notice.Needed = true
	}
}

// noticeFields compiles what a notice says. Every place that sends a notice of
// one name says the same things, with the same types.
func (b *binder) noticeFields(n, v *node, scope expr.Scope, e *Effect) {
	schema := &sheet.Schema{}
	for _, w := range b.entries(n, "with") {
		p := b.compile(w.value, scope, b.loose(w.value, scope))
		if p == nil {
			return
		}
		f, _ := schema.Add(sheet.Match, sheet.Field{Name: w.key, Type: p.Type.Of, Of: p.Type.Kind})
		e.With = append(e.With, p)
		_ = f
	}
	fields := schema.Fields(sheet.Match)
	for _, known := range b.book.Notices {
		if known.Name != v.text {
			continue
		}
		same := slices.EqualFunc(known.Fields, fields, func(a, c *sheet.Field) bool { return a.Name == c.Name && a.Type == c.Type && a.Of == c.Of })
		if !same {
			b.fail(v, "notice-differs", "the same names, types and order everywhere", "the notice %q says other things elsewhere", v.text)
		}
		e.Notice = known
		return
	}
	if slices.ContainsFunc(OwnNotices, func(o *Notice) bool { return o.Name == v.text }) {
		b.fail(v, "taken", "", "the notice %s is sent by the service itself", v.text)
	}
	e.Notice = &Notice{No: len(b.book.Notices), Name: v.text, Fields: fields}
	b.book.Notices = append(b.book.Notices, e.Notice)
}
