package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

func effectNotice(b *binder, n, v *node, scope expr.Scope, e *Effect) {
	e.To = sheet.Everyone
	if to := n.get("to"); to != nil {
		a, ok := sheet.AudienceNamed(to.text)
		if !ok || a == sheet.Hidden {
			wanted := "one of everyone, team, owner, referees"
			if slices.Contains([]string{"me", "target", "it"}, to.text) {
				wanted += "; to tell one player alone, write to: owner, of: " + to.text
			}
			b.fail(to, "unknown-word", wanted, "%s", to.shown())
		}
		e.To = a
	}
	if e.To == sheet.TeamOnly || e.To == sheet.OwnerOnly || n.get("of") != nil {
		e.Who = b.playerOr(n, "of", scope)
	}
	b.noticeFields(n, v, scope, e)
	if e.Notice != nil && n.is("needed", "true") {
		e.Notice.Needed = true
	}
}

// noticeFields compiles what a notice says. Every place that sends a notice of one name says the same things, with the
// same types.
func (b *binder) noticeFields(n, v *node, scope expr.Scope, e *Effect) {
	schema := &sheet.Schema{}
	for _, w := range n.fields("with") {
		p := b.compile(w.value, scope, b.loose(w.value, scope))
		if p == nil {
			return
		}
		schema.Add(sheet.Match,
			sheet.Field{Name: w.key, Type: p.Type.Of, Of: p.Type.Kind}) // names of a map are not written twice
		e.With = append(e.With, p)
	}
	fields := schema.Fields(sheet.Match)
	for _, known := range b.book.Notices {
		if known.Name != v.text {
			continue
		}
		same := slices.EqualFunc(known.Fields, fields,
			func(a, c *sheet.Field) bool { return a.Name == c.Name && a.Type == c.Type && a.Of == c.Of })
		if !same {
			b.fail(v, "notice-differs", "the same names, types and order everywhere",
				"the notice %q says other things elsewhere", v.text)
		}
		e.Notice = known
		return
	}
	if slices.ContainsFunc(OwnNotices, func(o *Notice) bool { return o.Name == v.text }) {
		b.fail(v, "taken", "", "the notice %s is sent by the service itself", v.text)
	}
	e.Notice = &Notice{No: len(b.book.Notices), Name: v.text, Fields: fields}
	b.book.Notices = append(b.book.Notices, e.Notice)
}
