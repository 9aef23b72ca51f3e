package mutate

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// mutant is one change of the code: the bytes from one place to another become others.
type mutant struct {
	room     *room
	file     string
	line     int
	column   int
	from, to int
	was, now string
	data     []byte
}

func (m mutant) String() string {
	return fmt.Sprintf("%s:%d: %s -> %s", m.file, m.line, oneLine(m.was), oneLine(m.now))
}

func oneLine(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if len(s) > 70 {
		s = s[:70] + "…"
	}
	if s == "" {
		return "nothing"
	}
	return s
}

// source is the file as it is changed.
func (m *mutant) source() []byte {
	return append(append(append([]byte(nil), m.data[:m.from]...), m.now...), m.data[m.to:]...)
}

// instead are the operators that another one takes the place of.
var instead = map[token.Token]string{
	token.EQL: "!=", token.NEQ: "==", token.LSS: "<=", token.LEQ: "<", token.GTR: ">=", token.GEQ: ">",
	token.LAND: "||", token.LOR: "&&", token.ADD: "-", token.SUB: "+", token.MUL: "+", token.QUO: "*", token.REM: "/",
	token.AND: "|", token.OR: "&", token.SHL: ">>", token.AND_NOT: "|",
}

// find lists every change of a room's code.
func find(r *room) ([]mutant, error) {
	files, err := filepath.Glob("internal/" + r.name + "/*.go")
	if err != nil || len(files) == 0 {
		return nil, fmt.Errorf("the room %s has no files here: %v", r.name, err)
	}
	var all []mutant
	for _, file := range files {
		if strings.HasSuffix(file, "_test.go") {
			continue
		}
		data, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		fs := token.NewFileSet()
		f, err := parser.ParseFile(fs, file, data, 0)
		if err != nil {
			return nil, err
		}
		finder := &finder{room: r, file: file, data: data, fs: fs}
		ast.Inspect(f, finder.node)
		all = append(all, finder.found...)
	}
	return all, nil
}

type finder struct {
	room  *room
	file  string
	data  []byte
	fs    *token.FileSet
	found []mutant
}

// change notes that what stands between two places may become something else.
func (f *finder) change(from, to token.Pos, now string) {
	a, b := f.fs.Position(from), f.fs.Position(to)
	f.found = append(f.found, mutant{room: f.room, file: f.file, line: a.Line, column: a.Column, from: a.Offset,
		to: b.Offset, was: string(f.data[a.Offset:b.Offset]), now: now, data: f.data})
}

func (f *finder) node(n ast.Node) bool {
	switch n := n.(type) {
	case *ast.GenDecl:
		return n.Tok == token.VAR // types, constants and imports are left as they are
	case *ast.BinaryExpr:
		if now := instead[n.Op]; now != "" && !text(n.X) && !text(n.Y) {
			f.change(n.OpPos, n.OpPos+token.Pos(len(n.Op.String())), now)
		}
	case *ast.UnaryExpr:
		if n.Op == token.NOT {
			f.change(n.OpPos, n.OpPos+1, "")
		}
	case *ast.BasicLit:
		if v, err := strconv.ParseInt(n.Value, 0, 64); err == nil && n.Kind == token.INT {
			f.change(n.Pos(), n.End(), strconv.FormatInt(v+1, 10))
		}
	case *ast.Ident:
		if n.Name == "true" || n.Name == "false" {
			f.change(n.Pos(), n.End(), map[string]string{"true": "false", "false": "true"}[n.Name])
		}
	case *ast.IfStmt:
		f.change(n.Cond.Pos(), n.Cond.End(), "!("+string(f.data[f.offset(n.Cond.Pos()):f.offset(n.Cond.End())])+")")
	case *ast.IncDecStmt:
		f.change(n.TokPos, n.TokPos+2, map[token.Token]string{token.INC: "--", token.DEC: "++"}[n.Tok])
	case *ast.ExprStmt:
		if logs(n.X) {
			return false // what is logged is for people
		}
		f.change(n.Pos(), n.End(), "")
	case *ast.AssignStmt:
		if n.Tok != token.DEFINE {
			f.change(n.Pos(), n.End(), "")
		}
	case *ast.BranchStmt:
		if n.Tok == token.CONTINUE {
			f.change(n.Pos(), n.End(), "break")
		}
	}
	return true
}

// logs tells whether a statement does nothing but write a line to a log.
func logs(e ast.Expr) bool {
	call, is := e.(*ast.CallExpr)
	if !is {
		return false
	}
	to, is := call.Fun.(*ast.SelectorExpr)
	if !is || !slices.Contains([]string{"Debug", "Info", "Warn", "Error"}, to.Sel.Name) {
		return false
	}
	x := to.X
	if made, is := x.(*ast.CallExpr); is {
		x = made.Fun
	}
	if of, is := x.(*ast.SelectorExpr); is {
		x = of.Sel
	}
	name, is := x.(*ast.Ident)
	return is && (name.Name == "log" || name.Name == "slog" || name.Name == "Log")
}

func (f *finder) offset(p token.Pos) int { return f.fs.Position(p).Offset }

// text tells whether an expression is a text, whose + is no sum.
func text(e ast.Expr) bool {
	switch e := e.(type) {
	case *ast.BasicLit:
		return e.Kind == token.STRING
	case *ast.BinaryExpr:
		return text(e.X) || text(e.Y)
	}
	return false
}
