package pages

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"slices"
	"strings"

	"gorm.io/gorm/schema"
)

// table is a table of the database, as the type that stands for it says.
type table struct {
	name, says string
	columns    [][2]string // names, and what is in them
}

// tables reads the types of the package store: each struct is a table, each field a column, each comment what is in it.
func tables(root string) ([]table, error) {
	var structs []table
	named := map[string]string{} // by a method
	for _, file := range []string{"models.go", "settings.go"} {
		f, err := parser.ParseFile(token.NewFileSet(), filepath.Join(root, "internal/node/store", file), nil,
			parser.ParseComments)
		if err != nil {
			return nil, err
		}
		for _, d := range f.Decls {
			switch d := d.(type) {
			case *ast.FuncDecl:
				if d.Name.Name == "TableName" {
					text := d.Body.List[0].(*ast.ReturnStmt).Results[0].(*ast.BasicLit).Value
					named[d.Recv.List[0].Type.(*ast.Ident).Name] = strings.Trim(text, `"`)
				}
			case *ast.GenDecl:
				if d.Tok == token.TYPE {
					structs = append(structs, tableOf(d))
				}
			}
		}
	}
	for i := range structs {
		if name, there := named[structs[i].name]; there {
			structs[i].name = name
		} else {
			structs[i].name = schema.NamingStrategy{}.TableName(structs[i].name)
		}
	}
	slices.SortFunc(structs, func(a, b table) int { return strings.Compare(a.name, b.name) })
	return structs, nil
}

func tableOf(d *ast.GenDecl) table {
	spec := d.Specs[0].(*ast.TypeSpec)
	_, says, _ := strings.Cut(oneLine(d.Doc.Text()), " ") // without the name of the type
	t := table{name: spec.Name.Name, says: sentence(strings.TrimPrefix(says, "is "))}
	for _, field := range spec.Type.(*ast.StructType).Fields.List {
		for _, name := range field.Names {
			column := schema.NamingStrategy{}.ColumnName("", name.Name)
			t.columns = append(t.columns, [2]string{column, oneLine(field.Comment.Text())})
		}
	}
	return t
}

func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

func sentence(text string) string { return strings.ToUpper(text[:1]) + text[1:] }

// comments writes the comments of all tables in SQL.
func comments(all []table) string {
	var b strings.Builder
	quote := func(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }
	fmt.Fprintln(&b, "-- Made by ./dev docs from the types of this package.")
	for _, t := range all {
		fmt.Fprintf(&b, "comment on table %s is %s;\n", t.name, quote(t.says))
		for _, c := range t.columns {
			fmt.Fprintf(&b, "comment on column %s.%s is %s;\n", t.name, c[0], quote(c[1]))
		}
	}
	return b.String()
}

// schemaPage writes the part of the page on the database that lists all tables.
func schemaPage(all []table) string {
	var b strings.Builder
	for _, t := range all {
		fmt.Fprintf(&b, "### `%s`\n\n%s\n\n", t.name, t.says)
		for _, c := range t.columns {
			fmt.Fprintf(&b, "- `%s`: %s\n", c[0], c[1])
		}
		fmt.Fprintln(&b)
	}
	return b.String()
}
