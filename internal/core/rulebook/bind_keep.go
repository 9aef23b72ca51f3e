package rulebook

import (
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

// recordRules compiles what is kept at the end.
func (b *binder) recordRules() {
	for _, e := range b.entries(b.top, "record") {
		f := b.book.Schema.Field(sheet.Record, e.key)
		if f == nil {
			continue
		}
		r := &RecordField{Line: e.line, Field: f, Keep: keepWords.named(b.text(e.value, "keep")),
			Of: b.expr(e.value, "of", scopePlayer, expr.Want{Field: f}), If: b.condition(e.value, "if", scopePlayer)}
		if t := f.Type; r.Keep != KeepLatest && t != sheet.Integer && t != sheet.Number {
			b.fail(e.value.get("keep"), "wrong-type", "latest", "a %s has no %s", t, r.Keep)
		}
		b.uses.mark(sheet.Record, f)
		b.book.Record = append(b.book.Record, r)
	}
}

func (b *binder) boards() {
	for _, e := range b.entries(b.top, "boards") {
		n := e.value
		x := &Board{
			Line:  e.line,
			Name:  e.key,
			Title: b.titled(n, e.key),
			Keep:  keepWords.named(b.text(n, "keep")),
			Least: leastFirst.is(n, "order"),
			Show:  showWords.named(b.text(n, "show")),
			Of:    b.expr(n, "of", scopePlayer, wantAmount),
			If:    b.condition(n, "if", scopePlayer),
		}
		if c := n.get("clients"); c != nil {
			x.Open, x.Lowest, x.Most = true, b.int(c, "min"), b.int(c, "max")
			if x.Lowest > x.Most {
				b.fail(c, "out-of-range", "min to be at most max", "min is above max")
			}
		}
		if n.get("show") == nil && x.Of != nil && x.Of.Type.Of == sheet.Number {
			x.Show = ShowNumber
		}
		if x.Of == nil && !x.Open && n.get("of") == nil {
			b.warn(n, "board-empty", "nothing posts to this board: it has no \"of\", and clients may not")
		}
		b.book.Boards = append(b.book.Boards, x)
	}
}
