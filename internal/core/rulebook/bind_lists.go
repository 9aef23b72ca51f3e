package rulebook

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

const (
	listMost     = 50  // items of a list, unless most says otherwise
	itemTextMost = 200 // characters of a text in a list
)

// listField reads what a list holds.
func (b *fielder) listField(n *node, f *sheet.Field) {
	of := n.get("of")
	if f.Type != sheet.List {
		for _, key := range []string{"of", "most"} {
			if v := n.get(key); v != nil {
				b.fail(v, "not-here", "type: list", "only a list has %q", key)
			}
		}
		return
	}
	f.Most = listMost
	if n.get("most") != nil {
		f.Most = int(n.num("most"))
	}
	if of == nil {
		b.fail(n, "missing-key", "of: integer, or what else it holds", "a list needs to say what its items are")
		return
	}
	if k, is := sheet.KindNamed(of.text); is {
		f.Item, f.Of = sheet.Ref, k
	} else {
		f.Item, _ = sheet.TypeNamed(of.text)
	}
}

// item is a field that holds one item of a list.
func item(f *sheet.Field) *sheet.Field {
	one := *f
	one.Type, one.Derived, one.Max = f.Item, false, f.Max
	if f.Item == sheet.Text {
		one.Max = itemTextMost
	}
	return &one
}

// listStart reads what a list holds at first.
func (b *fielder) listStart(v *node, f *sheet.Field, most *node) {
	if most == nil { // a pile that is given whole needs no number
		f.Most = sheet.MaxItems
		defer func() { f.Most = max(int(sheet.CountItems(f.Start.S)), listMost) }()
	}
	if v.get("fill") != nil || v.get("times") != nil {
		filledStart(b, v, f)
		return
	}
	if lo, hi, is := strings.Cut(v.text, ".."); is && f.Item == sheet.Integer && v.kind == scalarNode {
		from, err := strconv.ParseInt(lo, 10, 64)
		to, err2 := strconv.ParseInt(hi, 10, 64)
		if err != nil || err2 != nil || to < from || to-from >= int64(f.Most) {
			b.fail(v, "out-of-range", fmt.Sprintf("a range of at most %d integers, such as 1..%d", f.Most, f.Most),
				"%s", v.shown())
			return
		}
		var items []string
		for ; from <= to; from++ {
			items = append(items, strconv.FormatInt(from, 10))
		}
		f.Start.S = sheet.ListOf(items, false)
		return
	}
	if v.kind != listNode {
		b.fail(v, "wrong-type", "a list, as in [1, 2, 3], or a range of integers, as in 1..52", "%s", v.shown())
		return
	}
	if len(v.items) > f.Most {
		b.fail(v, "too-many", fmt.Sprintf("at most %d", f.Most), "%d items", len(v.items))
		return
	}
	var items []string
	for _, x := range v.items {
		if text, ok := b.startItem(x, f); ok {
			items = append(items, text)
		}
	}
	f.Start.S = sheet.ListOf(items, f.Item == sheet.Text)
}

// filledStart reads a start of the same item several times: {fill: 0, times: 64}.
func filledStart(b *fielder, v *node, f *sheet.Field) {
	fill, times := v.get("fill"), v.num("times")
	if fill == nil || len(v.entries) != 2 || times < 1 || times > int64(f.Most) {
		b.fail(v, "wrong-type", fmt.Sprintf("fill and times, as in {fill: 0, times: 64}, of at most %d", f.Most),
			"a start that fills a list")
		return
	}
	if text, ok := b.startItem(fill, f); ok {
		f.Start.S = sheet.ListOf(slices.Repeat([]string{text}, int(times)), f.Item == sheet.Text)
	}
}

func (b *fielder) startItem(x *node, f *sheet.Field) (string, bool) {
	switch {
	case x.kind != scalarNode:
	case f.Item == sheet.Integer && x.plain == 'i':
		n := b.amount(x, sheet.Integer)
		if f.Clamp(n) != n {
			b.fail(x, "out-of-range", "a value within min and max", "the item %s", x.shown())
		}
		return strconv.FormatInt(n, 10), true
	case f.Item == sheet.Choice && slices.Contains(f.Choices, x.text):
		return strconv.Itoa(slices.Index(f.Choices, x.text)), true
	case f.Item == sheet.Text && x.plain == 's' && utf8.RuneCountInString(x.text) <= itemTextMost:
		return x.text, true
	}
	p := b.fail(x, "wrong-type", "an item of the list's type", "%s", x.shown())
	if f.Item == sheet.Choice {
		p.Nearest = Nearest(x.text, f.Choices)
	}
	return "", false
}

// addSize adds the field that tells everyone how many items a list has that not everyone sees.
func (b *fielder) addSize(k sheet.Kind, e entry, f *sheet.Field) {
	if f.Type != sheet.List || f.See == sheet.Everyone {
		return
	}
	size := sheet.Field{Name: f.Name + "_size", Type: sheet.Integer, BuiltIn: true}
	size.Start.N[0] = sheet.CountItems(f.Start.S)
	added, err := b.book.Schema.Add(k, size)
	if err != nil {
		b.failEntry(e, "taken", "%s", err)
		return
	}
	f.Size = added
}

// listPath binds the list that an effect works on.
func (b *doer) listPath(n *node, key string, scope expr.Scope) *expr.Path {
	p := b.path(n, key, scope)
	if p != nil && p.Field.Type != sheet.List {
		b.fail(n.get(key), "wrong-type", "a field that is a list", "%s is of type %s", n.get(key).text, p.Field.Type)
		return nil
	}
	return p
}

func effectPut(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	if e.Path = b.listPath(n, "put", scope); e.Path == nil {
		return
	}
	if x := b.need(n, "item", "put"); x != nil {
		e.Value = b.compile(x, scope, expr.Want{Field: item(e.Path.Field)})
	}
	e.Where = b.where(n)
}

// where reads which end of a list is meant; the last if nothing is said of a put, the first of a take.
func (b *doer) where(n *node) Where {
	if v := n.get("where"); v != nil {
		return whereWords.named(v.text)
	}
	return WhereUsual
}

func effectTake(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	if e.Path = b.listPath(n, "take", scope); e.Path == nil {
		return
	}
	b.uses.mark(e.Path.Kind, e.Path.Field)
	ways := 0
	for _, key := range []string{"item", "nth", "where"} {
		if n.get(key) != nil {
			ways++
		}
	}
	if ways > 1 {
		b.fail(n, "one-of", "one of item, nth and where", "several keys say which item is meant")
	}
	if x := n.get("item"); x != nil {
		e.Value = b.compile(x, scope, expr.Want{Field: item(e.Path.Field)})
	}
	e.Nth, e.Many = b.expr(n, "nth", scope, wantMillis), b.expr(n, "many", scope, wantMillis)
	if many := n.get("many"); many != nil && (n.get("item") != nil || n.get("nth") != nil) {
		b.fail(many, "not-here", "where, or nothing", "one item is taken")
	}
	e.Where = b.where(n)
	into := n.get("into")
	if into == nil {
		return
	}
	if e.Into = b.path(n, "into", scope); e.Into == nil {
		return
	}
	to, from := e.Into.Field, e.Path.Field
	got := to.Type
	if got == sheet.List {
		got = to.Item
	}
	if got != from.Item || got == sheet.Ref && to.Of != from.Of ||
		got == sheet.Choice && !slices.Equal(to.Choices, from.Choices) {
		b.fail(into, "wrong-type", "a field, or a list, of what is taken", "%s does not hold what %s does", into.text,
			n.get("take").text)
	}
}

func effectShuffle(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Path = b.listPath(n, "shuffle", scope)
}

func effectEmpty(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Path = b.listPath(n, "empty", scope)
}

// wholeOf binds what a list is set to.
func wholeOf(b *terms, n *node, f *sheet.Field, scope expr.Scope) *expr.Whole {
	src := n.text
	if n.kind == listNode { // written as YAML has it
		var items []string
		for _, x := range n.items {
			if f.Item == sheet.Choice && slices.Contains(f.Choices, x.text) {
				x.text = strconv.Quote(x.text)
			}
			items = append(items, x.text)
		}
		src = "[" + strings.Join(items, ", ") + "]"
	}
	if !b.room(n) {
		return nil
	}
	w, issues := b.checker.CompileWhole(src, scope, f)
	b.report(n, issues)
	if w != nil {
		used(b, &w.Reads, w.Vars)
	}
	return w
}
