package rulebook

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// effects binds the list of effects under a key.
func (b *doer) effects(n *node, key string, scope expr.Scope) []Effect {
	return b.effectList(n.get(key), scope)
}

func (b *doer) effectList(n *node, scope expr.Scope) []Effect {
	if n == nil {
		return nil
	}
	var out []Effect
	for _, item := range n.items {
		for i := range effectDecls {
			d := &effectDecls[i]
			if v := item.get(d.key.name); v != nil {
				e := Effect{Verb: d.verbs[0], Line: item.line}
				if !b.strays(item, d) { // what is missing is missing because of them
					d.bind(b, item, v, scope, &e)
				}
				out = append(out, e)
				break
			}
		}
	}
	return out
}

// strays reports the keys that do not belong to an effect, and tells whether there are any.
func (b *doer) strays(n *node, d *effectDecl) (any bool) {
	verb := d.key.name
	var with []string
	for _, k := range d.with {
		with = append(with, k.name)
	}
	for _, e := range n.entries {
		if e.key != verb && !slices.Contains(with, e.key) {
			wanted := "only " + verb
			if len(with) > 0 {
				wanted += " and " + strings.Join(with, ", ")
			}
			b.failEntry(e, "not-here", "the key %q does not go with %q; expected %s", e.key, verb, wanted)
			any = true
		}
	}
	return any
}

func (b *terms) need(n *node, key, verb string) *node {
	v := n.get(key)
	if v == nil {
		b.fail(n, "missing-key", "", "%q needs the key %q beside it", verb, key)
	}
	return v
}

func effectAdd(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	if e.Path = b.path(n, "add", scope); e.Path == nil {
		return
	}
	if t := e.Path.Field.Type; t != sheet.Integer && t != sheet.Number {
		b.fail(v, "wrong-type", "an integer or number field", "%s is of type %s", v.text, t)
		return
	}
	if by := b.need(n, "by", "add"); by != nil {
		e.Value = b.compile(by, scope, expr.Want{Field: e.Path.Field})
		if a := belowZero(by.text, scope.Args); a != "" && e.Path.Kind == sheet.Record && !scope.Defined {
			b.warn(by, "may-take", "the player may send less than 0 as %s, and %s would be taken from the record; "+
				"give takes.%s a min if that is not meant", a, e.Path.Field.Name, a)
		}
	}
}

func effectSet(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	if e.Path = b.path(n, "set", scope); e.Path == nil {
		return
	}
	to, nth := b.need(n, "to", "set"), n.get("nth")
	f := e.Path.Field
	if nth != nil && f.Type != sheet.List {
		b.fail(nth, "not-here", "it only with a list", "%s is of type %s", v.text, f.Type)
		return
	}
	if over := n.get("over"); over != nil {
		e.Lasts, b.book.Glides = b.quantity(over, scope, "ms"), true
		if f.Type != sheet.Integer && f.Type != sheet.Number || e.Path.Kind == sheet.Record {
			b.fail(over, "not-here", "an integer or number field of a sheet that is no record", "%s", v.shown())
		}
	}
	switch {
	case to == nil:
	case nth != nil:
		e.Nth, e.Value = b.expr(n, "nth", scope, wantMillis), b.compile(to, scope, expr.Want{Field: item(f)})
	case f.Type == sheet.List:
		e.Whole = wholeOf(b.terms, to, f, scope)
	default:
		e.Value = b.compile(to, scope, expr.Want{Field: f})
	}
}

func effectReset(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Path = b.path(n, "reset", scope)
}

// clockWords are the words of the clock verbs, from ClockStart.
var clockWords = []string{"start", "stop", "reset", "restart", "split"}

func effectClock(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Path = b.path(n, "clock", scope)
	if e.Path != nil && e.Path.Field.Type != sheet.Clock {
		b.fail(v, "wrong-type", "a clock", "%s is of type %s", v.text, e.Path.Field.Type)
	}
	do := b.need(n, "do", "clock")
	if do == nil {
		return
	}
	word := slices.Index(clockWords, do.text)
	if word < 0 || do.kind != scalarNode {
		b.fail(do, "unknown-word", "one of "+strings.Join(clockWords, ", "), "%s", do.shown())
		return
	}
	e.Verb = ClockStart + Verb(word)
	if from := n.get("from"); from != nil {
		if e.Verb == ClockStop || e.Verb == ClockSplit {
			b.fail(from, "not-here", "it only with start, restart or reset", "a clock that goes on from where it is")
		}
		e.Value = b.quantity(from, scope, "ms")
	}
	into := n.get("into")
	switch {
	case e.Verb == ClockSplit && into == nil:
		b.need(n, "into", "split")
	case e.Verb != ClockSplit && into != nil:
		b.fail(into, "not-here", "it only with split", "the key \"into\" does not go with %q", clockWords[word])
	}
	if into != nil {
		e.Into = b.path(n, "into", scope)
		if e.Into != nil && e.Into.Field.Type != sheet.Integer {
			b.fail(into, "wrong-type", "an integer field for the milliseconds", "%s is of type %s", into.text,
				e.Into.Field.Type)
		}
	}
}

// never tells whether a time is written that is none, or nothing is.
func never(n *node) bool {
	if n == nil || n.text == "0" {
		return true
	}
	ms, ok := parseDuration(n.text)
	return ok && ms == 0
}

// dimensions say what is wanted in a unit, with a number as an example.
var dimensions = map[string]func(string) string{
	"ms":   func(n string) string { return "time such as " + n + "s" },
	"mm":   func(n string) string { return "length such as " + n + "m" },
	"mm/s": func(n string) string { return "speed such as " + n + "m/s" },
	"deg":  func(n string) string { return "number of degrees such as " + n + "deg" },
}

func plainInteger(s string) bool {
	_, err := strconv.ParseUint(s, 10, 32)
	return err == nil
}

// angle binds an angle of at least one degree that is written out; not ok without one.
func (b *terms) angle(n *node, scope expr.Scope, most int64) (degrees int64, ok bool) {
	p := b.quantity(n, scope, "deg")
	if p == nil {
		return 0, false
	}
	if p.Const {
		degrees = p.Int(&expr.Env{})
	}
	if degrees < 1 || degrees > most {
		b.fail(n, "out-of-range", fmt.Sprintf("an angle from 1deg to %ddeg that is written out", most), "%s", n.shown())
		return 0, false
	}
	return degrees, true
}

// cosOf is the cosine of half an angle in degrees, in millionths.
func cosOf(angle int64) int64 { return int64(math.Round(math.Cos(float64(angle)*math.Pi/360) * 1e6)) }

// quantity compiles a time (in ms), a length (in mm), a speed (in mm/s) or an angle (in deg), or an expression of one.
// A number alone needs its unit, and one with another unit is wrong.
func (b *terms) quantity(n *node, scope expr.Scope, unit string) *expr.Prog {
	if n == nil {
		return nil
	}
	ms, isTime := parseDuration(n.text)
	_, isLength := parseLength(n.text)
	isAngle := strings.HasSuffix(n.text, "deg") && plainInteger(strings.TrimSuffix(n.text, "deg"))
	speed, isSpeed := strings.CutSuffix(n.text, "/s")
	if isSpeed {
		_, isSpeed = parseLength(speed)
	}
	fits := map[string]bool{"ms": isTime, "mm": isLength, "mm/s": isSpeed, "deg": isAngle}[unit]
	switch {
	case n.kind != scalarNode:
	case n.plain == 'i' && n.text != "0":
		b.fail(n, "wrong-type", "a "+dimensions[unit](n.text)+", or an expression of one", "%s has no unit",
			n.text).swap = swap{n.text, n.text + unit}
		return nil
	case unit == "ms" && !isTime && longUnit.MatchString(n.text):
		b.fail(n, "wrong-type", "a time such as 90s; write "+longUnit.ReplaceAllStringFunc(n.text, shortUnit), "%s",
			n.shown())
		return nil
	case unit == "mm/s" && isLength: // as a speed was written before
		b.fail(n, "wrong-type", "a "+dimensions[unit](amount.FindString(n.text))+", or an expression of one"+rewriting,
			"%s", n.shown()).swap = swap{n.text, n.text + "/s"}
		return nil
	case !fits && (isTime || isLength || isSpeed || isAngle || spaced.MatchString(n.text)):
		b.fail(n, "wrong-type", "a "+dimensions[unit](amount.FindString(n.text))+", or an expression of one", "%s",
			n.shown())
		return nil
	case isTime && unit == "ms": // in an expression 1m is a metre
		plain := *n
		plain.text = strconv.FormatInt(ms, 10)
		n = &plain
	}
	want := wantMillis
	if !(isTime && unit == "ms") {
		want.Measure = measureOf[unit]
	}
	return b.compile(n, scope, want)
}

var measureOf = map[string]sheet.Measure{"ms": sheet.Duration, "mm": sheet.Length, "mm/s": sheet.Speed,
	"deg": sheet.Angle}

// amount is the number before a unit.
var amount = regexp.MustCompile(`^[0-9.]+`)

// spaced is a number with a unit behind a space.
var spaced = regexp.MustCompile(`^[0-9.]+ [a-z/]+$`)

// speed binds a speed, which may be an expression.
func (b *terms) speed(n *node, key string, scope expr.Scope) (s Speed) {
	p := b.quantity(n.get(key), scope, "mm/s")
	switch {
	case p == nil:
	case p.Const:
		var e expr.Env
		s.Fixed = p.Int(&e)
	default:
		s.Varies, s.Line = p, n.get(key).line
		name, is := strings.CutPrefix(strings.TrimSpace(p.Source), "me.")
		if f := b.book.Schema.Field(sheet.Player, name); is && f != nil && f.See <= sheet.OwnerOnly {
			s.Told = name
		}
	}
	return s
}

func effectOut(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Value = b.oneOfKinds(v, scope, sheet.Player, sheet.Creature)
}

func effectSpawn(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Value = b.oneOfKinds(v, scope, sheet.Player, sheet.Creature)
}

// oneOfKinds compiles a reference to a sheet of one of two kinds.
func (b *terms) oneOfKinds(n *node, scope expr.Scope, first, second sheet.Kind) *expr.Prog {
	want := expr.Want{Type: sheet.Ref, Ref: first}
	if t, ok := b.checker.TypeOf(n.text, scope); ok && t.Of == sheet.Ref && t.Kind == second {
		want.Ref = second
	}
	return b.compile(n, scope, want)
}

func effectGive(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.No = b.indexOf(v, "bearer", b.mapKeys("bearers"))
	if to := b.need(n, "to", "give"); to != nil {
		e.Value = b.compile(to, scope, wantPlayer)
	}
}

func effectRemove(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Value = b.oneOfKinds(v, scope, sheet.Piece, sheet.Creature)
}

func effectKit(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	if e.No = b.kitIndex(v); e.No >= 0 && e.Verb == Grant {
		b.uses.granted |= b.book.Kits[e.No].Actions
	}
	e.Who = b.playerOr(n, "to", scope)
}

// playerOr compiles the players under a key; me, where there is one, if it is not given.
func (b *terms) playerOr(n *node, key string, scope expr.Scope) *expr.Who {
	if v := n.get(key); v != nil {
		return whoOf(b, v, scope, sheet.Player)
	}
	if scope.Vars&expr.Me == 0 {
		b.fail(n, "missing-key", "", "there is no me here, so the key %q must say which player", key)
		return nil
	}
	w, _ := b.checker.CompileWho("me", scope, sheet.Player)
	b.defined.uses |= expr.Me
	return w
}

func effectIf(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Cond = b.condition(n, "if", scope)
	e.Then, e.Else = b.effects(n, "then", scope), b.effects(n, "else", scope)
	if len(e.Then)+len(e.Else) == 0 {
		b.fail(n, "missing-key", "", "\"if\" needs then, else or both beside it")
	}
}

func effectGo(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	to := leadOf(b.terms, v, scope)
	e.Go = &to
	for _, phase := range to.all() {
		b.uses.reached(phase)
	}
}

func effectFinish(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Reason = v.text
	e.Winner = b.winner(n, scope)
	b.uses.finishes = true
}

// winner compiles the player or team that has won, or several that have won together.
func (b *terms) winner(n *node, scope expr.Scope) *expr.Who {
	kind := sheet.Player
	if b.winsByTeam() {
		kind = sheet.Team
	}
	if v := n.get("winner"); v != nil {
		return whoOf(b, v, scope, kind)
	}
	return nil
}

// whoOf compiles one sheet of one of these kinds, or several.
func whoOf(b *terms, n *node, scope expr.Scope, kinds ...sheet.Kind) *expr.Who {
	if !b.room(n) {
		return nil
	}
	w, issues := b.checker.CompileWho(n.text, scope, kinds...)
	b.report(n, issues)
	if w != nil {
		used(b, &w.Reads, w.Vars)
	}
	return w
}
