package expr

import (
	"fmt"
	"strconv"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Issue is one mistake in an expression.
type Issue struct {
	Line    int // from 0, within the expression
	Column  int // characters from 0
	Message string
	Word    string   // the word that was not known, if that is the mistake
	Known   []string // what would have been allowed there
	Warning bool     // it can be run, but is surely wrong
	Old     string   // what stands there, and what to write instead; "" where that is not known
	Now     string
}

// Want says what an expression must give.
type Want struct {
	Type  sheet.Type   // Flag for a condition, Integer for an amount, …
	Field *sheet.Field // if set, the value must fit this field instead
	Ref   sheet.Kind   // of a Ref
	Any   bool         // any of integer, number or flag

	Measure sheet.Measure // what an integer measures, if that is not left open
}

// Scope says what an expression may use.
type Scope struct {
	Vars Vars
	Args []*sheet.Field // what arg holds
	It   sheet.Kind     // what it is, where Vars has It
	Item *sheet.Field   // the list of values of which it is one; nil where it is a sheet
	Hit  sheet.Kind     // what target is, where Vars has Target

	Defined bool // it is that of a definition

	Named []NamedVar // what enclosing walks call what they go through
}

// NamedVar is a name that a walk gives to what it goes through.
type NamedVar struct {
	Name string
	Kind sheet.Kind
	Item *sheet.Field // of one of a list's values: the list; Kind does not matter then
}

// names are the names in a scope, as part of a key.
func (s *Scope) names() string {
	key := ""
	if s.Item != nil {
		key = fmt.Sprintf("%p ", s.Item)
	}
	for _, n := range s.Named {
		key += fmt.Sprintf("%s:%d:%p ", n.Name, n.Kind, n.Item)
	}
	return key
}

// Compile parses, type-checks and compiles one expression.
func (c *Checker) Compile(src string, scope Scope, want Want) (*Prog, []Issue) {
	if p := plainInteger(src, want); p != nil {
		return p, nil
	}
	if want.Field != nil && want.Field.Type == sheet.Choice && len(want.Field.Choices) == 0 {
		return nil, nil // its declaration has been reported
	}
	key := compileKey{src, scope.Vars, scope.It, scope.Hit, scope.names(), want}
	if p := c.known[key]; p != nil && scope.Vars&Args == 0 {
		return p, nil
	}
	p, issues := c.compile(src, scope, want)
	if p != nil && scope.Vars&Args == 0 {
		c.known[key] = p
	}
	return p, issues
}

// compileKey is all that a program without arguments depends on.
type compileKey struct {
	src  string
	vars Vars
	it   sheet.Kind
	hit  sheet.Kind
	name string
	want Want
}

// plainInteger compiles what most amounts are, without the library.
func plainInteger(src string, want Want) *Prog {
	n, err := strconv.ParseInt(src, 10, 64)
	numeric := want.Any || want.Type == sheet.Integer || want.Type == sheet.Number
	if want.Field != nil {
		numeric = want.Field.Type == sheet.Integer || want.Field.Type == sheet.Number
		want.Measure = want.Field.Measure
	}
	if want.Measure != sheet.Unmeasured && n != 0 {
		return nil
	}
	if err != nil || !numeric || strconv.FormatInt(n, 10) != src {
		return nil
	}
	return &Prog{Source: src, Type: Type{Of: sheet.Integer}, Const: true, num: constant(n)}
}

func (c *Checker) compile(src string, scope Scope, want Want) (*Prog, []Issue) {
	k, issues := c.parse(src, scope)
	if k == nil {
		if is := wordOf(src, want); is != nil {
			issues = []Issue{*is}
		}
		return nil, issues
	}
	k.finish(want)
	if len(k.issues) > 0 {
		return nil, k.issues[:1]
	}
	return k.prog, k.warnings
}

// costOfOne is what a short expression costs beside its length.
const costOfOne = 20

func (c *Checker) parse(src string, scope Scope) (*compiler, []Issue) {
	if len(src) > MaxSource {
		return nil, []Issue{
			{Message: fmt.Sprintf("the expression has %d bytes, at most %d are allowed", len(src), MaxSource)},
		}
	}
	s := &scan{src: []rune(src)}
	if is := s.advice(); is != nil {
		return nil, []Issue{*is}
	}
	plain, was := withoutUnits(s.src, s.units)
	c.Work += len(src) + costOfOne
	env, err := c.env(scope)
	if err != nil {
		return nil, []Issue{{Message: err.Error()}}
	}
	checked, iss := env.Compile(plain)
	if iss.Err() != nil {
		first := c.celIssues(iss, plain, scope)[0] // the others only follow from it
		first.Line, first.Column = was(first.Line, first.Column)
		return nil, []Issue{first}
	}
	k := &compiler{checker: c, ast: checked.NativeRep(), scope: scope, was: was, prog: &Prog{Source: src},
		frame: noFrame, unitAt: unitsAt(s.units)}
	if k.measures = measure(k); len(k.issues) > 0 {
		return nil, k.issues
	}
	return k, nil
}

// compiler turns one checked expression into a program.
type compiler struct {
	checker  *Checker
	was      func(line, column int) (int, int) // where in the text something is
	ast      *ast.AST
	scope    Scope
	prog     *Prog
	unitAt   map[int32]sheet.Measure // by where a number with a unit stands
	measures sheet.Measure           // what the whole does
	issues   []Issue
	warnings []Issue
	loops    []loopVar
	accus    []accuVar

	// Of the bodies of definitions that are being compiled; see inline.
	sites   []callSite
	frame   int              // in which arg stands, noFrame for Env.Arg
	frames  int              // in use
	given   map[string]place // arguments that are the subject itself, as me in f(me)
	floor   int              // the loops before it belong to who called
	inlined int
}

const noFrame = -1

type loopVar struct {
	name string
	kind sheet.Kind
	item *sheet.Field // of a walk over a list's own values: the list; kind does not matter then
	size int64        // of the list, at most
}

type accuVar struct {
	name string
	typ  *cel.Type
}

func (k *compiler) fail(e ast.Expr, format string, args ...any) {
	k.issues = append(k.issues, k.issue(e, format, args...))
}

func (k *compiler) issue(e ast.Expr, format string, args ...any) Issue {
	at := k.ast.SourceInfo().GetStartLocation(e.ID())
	if len(k.sites) > 0 { // what is wrong in a definition only here is told where it is called
		format = k.sites[0].name + ": " + format
		at = k.sites[0].ast.SourceInfo().GetStartLocation(k.sites[0].e.ID())
	}
	line, column := k.was(max(at.Line()-1, 0), max(at.Column(), 0))
	return Issue{Line: line, Column: column, Message: fmt.Sprintf(format, args...)}
}

// warn notes what can be run, but is surely wrong.
func (k *compiler) warn(e ast.Expr, format string, args ...any) {
	if len(k.sites) > 0 { // it was told where the definition is written
		return
	}
	is := k.issue(e, format, args...)
	is.Warning = true
	k.warnings = append(k.warnings, is)
}

// finish compiles the whole expression for what is wanted.
func (k *compiler) finish(want Want) {
	e, p := k.ast.Expr(), k.prog
	t := k.typeOf(e)
	if want.Field != nil {
		want.Type, want.Ref, want.Measure = want.Field.Type, want.Field.Of, want.Field.Measure
	}
	got, ok := k.plainType(e)
	if want.Type == sheet.Position && k.checker.schema.Deep {
		want.Type = sheet.Position3
	}
	fits := ok && (got.Of == want.Type ||
		want.Type == sheet.Number && got.Of == sheet.Integer ||
		want.Type == sheet.Clock && got.Of == sheet.Integer ||
		want.Type == sheet.Choice && got.Of == sheet.Text)
	if want.Any {
		fits = ok && (got.Of == sheet.Integer || got.Of == sheet.Number || got.Of == sheet.Flag)
	}
	if fits && got.Of == sheet.Ref && got.Kind != want.Ref {
		fits = false
	}
	if !fits {
		k.fail(e, "this gives %s, but %s is needed here%s", typeWords(t), wantWords(want), hint(want, got, ok))
		return
	}
	if want.Measure != sheet.Unmeasured && k.measures != want.Measure && k.measures != sheet.Whatever &&
		!k.checker.Lenient {
		m := &measures{k: k}
		m.wrong(e, e, want.Measure, "%s is needed here, and this is %s%s", an(want.Measure), an(k.measures),
			declare(want.Measure))
		k.issues = append(k.issues, *m.found)
		return
	}
	if f := want.Field; f != nil && f.Type == sheet.Integer && f.Measure == sheet.Unmeasured && !f.BuiltIn &&
		k.measures != sheet.Unmeasured && k.measures != sheet.Whatever && !k.checker.Lenient {
		k.warn(e, "this is %s, and the integer %s forgets its unit: declare it with type: %s", an(k.measures), f.Name,
			k.measures)
	}
	p.Type = got
	switch {
	case want.Type == sheet.Choice && !want.Any:
		p.Type = Type{Of: sheet.Choice}
		p.num = k.choice(e, want.Field)
	case got.Of == sheet.Text:
		p.text = k.text(e)
	case got.Of.IsPosition():
		at := k.pos(e)
		p.num, p.y, p.z = at.x, at.y, at.z
	default:
		p.num = k.num(e)
	}
	p.Const = p.Vars == 0 && p.Reads == (Reads{})
	p.own, p.any = compact(&p.Reads.Own), compact(&p.Reads.Any)
}

func hint(want Want, got Type, ok bool) string {
	if ok && got.Of == sheet.Number && want.Type == sheet.Integer && !want.Any {
		return "; write int(…) to cut the decimals off"
	}
	return ""
}

func wantWords(w Want) string {
	if w.Any {
		return "an integer or a number"
	}
	switch w.Type {
	case sheet.Flag:
		return "a condition (true or false)"
	case sheet.Clock:
		return "milliseconds (an integer)"
	case sheet.Choice:
		return "one of the words " + strings.Join(w.Field.Choices, ", ")
	case sheet.Ref:
		return "a " + w.Ref.String()
	}
	return "a value of type " + w.Type.String()
}

func typeWords(t *cel.Type) string {
	switch t.Kind() {
	case types.BoolKind:
		return "true or false"
	case types.IntKind:
		return "an integer"
	case types.DoubleKind:
		return "a number"
	case types.StringKind:
		return "a text"
	}
	if kind, ok := kindOf(t); ok {
		return "a " + kind.String()
	}
	if t.TypeName() == argsType.TypeName() {
		return "arg itself"
	}
	return plainType(t.String())
}

func (k *compiler) typeOf(e ast.Expr) *cel.Type { return k.ast.GetType(e.ID()) }

// plainType is the field type that an expression's value has.
func (k *compiler) plainType(e ast.Expr) (Type, bool) {
	t := k.typeOf(e)
	switch t.Kind() {
	case types.BoolKind:
		return Type{Of: sheet.Flag}, true
	case types.IntKind:
		return Type{Of: sheet.Integer}, true
	case types.DoubleKind:
		return Type{Of: sheet.Number}, true
	case types.StringKind:
		return Type{Of: sheet.Text}, true
	}
	if kind, ok := kindOf(t); ok {
		return Type{Of: sheet.Ref, Kind: kind}, true
	}
	of := sheet.Position
	if k.checker.schema.Deep {
		of = sheet.Position3
	}
	return Type{Of: of}, t.TypeName() == positionType.TypeName()
}

// TypeOf returns the type of an expression's value, if it is one that fits a field.
func (c *Checker) TypeOf(src string, scope Scope) (Type, bool) {
	k, _ := c.parse(src, scope)
	if k == nil {
		return Type{}, false
	}
	return k.plainType(k.ast.Expr())
}
