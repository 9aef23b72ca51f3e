package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// record declares the record sheet's fields.
func (b *binder) record() {
	b.fields(sheet.Record, b.top.get("record"))
	for _, f := range b.book.Schema.Fields(sheet.Record) {
		f.Reset = sheet.ResetNever
	}
}

var keeps = []string{"latest", "best", "lowest", "total"}

// recordRules compiles what is kept at the end.
func (b *binder) recordRules() {
	for _, e := range b.entries(b.top, "record") {
		f := b.book.Schema.Field(sheet.Record, e.key)
		if f == nil {
			continue
		}
		r := &RecordField{Field: f, Keep: Keep(slices.Index(keeps, b.text(e.value, "keep"))),
			Of: b.expr(e.value, "of", scopePlayer, expr.Want{Field: f}), If: b.condition(e.value, "if", scopePlayer)}
		if t := f.Type; r.Keep != KeepLatest && t != sheet.Integer && t != sheet.Number {
			b.fail(e.value.get("keep"), "wrong-type", "latest", "a %s has no %s", t, keeps[r.Keep])
		}
		b.uses.mark(sheet.Record, f)
		b.book.Record = append(b.book.Record, r)
	}
}

func (b *binder) boards() {
	for _, e := range b.entries(b.top, "boards") {
		n := e.value
		x := &Board{Name: e.key, Title: b.titled(n, e.key), Keep: b.text(n, "keep"), Least: n.is("order", "least"), Show: b.text(n, "show"),
			Of: b.expr(n, "of", scopePlayer, wantAmount), If: b.condition(n, "if", scopePlayer)}
		if c := n.get("clients"); c != nil {
			x.Open, x.Lowest, x.Most = true, b.int(c, "min"), b.int(c, "max")
			if x.Lowest > x.Most {
				b.fail(c, "out-of-range", "min to be at most max", "min is above max")
			}
		}
		if x.Show == "" {
			x.Show = "integer"
			if x.Of != nil && x.Of.Type.Of == sheet.Number {
				x.Show = "number"
			}
		}
		if x.Of == nil && !x.Open && n.get("of") == nil {
			b.warn(n, "board-empty", "nothing posts to this board: it has no \"of\", and clients may not")
		}
		b.book.Boards = append(b.book.Boards, x)
	}
}
