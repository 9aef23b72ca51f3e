package rulebook

import (
	"bytes"
	"strconv"
	"strings"
)

// Ablation is a rulebook without one of its keys.
type Ablation struct {
	Place  string // the object and the key, as Meanings names them
	Source []byte
}

// Without returns a rulebook in one form, however it was written, and what is left of it without each of its keys.
func Without(src []byte) (whole []byte, without []Ablation) {
	docs, _ := readDocuments(src)
	all := func() []byte {
		var parts [][]byte
		for _, d := range docs {
			parts = append(parts, written(d))
		}
		return bytes.Join(parts, []byte("\n---\n"))
	}
	note := func(o *object, n *node, i int) {
		e := n.entries[i]
		name := o.name
		if o == effectObject {
			name = effectNamed(n)
		}
		n.entries = append(append([]entry{}, n.entries[:i]...), n.entries[i+1:]...)
		without = append(without, Ablation{name + "." + e.key, all()})
		n.entries = append(append(append([]entry{}, n.entries[:i]...), e), n.entries[i:]...)
	}
	effect := func(of *node, i int) { // the whole of it
		item, name := of.items[i], effectNamed(of.items[i])
		of.items = append(append([]*node{}, of.items[:i]...), of.items[i+1:]...)
		without = append(without, Ablation{name + "." + strings.TrimPrefix(name, "effect "), all()})
		of.items = append(append(append([]*node{}, of.items[:i]...), item), of.items[i:]...)
	}
	for i, d := range docs {
		form := topObject
		switch {
		case d.get("series") != nil:
			form = seriesObject
		case d.get("game") != nil && d.get("phases") == nil:
			form = gameObject
		case i > 0:
			form = arenaFile
		}
		eachKey(d, &spec{shape: anObject, object: form}, note, effect)
	}
	return all(), without
}

// effectNamed is the object that Meanings gives an effect.
func effectNamed(n *node) string {
	for i := range effectDecls {
		if d := &effectDecls[i]; n.get(d.key.name) != nil {
			return "effect " + d.key.name
		}
	}
	return "effect"
}

// eachKey goes through the keys of a document that are of an object.
func eachKey(n *node, s *spec, note func(o *object, n *node, i int), effect func(of *node, i int)) {
	switch s.shape {
	case aMap:
		for i := range n.entries {
			eachKey(n.entries[i].value, s.elem, note, effect)
		}
	case anObject:
		for i := 0; i < len(n.entries); i++ {
			k := s.object.key(n.entries[i].key)
			if k == nil {
				continue
			}
			if s.object != effectObject || "effect "+n.entries[i].key != effectNamed(n) {
				note(s.object, n, i)
			}
			sp := &k.spec
			if sp.shape == anything {
				sp = &effects
			}
			eachKey(n.entries[i].value, sp, note, effect)
		}
	}
	for i, item := range n.items {
		if s.elem != nil && s.elem.shape == anObject && s.elem.object == effectObject {
			effect(n, i)
		}
		if s.elem != nil {
			eachKey(item, s.elem, note, effect)
		}
	}
}

// written is a document as JSON.
func written(n *node) []byte {
	var b bytes.Buffer
	var write func(n *node)
	write = func(n *node) {
		switch n.kind {
		case mapNode:
			b.WriteByte('{')
			for i, e := range n.entries {
				if i > 0 {
					b.WriteString(", ")
				}
				b.WriteString(strconv.Quote(e.key) + ": ")
				write(e.value)
			}
			b.WriteByte('}')
		case listNode:
			b.WriteByte('[')
			for i, item := range n.items {
				if i > 0 {
					b.WriteString(", ")
				}
				write(item)
			}
			b.WriteByte(']')
		default:
			switch {
			case n.plain == 'n':
				b.WriteString("null")
			case n.plain == 's':
				b.WriteString(strconv.Quote(n.text))
			default:
				b.WriteString(n.text)
			}
		}
	}
	write(n)
	return b.Bytes()
}
