package expr

import (
	"maps"
	"math"
	"slices"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/parser"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Checker type-checks and compiles expressions against one schema. It is made once a rulebook.
type Checker struct {
	Teams   []string           // the names of the teams, in their order; set before the first use
	Lenient bool               // what measures something else is taken
	Sizes   [sheet.Kinds]int64 // how many sheets of each kind there are at most, for Prog.Cost; set before first use
	Work    int                // the characters parsed so far, and some for each expression
	draws   uint32             // places at which something is drawn, so far
	schema  *sheet.Schema
	base    *cel.Env
	envs    map[envKey]*cel.Env
	known   map[compileKey]*Prog
	paths   map[compileKey]*Path

	defined map[string]*definition
}

// NewChecker returns a checker for expressions over a schema.
func NewChecker(schema *sheet.Schema) (*Checker, error) {
	opts := []cel.EnvOption{
		cel.CustomTypeProvider(&provider{Provider: types.NewEmptyRegistry(), schema: schema}),
		cel.CrossTypeNumericComparisons(true),
		cel.ParserRecursionLimit(64), cel.ParserExpressionSizeLimit(MaxSource),
		cel.Variable("lobby", kindTypes[sheet.Lobby]),
		cel.Variable("match", kindTypes[sheet.Match]),
		cel.Variable("players", types.NewListType(kindTypes[sheet.Player])),
		cel.Variable("teams", types.NewListType(kindTypes[sheet.Team])),
		cel.Variable("pieces", types.NewListType(kindTypes[sheet.Piece])),
		cel.Variable("creatures", types.NewListType(kindTypes[sheet.Creature])),
		cel.Variable("zones", types.NewListType(kindTypes[sheet.Zone])),
		cel.Variable("nocreature", kindTypes[sheet.Creature]),
		cel.Variable("nobody", kindTypes[sheet.Player]),
		cel.Variable("noteam", kindTypes[sheet.Team]),
		cel.Macros(cel.ReceiverMacro("count", 2, expandCount), cel.ReceiverMacro("sum", 2, expandSum(types.Int(0))),
			cel.ReceiverMacro("sum_number", 2, expandSum(types.Double(0))),
			cel.ReceiverMacro("most", 2, expandExtreme("max", math.MinInt64)),
			cel.ReceiverMacro("least", 2, expandExtreme("min", math.MaxInt64))),
	}
	opts = append(append(opts, functionDecls(schema.Deep)...), pickDecls()...)
	opts = append(opts, listDecls()...)
	base, err := cel.NewEnv(opts...)
	return &Checker{schema: schema, base: base, envs: map[envKey]*cel.Env{}, known: map[compileKey]*Prog{},
		paths: map[compileKey]*Path{}, defined: map[string]*definition{}}, err
}

type envKey struct {
	vars Vars
	it   sheet.Kind
	hit  sheet.Kind
	name string
}

// MaxSource is the most characters an expression may have.
const MaxSource = 4096

// functionDecls declares the functions; deep is whether positions have three lengths.
func functionDecls(deep bool) []cel.EnvOption {
	i, d, b := types.IntType, types.DoubleType, types.BoolType
	pos := positionType
	point := cel.Overload("point_int_int", []*cel.Type{i, i}, pos)
	if deep {
		point = cel.Overload("point_int_int_int", []*cel.Type{i, i, i}, pos)
	}
	return []cel.EnvOption{
		cel.Function("distance", cel.Overload("distance_positions", []*cel.Type{pos, pos}, i)),
		cel.Function("within", cel.Overload("within_position_zone", []*cel.Type{pos, kindTypes[sheet.Zone]}, b)),
		cel.Function("angle_to", facing("angle_to", pos, i)...),
		cel.Function("ahead", facing("ahead", i, pos)...),
		cel.Function("point", point),
		cel.Function("seconds", cel.Overload("seconds_int", []*cel.Type{i}, i)),
		cel.Function("random", cel.Overload("random_int_int", []*cel.Type{i, i}, i)),
		cel.Function("team_named",
			cel.Overload("team_named_string", []*cel.Type{types.StringType}, kindTypes[sheet.Team])),
		cel.Function("running", cel.Overload("running_clock", []*cel.Type{i}, b)),
		cel.Function("over", cel.Overload("over_clock", []*cel.Type{i}, b)),
		cel.Function("min", cel.Overload("min_int", []*cel.Type{i, i}, i),
			cel.Overload("min_double", []*cel.Type{d, d}, d)),
		cel.Function("max", cel.Overload("max_int", []*cel.Type{i, i}, i),
			cel.Overload("max_double", []*cel.Type{d, d}, d)),
		cel.Function("abs", cel.Overload("abs_int", []*cel.Type{i}, i), cel.Overload("abs_double", []*cel.Type{d}, d)),
	}
}

// env returns the CEL environment in which the scope's names exist. With args it is made anew, because each action
// declares its own.
func (c *Checker) env(scope Scope) (*cel.Env, error) {
	vars := scope.Vars &^ Random
	key := envKey{vars, scope.It, scope.Hit, scope.names()}
	if e := c.envs[key]; e != nil && vars&Args == 0 {
		return e, nil
	}
	var opts []cel.EnvOption
	for v, name := range map[Vars]string{Me: "me", Piece: "piece", Creature: "creature", Team: "team", Zone: "zone"} {
		if vars&v != 0 {
			opts = append(opts, cel.Variable(name, kindTypes[varKinds[v]]))
		}
	}
	if vars&Target != 0 {
		opts = append(opts, cel.Variable("target", kindTypes[scope.Hit]))
	}
	for _, n := range scope.Named {
		opts = append(opts, cel.Variable(n.Name, oneOf(n.Kind, n.Item)))
	}
	if vars&Aim != 0 {
		opts = append(opts, cel.Variable("aim", aimType))
	}
	if vars&It != 0 {
		opts = append(opts, cel.Variable("it", oneOf(scope.It, scope.Item)))
	}
	if vars&Me != 0 {
		opts = append(opts, cel.Variable("record", kindTypes[sheet.Record]))
	}
	if vars&Args != 0 {
		opts = append(opts,
			cel.CustomTypeProvider(&provider{Provider: types.NewEmptyRegistry(), schema: c.schema, args: scope.Args}),
			cel.Variable("arg", argsType))
	}
	e, err := c.base.Extend(opts...)
	if err == nil && vars&Args == 0 {
		c.envs[key] = e
	}
	return e, err
}

// oneOf is the type of what a walk goes through: sheets, or the values of a list.
func oneOf(k sheet.Kind, list *sheet.Field) *cel.Type {
	if list == nil {
		return kindTypes[k]
	}
	return itemType(list)
}

var varKinds = map[Vars]sheet.Kind{Me: sheet.Player, Piece: sheet.Piece, Creature: sheet.Creature, Team: sheet.Team,
	Zone: sheet.Zone}

// fold writes list.name(v, e) as a comprehension.
func fold(eh parser.ExprHelper, list, v ast.Expr, init, step, result ast.Expr) (ast.Expr, *common.Error) {
	if v.Kind() != ast.IdentKind {
		return nil, eh.NewError(v.ID(), "the first argument must be a plain name, as in players.count(p, p.alive)")
	}
	return eh.NewComprehension(list, v.AsIdent(), eh.AccuIdentName(), init, eh.NewLiteral(types.True), step,
		result), nil
}

func expandCount(eh parser.ExprHelper, list ast.Expr, args []ast.Expr) (ast.Expr, *common.Error) {
	step := eh.NewCall(operators.Conditional, args[1],
		eh.NewCall(operators.Add, eh.NewAccuIdent(), eh.NewLiteral(types.Int(1))), eh.NewAccuIdent())
	return fold(eh, list, args[0], eh.NewLiteral(types.Int(0)), step, eh.NewAccuIdent())
}

func expandSum(zero ref.Val) parser.MacroExpander {
	return func(eh parser.ExprHelper, list ast.Expr, args []ast.Expr) (ast.Expr, *common.Error) {
		step := eh.NewCall(operators.Add, eh.NewAccuIdent(), args[1])
		return fold(eh, list, args[0], eh.NewLiteral(zero), step, eh.NewAccuIdent())
	}
}

// expandExtreme folds with max or min; over an empty list the result is 0.
func expandExtreme(function string, start int64) parser.MacroExpander {
	return func(eh parser.ExprHelper, list ast.Expr, args []ast.Expr) (ast.Expr, *common.Error) {
		step := eh.NewCall(function, eh.NewAccuIdent(), args[1])
		result := eh.NewCall(operators.Conditional,
			eh.NewCall(operators.Equals, eh.NewAccuIdent(), eh.NewLiteral(types.Int(start))),
			eh.NewLiteral(types.Int(0)), eh.NewAccuIdent())
		return fold(eh, list, args[0], eh.NewLiteral(types.Int(start)), step, result)
	}
}

// Library returns the CEL library's environment for a scope: what our trees are compared with.
func (c *Checker) Library(scope Scope) (*cel.Env, error) { return c.env(scope) }

// Functions lists what expressions may call.
func Functions() ([]string, error) {
	c, err := NewChecker(&sheet.Schema{})
	if err != nil {
		return nil, err
	}
	names := map[string]bool{"size": true, "string": true, "int": true, "double": true}
	for _, m := range c.base.Macros() {
		names[m.Function()] = m.Function() != operators.Has && m.Function() != operators.Map
	}
	plain, err := cel.NewEnv()
	if err != nil {
		return nil, err
	}
	standard := plain.Functions()
	for name := range c.base.Functions() {
		if standard[name] == nil && name[0] != '@' && name != oldSeconds {
			names[name] = true
		}
	}
	maps.DeleteFunc(names, func(_ string, there bool) bool { return !there })
	return slices.Sorted(maps.Keys(names)), nil
}
