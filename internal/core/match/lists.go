package match

import (
	"slices"
	"strconv"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// setItems writes a list.
func (m *values) setItems(r *sheet.Row, f *sheet.Field, items []string) {
	m.st.Set(r, f, sheet.Value{Type: sheet.List, S: sheet.ListOf(items, f.Item == sheet.Text)})
}

// itemIn evaluates an item as it stands in a list.
func (m *values) itemIn(e *rulebook.Effect, f *sheet.Field) (string, bool) {
	m.env.Fault = expr.OK
	v := e.Value.Value(&m.env, f.Item)
	if m.faulty(e.Line); m.env.Fault != expr.OK {
		return "", false
	}
	if f.Item == sheet.Text {
		return sheet.Cut(v.S, maxItemText), true
	}
	return strconv.FormatInt(f.Clamp(v.N[0]), 10), true
}

// maxItemText is the most characters of a text in a list.
const maxItemText = 200

// setList carries out the effect that sets a list, or the item at one of its places.
func (m *values) setList(e *rulebook.Effect, r *sheet.Row, f *sheet.Field) {
	if e.Whole != nil {
		items := sheet.Items(e.Whole.Value(&m.env))
		if m.faulty(e.Line); m.env.Fault != expr.OK {
			return
		}
		if f.Item == sheet.Ref { // nobody stands in no list
			items = slices.DeleteFunc(items, func(item string) bool { return item == "0" })
		}
		items = items[:min(len(items), f.Most)]
		for i, item := range items {
			items[i] = m.asItem(f, item)
		}
		m.setItems(r, f, items)
		return
	}
	items := sheet.Items(r.Text(f))
	at := m.itemAt(e, f, items)
	if item, ok := m.itemIn(e, f); ok && at >= 0 && at < len(items) {
		items[at] = item
		m.setItems(r, f, items)
	}
}

// asItem is an item as a list may hold it.
func (m *values) asItem(f *sheet.Field, item string) string {
	switch {
	case f.Item == sheet.Text:
		return sheet.Cut(item, maxItemText)
	case f.Bounded:
		n, _ := sheet.NextItem(item)
		return strconv.FormatInt(f.Clamp(n), 10)
	}
	return item
}

// putItem carries out the effect that puts an item into a list.
func (m *values) putItem(e *rulebook.Effect) {
	r, f := e.Path.At(&m.env)
	if r.ID == 0 {
		return
	}
	item, ok := m.itemIn(e, f)
	items := sheet.Items(r.Text(f))
	if !ok || len(items) >= f.Most || f.Item == sheet.Ref && item == "0" {
		return
	}
	at := len(items)
	switch e.Where {
	case rulebook.WhereFirst:
		at = 0
	case rulebook.WhereRandom:
		at = drawHere(m.stage, lots.Put).IntN(len(items) + 1)
	}
	m.setItems(r, f, slices.Insert(items, at, item))
}

// takeItems carries out the effect that takes items from a list.
func (m *values) takeItems(e *rulebook.Effect) {
	r, f := e.Path.At(&m.env)
	if r.ID == 0 {
		return
	}
	many := int64(1)
	if e.Many != nil {
		many = min(e.Many.Int(&m.env), sheet.MaxItems)
	}
	for ; many > 0; many-- {
		if !m.takeItem(e, r, f) {
			return
		}
	}
}

// takeItem takes one item, and tells whether it did.
func (m *values) takeItem(e *rulebook.Effect, r *sheet.Row, f *sheet.Field) bool {
	items := sheet.Items(r.Text(f))
	at := m.itemAt(e, f, items)
	if at < 0 || at >= len(items) {
		return false
	}
	item := items[at]
	if e.Into == nil {
		m.setItems(r, f, slices.Delete(items, at, at+1))
		return true
	}
	to, g := e.Into.At(&m.env)
	switch {
	case to.ID == 0:
		return false
	case g.Type != sheet.List:
		m.setItems(r, f, slices.Delete(items, at, at+1))
		m.setFromItem(to, g, item)
		return true
	case to == r && f == g: // to the end of the same list
		m.setItems(r, f, append(slices.Delete(items, at, at+1), item))
		return true
	}
	there := sheet.Items(to.Text(g))
	if len(there) >= g.Most {
		return false
	}
	m.setItems(r, f, slices.Delete(items, at, at+1))
	m.setItems(to, g, append(there, item))
	return true
}

// setFromItem writes a field with an item of a list.
func (m *values) setFromItem(r *sheet.Row, f *sheet.Field, item string) {
	if f.Type == sheet.Text {
		m.st.SetText(r, f, sheet.Cut(item, int(f.Max)))
		return
	}
	n, _ := sheet.NextItem(item)
	m.st.SetInt(r, f, n)
}

// itemAt is the place of the item that a take means; -1 for none.
func (m *values) itemAt(e *rulebook.Effect, f *sheet.Field, items []string) int {
	switch {
	case e.Nth != nil:
		return int(min(e.Nth.Int(&m.env), sheet.MaxItems+1)) - 1
	case e.Value != nil:
		item, ok := m.itemIn(e, f)
		if !ok {
			return -1
		}
		return slices.Index(items, item)
	case e.Where == rulebook.WhereLast:
		return len(items) - 1
	case e.Where == rulebook.WhereRandom && len(items) > 0:
		return drawHere(m.stage, lots.Take).IntN(len(items))
	}
	return 0
}

// shuffleList carries out the effect that shuffles a list.
func (m *values) shuffleList(e *rulebook.Effect) {
	r, f := e.Path.At(&m.env)
	if r.ID == 0 {
		return
	}
	items := sheet.Items(r.Text(f))
	drawHere(m.stage, lots.Shuffle).Shuffle(len(items), func(i, k int) { items[i], items[k] = items[k], items[i] })
	m.setItems(r, f, items)
}

// emptyList carries out the effect that takes everything out of a list.
func (m *values) emptyList(e *rulebook.Effect) {
	if r, f := e.Path.At(&m.env); r.ID != 0 {
		m.setItems(r, f, nil)
	}
}
