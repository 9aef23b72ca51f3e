package expr

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Definable are the names that a definition may use beside its arguments: those that mean the same kind of thing
// wherever they are there.
const Definable = Me | Team | Piece | Creature | Zone | Random

// The limits of definitions.
const (
	MaxTaken = 8 // arguments of one definition

	costOfCall = 10  // of a named expression, in Checker.Work
	maxFrames  = 8   // calls of named expressions inside each other
	maxInlined = 200 // named expressions that one expression leads to, those in them counted
)

// effectsType is what a call of a named list of effects gives: nothing that another expression could use.
var effectsType = types.NewObjectType("Effects")

// definition is what a rulebook gave a name to: an expression, or a list of effects.
type definition struct {
	name  string
	takes []*sheet.Field
	ast   *ast.AST // nil for effects
	uses  Vars

	measure sheet.Measure // of what it gives

	called bool
}

func (d *definition) decl(gives *cel.Type) cel.EnvOption {
	var in []*cel.Type
	for _, f := range d.takes {
		in = append(in, celType(f))
	}
	return cel.Function(d.name, cel.Overload("defined_"+d.name, in, gives))
}

// signature is how a definition is called.
func (d *definition) signature() string {
	var in []string
	for _, f := range d.takes {
		in = append(in, f.Name+": "+typeWords(celType(f)))
	}
	return d.name + "(" + strings.Join(in, ", ") + ")"
}

func (c *Checker) define(d *definition, gives *cel.Type) error {
	base, err := c.base.Extend(d.decl(gives))
	if err != nil {
		return err
	}
	c.base, c.defined[d.name] = base, d
	clear(c.envs)
	return nil
}

// Define gives an expression a name: from now on NAME(…) stands for it, with what it takes read as arg. It may call
// what was defined before it, and use what Definable says; whoever calls it must have that too.
func (c *Checker) Define(name string, takes []*sheet.Field, src string) (Reads, []Issue) {
	k, issues := c.parse(src, Scope{Vars: Definable | Args, Args: takes})
	if k == nil {
		return Reads{}, issues
	}
	t, ok := k.plainType(k.ast.Expr())
	if !ok {
		k.fail(k.ast.Expr(), "this gives %s, and only single values can be named", typeWords(k.typeOf(k.ast.Expr())))
		return Reads{}, k.issues
	}
	if k.finish(Want{Type: t.Of, Ref: t.Kind}); len(k.issues) > 0 {
		return Reads{}, k.issues[:1]
	}
	d := &definition{name: name, takes: takes, ast: k.ast, uses: k.prog.Vars & Definable,
		measure: k.measures}
	if err := c.define(d, k.typeOf(k.ast.Expr())); err != nil {
		return Reads{}, []Issue{{Message: err.Error()}}
	}
	return k.prog.Reads, k.warnings
}

// DefineEffects gives a list of effects a name, so that CompileCall knows it.
func (c *Checker) DefineEffects(name string, takes []*sheet.Field) error {
	return c.define(&definition{name: name, takes: takes}, effectsType)
}

// Uses says which names the effects of a definition use.
func (c *Checker) Uses(name string, uses Vars) { c.defined[name].uses = uses & Definable }

// IsCallable tells whether NAME(…) means something already, or is no name in expressions.
func (c *Checker) IsCallable(name string) bool {
	return c.defined[name] != nil || slices.Contains(callable(), name) || name == oldSeconds || IsReserved(name) ||
		slices.Contains([]string{"as", "break", "const", "continue", "else", "for", "function", "has", "if", "import",
			"let", "loop", "map", "namespace", "package", "return", "type", "var", "void", "while", "bool", "uint",
			"bytes", "list", "dyn", "duration", "timestamp", "matches"}, name)
}

// IsCalled tells whether something was compiled that calls a definition; true where there is none of that name.
func (c *Checker) IsCalled(name string) bool { return c.defined[name] == nil || c.defined[name].called }

// Call is a compiled call of a named list of effects.
type Call struct {
	Name  string
	Vars  Vars
	Reads Reads
	put   func(*Env, *sheet.Row)
}

// CompileCall compiles a call such as pay(me, 10), of what DefineEffects has named.
func (c *Checker) CompileCall(src string, scope Scope) (*Call, []Issue) {
	k, issues := c.parse(src, scope)
	if k == nil {
		return nil, issues
	}
	e := k.ast.Expr()
	d := called(k, e)
	if d == nil || d.ast != nil {
		k.fail(e, "a named list of effects is called here, as in pay(me, 10)")
		return nil, k.issues
	}
	d.called = true
	lacks(k, e, d)
	put := arguments(k, e, d)
	if len(k.issues) > 0 {
		return nil, k.issues[:1]
	}
	return &Call{d.name, k.prog.Vars | d.uses, k.prog.Reads, put}, nil
}

// Put evaluates the arguments into a row; a fault is kept in e.Fault.
func (c *Call) Put(e *Env, row *sheet.Row) {
	e.Fault = OK
	c.put(e, row)
}

// called returns what a call calls, where that is something which the rulebook has named.
func called(k *compiler, e ast.Expr) *definition {
	if e.Kind() != ast.CallKind {
		return nil
	}
	return k.checker.defined[e.AsCall().FunctionName()]
}

// lacks reports what a definition uses and is not there where it is called.
func lacks(k *compiler, e ast.Expr, d *definition) {
	for v, name := range map[Vars]string{Me: "me", Team: "team", Piece: "piece", Creature: "creature", Zone: "zone"} {
		if d.uses&v != 0 && k.scope.Vars&v == 0 {
			k.fail(e, "%s uses %s, and %s", d.name, name, absent(name, k.scope))
			return
		}
	}
}

// arguments compiles what a call gives, into the slots of what the definition takes.
func arguments(k *compiler, e ast.Expr, d *definition) func(*Env, *sheet.Row) {
	var puts []func(*Env, *sheet.Row)
	for i, a := range e.AsCall().Args() {
		f := d.takes[i]
		slot := f.Slot()
		switch f.Type {
		case sheet.Text:
			s := k.text(a)
			puts = append(puts, func(v *Env, r *sheet.Row) { r.S[slot] = s(v) })
		case sheet.Position, sheet.Position3:
			at := k.pos(a)
			puts = append(puts, func(v *Env, r *sheet.Row) {
				if r.N[slot], r.N[slot+1] = at.x(v), at.y(v); at.z != nil {
					r.N[slot+2] = at.z(v)
				}
			})
		case sheet.Choice:
			n := k.choice(a, f)
			puts = append(puts, func(v *Env, r *sheet.Row) { r.N[slot] = n(v) })
		default:
			n := k.num(a)
			puts = append(puts, func(v *Env, r *sheet.Row) { r.N[slot] = n(v) })
		}
	}
	return func(v *Env, r *sheet.Row) {
		for _, put := range puts {
			put(v, r)
		}
	}
}

// callSite is what a compiler comes back to behind the body of a definition.
type callSite struct {
	e     ast.Expr
	ast   *ast.AST
	scope Scope
	frame int
	floor int
	given map[string]place
	name  string
}

// inline gives the arguments of a call a frame of their own and compiles the body as though it stood there. What
// comes back puts the arguments in their place.
func inline(k *compiler, e ast.Expr, d *definition, body func(ast.Expr)) func(*Env) {
	nothing := func(*Env) {}
	switch k.inlined++; {
	case d.ast == nil:
		k.fail(e, "%s is a list of effects and has no value: it is called by the effect run", d.name)
		return nothing
	case k.frames == maxFrames:
		k.fail(e, "named expressions are called inside each other more than %d deep", maxFrames)
		return nothing
	case k.inlined > maxInlined:
		k.fail(e, "this leads to more than %d named expressions", maxInlined)
		return nothing
	}
	lacks(k, e, d)
	k.checker.Work += costOfCall
	k.prog.Calls, d.called = true, true
	frame := k.frames
	k.frames++ // the arguments may call as well, before the frame is read
	put := arguments(k, e, d)
	k.sites = append(k.sites, callSite{e, k.ast, k.scope, k.frame, k.floor, k.given, d.name})
	k.given = subjects(k, e, d)
	k.ast, k.frame, k.floor = d.ast, frame, len(k.loops)
	k.scope = Scope{Vars: k.scope.Vars&Definable | Args, Args: d.takes}
	body(d.ast.Expr())
	last := len(k.sites) - 1
	at := k.sites[last]
	k.sites = k.sites[:last]
	k.ast, k.scope, k.frame, k.floor, k.given = at.ast, at.scope, at.frame, at.floor, at.given
	k.frames--
	return func(v *Env) { put(v, v.frame(frame)) }
}

// subjects are the arguments of a call that are the subject itself: what is read of them is read of the subject.
func subjects(k *compiler, e ast.Expr, d *definition) map[string]place {
	var out map[string]place
	for i, a := range e.AsCall().Args() {
		if a.Kind() != ast.IdentKind || d.takes[i].Type != sheet.Ref || k.itemVar(a) != nil {
			continue
		}
		if p := k.place(a); p.own {
			if out == nil {
				out = map[string]place{}
			}
			out[d.takes[i].Name] = p
		}
	}
	return out
}

func inlineNum(k *compiler, e ast.Expr, d *definition, body func(ast.Expr) numFn) numFn {
	var n numFn
	give := inline(k, e, d, func(b ast.Expr) { n = body(b) })
	if n == nil {
		return zero
	}
	return func(v *Env) int64 {
		give(v)
		return n(v)
	}
}

func inlineText(k *compiler, e ast.Expr, d *definition) textFn {
	text := func(*Env) string { return "" }
	give := inline(k, e, d, func(b ast.Expr) { text = k.text(b) })
	return func(v *Env) string {
		give(v)
		return text(v)
	}
}

func inlinePos(k *compiler, e ast.Expr, d *definition) posFn {
	at := nowhere(k.checker.schema.Deep)
	give := inline(k, e, d, func(b ast.Expr) { at = k.pos(b) })
	of := func(n numFn) numFn {
		return func(v *Env) int64 {
			give(v)
			return n(v)
		}
	}
	if at.x, at.y = of(at.x), of(at.y); at.z != nil {
		at.z = of(at.z)
	}
	return at
}

func inlinePlace(k *compiler, e ast.Expr, d *definition, kind sheet.Kind) place {
	var p place
	give := inline(k, e, d, func(b ast.Expr) { p = k.place(b) })
	if p.row == nil {
		p.row = func(v *Env) *sheet.Row { return v.Store.GetOr(0, kind) }
	}
	return place{kind: kind, row: func(v *Env) *sheet.Row {
		give(v)
		return p.row(v)
	}}
}

// frame is where the arguments of a call of a named expression stand.
func (v *Env) frame(i int) *sheet.Row {
	for len(v.frames) <= i {
		v.frames = append(v.frames, NewFrame())
	}
	return v.frames[i]
}

// NewFrame returns a row that takes the arguments of a definition.
func NewFrame() *sheet.Row {
	return &sheet.Row{N: make([]int64, 2*MaxTaken), S: make([]string, MaxTaken)}
}

var wrongCall = regexp.MustCompile(`found no matching overload for '(\w+)' applied to '\((.*)\)'`)

// miscalled says how a definition is called, where it was called in another way.
func (c *Checker) miscalled(message string) string {
	found := wrongCall.FindStringSubmatch(message)
	if found == nil || c.defined[found[1]] == nil {
		return ""
	}
	d := c.defined[found[1]]
	var given []string
	for _, t := range strings.Split(found[2], ", ") {
		if t != "" {
			given = append(given, plainType(t))
		}
	}
	got := strings.Join(given, ", ")
	if got == "" {
		got = "nothing"
	}
	return fmt.Sprintf("%s is called as %s, but was given %s", d.name, d.signature(), got)
}
