package rulebook

import (
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/sheet"
)

// countsType is the type of a field that holds a number for each of its words.
const countsType = "counts"

// countsMost is the most words of counts.
const countsMost = 256

// expandCounts writes each field of type counts as the integers that it stands for, one for each of its words.
func expandCounts(b *document) {
	sheets := b.top.get("sheets")
	for _, k := range []sheet.Kind{sheet.Lobby, sheet.Match, sheet.Team, sheet.Player} {
		countsIn(b, k, sheets.get(k.String()))
	}
	countsIn(b, sheet.Record, b.game.get("record"))
	countsIn(b, sheet.Record, b.top.get("record"))
}

func countsIn(b *document, k sheet.Kind, n *node) {
	if n == nil {
		return
	}
	var out []entry
	for _, e := range n.entries {
		if e.value.is("type", countsType) {
			out = append(out, countFields(b, k, e)...)
		} else {
			out = append(out, e)
		}
	}
	n.entries = out
}

// countFields makes the fields of counts.
func countFields(b *document, k sheet.Kind, e entry) (out []entry) {
	n, m := e.value, maker{e.value}
	for _, key := range []string{"is", "value"} {
		if v := n.get(key); v != nil {
			b.fail(v, "not-here", "effects that set it, word by word", "counts do not follow from an expression")
		}
	}
	var words []string
	for _, w := range n.list("words") {
		if slices.Contains(words, w.text) {
			b.fail(w, "taken", "each word once", "%s", w.shown())
			continue
		}
		words = append(words, w.text)
	}
	if len(words) == 0 {
		b.fail(n, "missing-key", "words: [gold, wood]", "counts need the words that they count")
	}
	start := n.get("start")
	if start != nil && start.kind == mapNode {
		for _, s := range start.entries {
			if !slices.Contains(words, s.key) {
				b.failEntry(s, "unknown-word", "%s counts no %q", e.key, s.key)
			}
		}
	}
	if len(words) > 0 {
		b.book.Schema.AddCounts(k, e.key, words)
	}
	for _, w := range words {
		f := &node{kind: mapNode, line: n.line, col: n.col, path: n.path}
		for _, part := range n.entries {
			switch part.key {
			case "type":
				part.value = m.text("integer")
			case "title":
				part.value = m.text("%s%s (%s)", strings.ToUpper(w[:1]), strings.ReplaceAll(w[1:], "_", " "),
					part.value.text)
			case "words", "is", "value":
				continue
			case "start":
				if part.value = start; start.kind == mapNode {
					part.value = start.get(w)
				}
			case "was":
				was := m.list()
				for _, old := range part.value.items {
					was.items = append(was.items, m.text("%s_%s", old.text, w))
				}
				part.value = was
			}
			if part.value != nil {
				f.entries = append(f.entries, part)
			}
		}
		out = append(out, entry{e.key + "_" + w, e.line, e.col, f})
	}
	return out
}
