package expr

import (
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"

	"turnvex.example/turnvex/internal/core/sheet"
)

// counted is a compiled reference to a field of counts: me.goods.wood, or me.goods[arg.ware].
type counted struct {
	place
	of   *sheet.Counts
	word numFn // which of the fields; nil for the one in field
	one  int
}

// countsType is the type of counts as a whole.
func countsType(c *sheet.Counts) *types.Type {
	return types.NewMapType(types.StringType, celType(c.Fields[0]))
}

// countsOf compiles what stands for counts as a whole; nil for anything else.
func countsOf(k *compiler, e ast.Expr) (place, *sheet.Counts) {
	if e.Kind() != ast.SelectKind || k.typeOf(e).Kind() != types.MapKind {
		return place{}, nil
	}
	kind, ok := kindOf(k.typeOf(e.AsSelect().Operand()))
	if !ok {
		return place{}, nil
	}
	return k.place(e.AsSelect().Operand()), k.checker.schema.Counts(kind, e.AsSelect().FieldName())
}

// countOf compiles a reference to one of the fields of counts; nil for anything else. What it reads is not noted.
func countOf(k *compiler, e ast.Expr) *counted {
	switch e.Kind() {
	case ast.SelectKind:
		if p, c := countsOf(k, e.AsSelect().Operand()); c != nil {
			return &counted{place: p, of: c, one: wordIn(k, e, c, e.AsSelect().FieldName())}
		}
	case ast.CallKind:
		call := e.AsCall()
		if call.FunctionName() != operators.Index {
			return nil
		}
		p, c := countsOf(k, call.Args()[0])
		if c == nil {
			return nil
		}
		at := call.Args()[1]
		if at.Kind() == ast.LiteralKind {
			return &counted{place: p, of: c, one: wordIn(k, at, c, string(at.AsLiteral().(types.String)))}
		}
		return &counted{place: p, of: c, word: whichWord(k, at, c)}
	}
	return nil
}

// wordIn is the place of a word that is written out.
func wordIn(k *compiler, e ast.Expr, c *sheet.Counts, word string) int {
	i := slices.Index(c.Words, word)
	if i < 0 {
		k.fail(e, "%s has no word %q", c.Name, word)
		is := &k.issues[len(k.issues)-1]
		is.Word, is.Known = word, c.Words
		return 0
	}
	return i
}

// whichWord compiles which word is meant: a choice of words all of which are counted.
func whichWord(k *compiler, e ast.Expr, c *sheet.Counts) numFn {
	f := k.choiceField(e)
	if f == nil {
		if e.Kind() == ast.CallKind && e.AsCall().FunctionName() == operators.Conditional {
			args := e.AsCall().Args()
			return choose(k.num(args[0]), whichWord(k, args[1], c), whichWord(k, args[2], c))
		}
		if e.Kind() == ast.LiteralKind {
			return constant(int64(wordIn(k, e, c, string(e.AsLiteral().(types.String)))))
		}
		k.fail(e, "which of %s is meant is a word, or a choice of words: a field, an argument or an item of a list",
			c.Name)
		return zero
	}
	words := &sheet.Field{Name: c.Name, Type: sheet.Choice, Choices: c.Words}
	if _, all := translation(f, words); !all {
		k.fail(e, "%s may be a word that %s does not count; it counts %s", f.Name, c.Name, strings.Join(c.Words, ", "))
		return zero
	}
	return k.choice(e, words)
}

// read notes which fields are read.
func (c *counted) read(k *compiler) {
	fields := c.of.Fields
	if c.word == nil {
		fields = fields[c.one : c.one+1]
	}
	for _, f := range fields {
		k.readField(c.place, f)
	}
}

// num is the value that is referred to.
func (c *counted) num() numFn {
	row, slot := c.row, c.of.Fields[c.one].Slot()
	if c.word == nil {
		return func(v *Env) int64 { return row(v).N[slot] }
	}
	word := c.word
	return func(v *Env) int64 { return row(v).N[slot+int(word(v))] }
}

// path is the reference as one that effects write.
func (c *counted) path(k *compiler, src string) *Path {
	p := &Path{Source: src, Kind: c.kind, Field: c.of.Fields[c.one], Vars: k.prog.Vars, Reads: k.prog.Reads, row: c.row}
	if c.word != nil {
		p.of, p.word = c.of, c.word
	}
	return p
}

// words is a walk over the words of counts.
func (f walk) overWords(n int) numFn {
	return func(v *Env) int64 {
		before := f.begin(v)
		for i := range int64(n) {
			if !v.looks(1) {
				break
			}
			if v.items[f.loop] = i; !f.take(v) {
				break
			}
		}
		return f.end(v, before)
	}
}
