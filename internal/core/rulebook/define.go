package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

var definitionObject = &object{
	name: "definition",
	doc: "An expression (`is`) or a list of effects (`do`) that has a name and is written once. `NAME(…)` stands for " +
		"an expression wherever an expression may stand, and the effect `run` carries out a list of effects. Both are " +
		"called with the values in `takes`, in that order, and read them as `arg.NAME`. Beside these, a definition " +
		"reads what is there everywhere, such as `match` and `players`, and `me`, `team`, `piece`, `creature` and " +
		"`zone` of the place where it is called. It calls only definitions written above it.",
	example: `define:
  can_pay:
    takes: {who: player, price: integer}
    is: arg.who.alive && arg.who.coins >= arg.price
  pay:
    takes: {from: player, to: player, price: integer, mood: [calm, cross]}
    do:
      - if: can_pay(arg.from, arg.price)
        then: [{add: arg.from.coins, by: -arg.price}, {add: arg.to.coins, by: arg.price}]
      - if: arg.mood == 'cross'
        then: [{notice: grumbles, with: {who: arg.from}}]
actions:
  tip:
    aim: {kind: target, who: others}
    if: can_pay(me, 5)
    do: [{run: "pay(me, target, 5, 'calm')"}]`,
	keys: []key{
		{name: "takes", spec: mapOf(parameter, expr.MaxTaken),
			doc: "What it is called with, in this order, read as `arg.NAME`: for each the type, or the words of a choice."},
		{name: "is", spec: anExpression, doc: "The expression that `NAME(…)` stands for: a condition or a value."},
		{name: "do", spec: effects, doc: "The effects that `run: NAME(…)` carries out."},
	},
	oneOf: []string{"is", "do"},
}

// parameter is what a definition is called with: a type, or the words of a choice.
var parameter = spec{shape: aParameter, max: countsMost, words: []string{sheet.Integer.String(),
	sheet.Duration.String(), sheet.Length.String(), sheet.Speed.String(), sheet.Angle.String(), sheet.Number.String(),
	sheet.Flag.String(), sheet.Text.String(), sheet.Position.String(), sheet.Player.String(), sheet.Team.String(),
	sheet.Piece.String(), sheet.Creature.String(), sheet.Zone.String()}}

// Definition is a list of effects with a name.
type Definition struct {
	Name string
	Line int
	Do   []Effect
}

// Run is the call of a definition.
type Run struct {
	Call *expr.Call
	Of   *Definition
}

// definitions remembers what the rulebook has given a name to.
type definitions struct {
	effects map[string]*Definition
	failed  []string
	uses    expr.Vars // of what is being bound
}

// bindDefined binds the named expressions; those of effects follow when all that they may mention is known.
func bindDefined(b *binder) {
	for _, e := range b.top.fields("define") {
		is := e.value.get("is")
		if b.checker.IsCallable(e.key) {
			b.failEntry(e, "taken", "%q has a meaning of its own in expressions; call the definition something else",
				e.key)
			b.defined.failed = append(b.defined.failed, e.key)
			continue
		}
		if is == nil || !b.room(is) {
			continue
		}
		reads, issues := b.checker.Define(e.key, parameters(b, e.value), is.text)
		b.report(is, issues)
		b.uses.read(&reads)
		if slices.ContainsFunc(issues, func(is expr.Issue) bool { return !is.Warning }) {
			b.defined.failed = append(b.defined.failed, e.key)
		}
	}
}

// bindDefinedEffects binds the named lists of effects.
func bindDefinedEffects(b *binder) {
	b.defined.effects = map[string]*Definition{}
	for _, e := range b.top.fields("define") {
		do := e.value.get("do")
		if do == nil || slices.Contains(b.defined.failed, e.key) {
			continue
		}
		takes := parameters(b, e.value)
		scope := expr.Scope{Vars: expr.Definable | expr.Args, Args: takes, Defined: true}
		b.defined.uses = 0
		d := &Definition{e.key, e.line, b.does.effectList(do, scope)}
		if err := b.checker.DefineEffects(e.key, takes); err != nil {
			b.failEntry(e, "expression", "%s", err)
			continue
		}
		b.checker.Uses(e.key, b.defined.uses)
		b.defined.effects[e.key] = d
	}
}

// parameters binds what a definition takes.
func parameters(b *binder, n *node) (out []*sheet.Field) {
	s := &sheet.Schema{Deep: b.book.Schema.Deep}
	for _, e := range n.fields("takes") {
		m := maker{e.value}
		decl := m.object("type", m.text("choice"), "words", e.value)
		if e.value.kind == scalarNode {
			decl = m.object("type", e.value)
		}
		if f, err := s.Add(sheet.Match, b.decl.field(sheet.Match, entry{e.key, e.line, e.col, decl})); err == nil {
			out = append(out, f)
		}
	}
	return out
}

// undefined says of a name that is called what is wrong with its definition; "" where it has none.
func undefined(b *terms, name string) string {
	if b.top.get("define").get(name) == nil {
		return ""
	}
	return name + " is defined further below, or calls itself: a definition calls only those above it"
}

// effectRun binds the call of a named list of effects.
func effectRun(b *doer, _, v *node, scope expr.Scope, e *Effect) {
	if !b.room(v) {
		return
	}
	call, issues := b.checker.CompileCall(v.text, scope)
	b.report(v, issues)
	if call != nil {
		used(b.terms, &call.Reads, call.Vars)
		e.Run = &Run{call, b.defined.effects[call.Name]}
	}
}

// unusedDefinitions warns of what is defined and never called.
func unusedDefinitions(b *terms) {
	for _, e := range b.top.fields("define") {
		if !b.checker.IsCalled(e.key) {
			b.warn(e.value, "unused-definition", "%s is defined and never called", e.key)
		}
	}
}
