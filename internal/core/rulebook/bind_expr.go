package rulebook

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// The scopes of expressions, by where they stand.
var (
	scopeMatch  = expr.Scope{}
	scopePlayer = expr.Scope{Vars: expr.Me | expr.Team}
	scopeTeam   = expr.Scope{Vars: expr.Team}
	scopePiece  = expr.Scope{Vars: expr.Me | expr.Team | expr.Piece}

	scopeCreature = expr.Scope{Vars: expr.Creature}
)

func with(s expr.Scope, v expr.Vars) expr.Scope {
	s.Vars |= v
	return s
}

var (
	wantFlag   = expr.Want{Type: sheet.Flag}
	wantAmount = expr.Want{Any: true}
	wantMillis = expr.Want{Type: sheet.Integer}
	wantPlayer = expr.Want{Type: sheet.Ref, Ref: sheet.Player}
)

// expr compiles the expression under a key; nil when it is not there or wrong.
func (b *terms) expr(n *node, key string, scope expr.Scope, want expr.Want) *expr.Prog {
	v := n.get(key)
	if v == nil {
		return nil
	}
	return b.compile(v, scope, want)
}

// compile compiles an expression that does not read what players write: nothing may depend on that, so that a journal
// plays back to the same states when its writer is erased.
func (b *terms) compile(n *node, scope expr.Scope, want expr.Want) *expr.Prog {
	p := program(b, n, scope, want)
	if p != nil && p.Wrote != "" {
		b.fail(n, "not-here", "arg."+p.Wrote+" in a notice's with, or in a referee's tell", "what a player writes is "+
			"only told: to players by a notice, or to a referee who judges it")
		return nil
	}
	return p
}

// handedOn compiles an expression that may be what a player has written, as it is.
func handedOn(b *terms, n *node, scope expr.Scope, want expr.Want) *expr.Prog {
	p := program(b, n, scope, want)
	if p != nil && p.Wrote != "" && strings.TrimSpace(n.text) != "arg."+p.Wrote {
		b.fail(n, "not-here", "arg."+p.Wrote+" alone", "what a player writes is handed on as it is")
		return nil
	}
	return p
}

func program(b *terms, n *node, scope expr.Scope, want expr.Want) *expr.Prog {
	if n.kind != scalarNode {
		b.fail(n, "wrong-type", "an expression", "%s", kindWords[n.kind])
		return nil
	}
	src := n.text
	if f := want.Field; f != nil && n.plain == 's' {
		if f.Type == sheet.Choice && slices.Contains(f.Choices, src) {
			src = strconv.Quote(src)
		} else if ms, ok := parseDuration(src); ok && f.Type == sheet.Clock {
			src = strconv.FormatInt(ms, 10)
		}
	}
	if !b.room(n) {
		return nil
	}
	p, issues := b.checker.Compile(src, scope, want)
	b.report(n, issues)
	if p != nil {
		used(b, &p.Reads, p.Vars)
		if most := mostLooks(p, &b.checker.Sizes); most > MostLooks {
			b.warn(n, "much-work", "with %d players this may look at up to %d things in one tick; beyond %d in all "+
				"the match ends: walk through fewer lists inside each other", b.book.Players.Most, most, MostLooks)
		}
	}
	return p
}

// used notes what something that was compiled reads, and which names it uses.
func used(b *terms, reads *expr.Reads, vars expr.Vars) {
	b.uses.read(reads)
	b.book.Met = b.book.Met || reads.Met
	b.defined.uses |= vars
}

// MostLooks is how many sheets and values the expressions of one input or tick may look at together. Beyond it the
// match ends.
const MostLooks = 5_000_000

// mostLooks is how many sheets and values an expression may look at in one tick, for everybody whom it is for.
func mostLooks(p *expr.Prog, sizes *[sheet.Kinds]int64) int64 {
	times := int64(1)
	for v, kind := range map[expr.Vars]sheet.Kind{expr.Me: sheet.Player, expr.Piece: sheet.Piece,
		expr.Creature: sheet.Creature, expr.Zone: sheet.Zone} {
		if p.Vars&v != 0 {
			times = max(times, sizes[kind])
		}
	}
	return p.Cost * times
}

// maxExpressions is the most expressions and fields that a rulebook may name in all, and maxWork how much of them is
// parsed, so that any rulebook is checked within half a second.
const (
	maxExpressions = 6000
	maxWork        = 64 << 10 // see expr.Checker
)

// room counts an expression and tells whether it is one too many.
func (b *terms) room(n *node) bool {
	if b.expressions < 0 {
		return false
	}
	if b.expressions++; b.expressions == maxExpressions+1 {
		b.fail(n, "too-many", "", "the rulebook has more than %d expressions; the rest is not looked at",
			maxExpressions)
	}
	if b.checker.Work > maxWork {
		b.expressions = -1
		b.fail(n, "too-many", "", "the rulebook's expressions come to more than %d characters in all, each call of "+
			"a definition counted as a few; the rest is not looked at; one that is written the same way again costs "+
			"nothing", maxWork)
	}
	return b.expressions >= 0 && b.expressions <= maxExpressions
}

// condition compiles a condition and says when it can never change.
func (b *terms) condition(n *node, key string, scope expr.Scope) *expr.Prog {
	p := b.expr(n, key, scope, wantFlag)
	if p != nil && p.Const {
		b.warn(n.get(key), "constant-condition", "this condition reads nothing and is always the same")
	}
	return p
}

func (b *terms) path(n *node, key string, scope expr.Scope) *expr.Path {
	v := n.get(key)
	if v == nil || !b.room(v) {
		return nil
	}
	p, issues := b.checker.CompilePath(v.text, scope)
	b.report(v, issues)
	if p == nil {
		return nil
	}
	used(b, &p.Reads, p.Vars)
	switch {
	case p.Field.Derived:
		b.fail(v, "derived", "", "%s is derived; only its own expression writes it", v.text)
	case p.Field.BuiltIn && !slices.Contains(writable, p.Field.Name):
		b.fail(v, "built-in", "a declared field, or one of "+strings.Join(writable, ", "), "%s is kept by the service",
			v.text)
	default:
		for _, f := range p.Fields() {
			b.uses.wrote(p.Kind, f)
		}
		return p
	}
	return nil
}

// writable are the built-in fields that effects may write.
var writable = []string{"pos"}

// report turns an expression's issues into problems at their place in the file.
func (b *terms) report(n *node, issues []expr.Issue) {
	for _, is := range issues {
		if called, _, _ := strings.Cut(is.Message, " "); slices.Contains(b.defined.failed, cmp.Or(is.Word, called)) {
			continue // its definition was reported
		}
		if why := undefined(b, is.Word); why != "" && strings.HasPrefix(is.Message, "there is no function") {
			is.Message, is.Known = why, nil
		}
		p := Problem{Severity: map[bool]Severity{false: Error, true: Warning}[is.Warning], Code: "expression",
			Line: n.line, Column: n.col + is.Column, At: n.path, Message: is.Message}
		if n.block || is.Line > 0 {
			p.Line, p.Column = n.line+is.Line, is.Column+1
			if n.block {
				p.Line++
			}
		}
		if n.plain == 's' && !n.quoted && strings.HasPrefix(is.Message, "the bracket") &&
			!strings.Contains(n.text, ",") {
			p.Message += "; between { and } a comma ends what stands without quotes: put the whole expression in " +
				"quotes"
		}
		p.swap = swap{is.Old, is.Now}
		if is.Word != "" {
			p.Nearest, p.word = Nearest(is.Word, is.Known), is.Word
		}
		if name, unknown := strings.CutPrefix(is.Message, "there is no "); unknown && p.word == "" {
			p.word, _, _ = strings.Cut(name, " ") // "there is no team here" follows from a team that was taken out
		}
		if is.Word == "" || is.Known != nil || !b.repeated(p) {
			b.problems = append(b.problems, p)
		}
	}
}

// repeated tells whether the same was said of the same rule, action or piece before: once is enough.
func (b *terms) repeated(p Problem) bool {
	part := p.At
	if i := strings.IndexAny(part, ".["); i >= 0 {
		if k := strings.IndexAny(part[i+1:], ".["); k >= 0 {
			part = part[:i+1+k]
		}
	}
	key := part + " " + p.Message
	if b.said[key] {
		return true
	}
	if b.said == nil {
		b.said = map[string]bool{}
	}
	b.said[key] = true
	return false
}
