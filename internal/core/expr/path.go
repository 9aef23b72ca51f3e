package expr

import (
	"cel.dev/cel-go/common/ast"

	"turnvex.example/turnvex/internal/core/sheet"
)

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
