package expr

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
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
}

// Want says what an expression must give.
type Want struct {
	Type  sheet.Type   // Flag for a condition, Integer for an amount, …
	Field *sheet.Field // if set, the value must fit this field instead
	Ref   sheet.Kind   // of a Ref
	Any   bool         // any of integer, number or flag
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

// Path is a compiled reference to a field that an effect writes.
type Path struct {
	Source string
	Kind   sheet.Kind
	Field  *sheet.Field
	Vars   Vars
	Reads  Reads // on the way to the field
	row    rowFn

	of   *sheet.Counts // of which one is meant, by word; nil for Field
	word numFn
}

// At returns the sheet and the field that the path leads to; a path through nobody leads to a sheet with ID 0, which
// must not be written.
func (p *Path) At(e *Env) (*sheet.Row, *sheet.Field) {
	if p.of != nil {
		return p.row(e), p.of.Fields[p.word(e)]
	}
	return p.row(e), p.Field
}

// Name is the field's name, or that of the counts.
func (p *Path) Name() string {
	if p.of != nil {
		return p.of.Name
	}
	return p.Field.Name
}

// Fields are the fields that the path may lead to.
func (p *Path) Fields() []*sheet.Field {
	if p.of != nil {
		return p.of.Fields
	}
	return []*sheet.Field{p.Field}
}

// CompilePath compiles a reference such as me.hull or match.bell.team.
func (c *Checker) CompilePath(src string, scope Scope) (*Path, []Issue) {
	key := compileKey{src: src, vars: scope.Vars, it: scope.It, hit: scope.Hit, name: scope.names()}
	if p := c.paths[key]; p != nil && scope.Vars&Args == 0 {
		return p, nil
	}
	p, issues := c.compilePath(src, scope)
	if p != nil {
		c.paths[key] = p
	}
	return p, issues
}

func (c *Checker) compilePath(src string, scope Scope) (*Path, []Issue) {
	k, issues := c.parse(src, scope)
	if k == nil {
		return nil, issues
	}
	e := k.ast.Expr()
	if c := countOf(k, e); c != nil && len(k.issues) == 0 {
		return c.path(k, src), nil
	}
	if _, c := countsOf(k, e); c != nil {
		k.fail(e, "%s are %s", c.Name, plainType("map(s)"))
	}
	if e.Kind() == ast.SelectKind && len(k.issues) == 0 {
		if _, ok := kindOf(k.typeOf(e.AsSelect().Operand())); ok {
			if p, f := k.fieldOf(e); f != nil && len(k.issues) == 0 {
				return &Path{Source: src, Kind: p.kind, Field: f, Vars: k.prog.Vars, Reads: k.prog.Reads,
					row: p.row}, nil
			}
		}
	}
	if len(k.issues) == 0 {
		k.fail(e, "a field of a sheet is needed here, such as me.points or match.round")
	}
	return nil, k.issues[:1]
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
	return &compiler{checker: c, ast: checked.NativeRep(), scope: scope, was: was, prog: &Prog{Source: src},
		frame: noFrame}, nil
}

var (
	unknownName  = regexp.MustCompile(`undeclared reference to '([^']*)'`)
	unknownField = regexp.MustCompile(`undefined field '([^']*)'`)
)

// celIssues puts the library's findings into our words, with what is known.
func (c *Checker) celIssues(iss *cel.Issues, src string, scope Scope) []Issue {
	var out []Issue
	for _, e := range iss.Errors() {
		is := Issue{Line: e.Location.Line() - 1, Column: e.Location.Column(), Message: e.Message}
		if m := unknownName.FindStringSubmatch(e.Message); m != nil {
			is.Word, is.Message = m[1], fmt.Sprintf("nothing here is called %q", m[1])
			is.Known = c.names(scope)
			if why := absent(m[1], scope); why != "" {
				is.Message, is.Known = why, nil
			} else if of := c.owners(m[1], scope); of != "" {
				is.Known = nil
				is.Message = fmt.Sprintf("nothing here is called %q by itself; write %s.%s", m[1], of, m[1])
			} else if how := lists[m[1]]; how != "" {
				is.Message, is.Known = fmt.Sprintf("%s stands behind a list, as in players.%s", m[1], how), nil
			} else if isCall(src, is) {
				is.Message = fmt.Sprintf("there is no function %q", m[1])
				is.Known = append(callable(), slices.Sorted(maps.Keys(c.defined))...)
			}
		} else if m := unknownField.FindStringSubmatch(e.Message); m != nil {
			is.Word, is.Message = m[1], fmt.Sprintf("no field is called %q", m[1])
			is.Column++ // the library points at the dot
			is.Known = c.members(lineOf(src, is.Line), is.Column-1, scope)
		} else {
			is.Message = cmp.Or(c.miscalled(e.Message), plainMessage(e.Message))
			if strings.Contains(e.Message, "'(int, double)'") && strings.Contains(src, ".sum(") {
				is.Message = "sum adds integers; numbers are added by sum_number"
			}
		}
		out = append(out, is)
	}
	return out
}

func lineOf(src string, n int) string {
	lines := strings.Split(src, "\n")
	return lines[max(min(n, len(lines)-1), 0)]
}

// members are what could stand behind the dot at a column: what came with the action, or the fields of the sheet before
// the dot, of any sheet where that is not said by one word.
func (c *Checker) members(line string, dot int, scope Scope) (known []string) {
	before := []rune(line)
	word := lastWord.FindString(string(before[:min(max(dot, 0), len(before))]))
	if word == "arg" {
		for _, f := range scope.Args {
			known = append(known, f.Name)
		}
		return known
	}
	for k := range sheet.Kind(sheet.Kinds) {
		if of, is := kinds[word]; is && of != k {
			continue
		}
		known = append(known, c.schema.Names(k)...)
		known = append(known, ReservedMembers(k)...)
	}
	return known
}

// kinds are the words that stand for one sheet each, and of which kind that is.
var kinds = map[string]sheet.Kind{"me": sheet.Player, "match": sheet.Match, "lobby": sheet.Lobby, "team": sheet.Team,
	"record": sheet.Record, "piece": sheet.Piece, "zone": sheet.Zone, "creature": sheet.Creature}

var lastWord = regexp.MustCompile(`\w+$`)

// owners is the word for the sheet that has a field, "" if none of those that are there has.
func (c *Checker) owners(field string, scope Scope) string {
	for _, x := range []struct {
		word string
		is   bool
	}{{"me", scope.Vars&Me != 0}, {"team", scope.Vars&Team != 0}, {"piece", scope.Vars&Piece != 0},
		{"zone", scope.Vars&Zone != 0}, {"creature", scope.Vars&Creature != 0}, {"match", true}, {"lobby", true}} {
		if x.is && slices.Contains(c.schema.Names(kinds[x.word]), field) {
			return x.word
		}
	}
	return ""
}

// isCall tells whether what an issue points at is called as a function.
func isCall(src string, is Issue) bool {
	line := []rune(lineOf(src, is.Line))
	rest := strings.TrimPrefix(string(line[min(max(is.Column, 0), len(line)):]), ".")
	rest = strings.TrimPrefix(rest, is.Word)
	return strings.HasPrefix(strings.TrimSpace(rest), "(")
}

// functions are the functions that are known everywhere; those of lists are in lists.
var functions = []string{"abs", "distance", "double", "int", "max", "min", "over", "point", "running", "seconds",
	"size", "team_named", "within"}

// callable are the names of everything that can be called.
func callable() []string {
	return append(slices.Sorted(maps.Keys(lists)), append(functions, "random", "string")...)
}

func plainMessage(m string) string {
	m = strings.TrimSuffix(strings.ReplaceAll(m, "\n", " "), ".")
	if why := mismatch(m); why != "" {
		return why
	}
	if rest, is := strings.CutPrefix(m, "Syntax error: "); is {
		return syntax(rest)
	}
	if strings.HasPrefix(m, "invalid int literal") {
		return "the number is too large; an integer goes from -9223372036854775808 to 9223372036854775807"
	}
	if strings.Contains(m, "does not support field selection") {
		if strings.HasPrefix(m, "type 'list(") {
			return "a list has no fields: write players.size(), or look through it, as in players.sum(p, p.points)"
		}
		return "what stands before the dot has no fields"
	}
	return m
}

func (c *Checker) names(scope Scope) []string {
	names := append([]string{"lobby", "match", "players", "teams", "pieces", "creatures", "zones", "nobody", "noteam",
		"nocreature", "true", "false"}, functions...)
	for v, n := range map[Vars]string{Me: "me", Target: "target", Piece: "piece", Team: "team", It: "it", Args: "arg",
		Creature: "creature", Aim: "aim", Zone: "zone", Random: "random"} {
		if scope.Vars&v != 0 {
			names = append(names, n)
		}
	}
	for _, n := range scope.Named {
		names = append(names, n.Name)
	}
	if scope.Vars&Me != 0 {
		names = append(names, "record")
	}
	slices.Sort(names)
	return names
}

// compiler turns one checked expression into a program.
type compiler struct {
	checker  *Checker
	was      func(line, column int) (int, int) // where in the text something is
	ast      *ast.AST
	scope    Scope
	prog     *Prog
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
		want.Type, want.Ref = want.Field.Type, want.Field.Of
	}
	got, ok := k.plainType(e)
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
	p.Type = got
	switch {
	case want.Type == sheet.Choice && !want.Any:
		p.Type = Type{Of: sheet.Choice}
		p.num = k.choice(e, want.Field)
	case got.Of == sheet.Text:
		p.text = k.text(e)
	case got.Of == sheet.Position:
		p.num, p.y = k.pos(e)
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
	return Type{Of: sheet.Position}, t.TypeName() == positionType.TypeName()
}

// TypeOf returns the type of an expression's value, if it is one that fits a field.
func (c *Checker) TypeOf(src string, scope Scope) (Type, bool) {
	k, _ := c.parse(src, scope)
	if k == nil {
		return Type{}, false
	}
	return k.plainType(k.ast.Expr())
}
