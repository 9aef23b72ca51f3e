package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// noticeWords are those who get a notice without being players or teams.
var noticeWords = []string{sheet.Everyone.String(), sheet.RefereesOnly.String()}

func effectNotice(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.To = sheet.Everyone
	switch to := n.get("to"); {
	case to == nil || to.text == sheet.Everyone.String():
	case to.text == sheet.RefereesOnly.String():
		e.To = sheet.RefereesOnly
	case to.text == sheet.OwnerOnly.String():
		b.fail(to, "unknown-word", "me"+rewriting, "%s", to.shown())
	default:
		if e.Who = whoOf(b.terms, to, scope, sheet.Player, sheet.Team); e.Who != nil {
			e.To = map[sheet.Kind]sheet.Audience{sheet.Player: sheet.OwnerOnly, sheet.Team: sheet.TeamOnly}[e.Who.Kind]
		}
	}
	b.noticeFields(n, v, scope, e)
	if e.Notice != nil && n.is("needed", "true") {
		e.Notice.Needed = true
	}
}

// noticeFields compiles what a notice says. Every place that sends a notice of one name says the same things, with the
// same types.
func (b *doer) noticeFields(n, v *node, scope expr.Scope, e *Effect) {
	schema := &sheet.Schema{Deep: b.book.Schema.Deep}
	for _, w := range n.fields("with") {
		p := handedOn(b.terms, w.value, scope, b.loose(w.value, scope))
		if p == nil {
			return
		}
		e.Wrote = e.Wrote || p.Wrote != ""
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

// Notice is something that effects tell an audience once. Fields are what it says, in order; their values travel like
// fields of a sheet.
type Notice struct {
	No     int
	Name   string
	Fields []*sheet.Field
	Needed bool // never left out for a client that has fallen behind
}
