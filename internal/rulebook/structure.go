package rulebook

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// structure checks a document against the grammar and writes the defaults of
// keys that are not there into it.
type structure struct {
	problems Problems
}

func (s *structure) fail(n *node, code, wanted, format string, args ...any) {
	s.failAt(n.line, n.col, n.path, code, wanted, format, args...)
}

func (s *structure) failAt(line, col int, at, code, wanted, format string, args ...any) {
	s.problems = append(s.problems, Problem{Severity: Error, Code: code, Line: line, Column: col, At: at,
		Message: fmt.Sprintf(format, args...), Wanted: wanted})
}

func (s *structure) check(n *node, sp *spec) {
	switch sp.shape {
	case anObject:
		if s.isKind(n, mapNode, sp) {
			s.object(n, sp.object)
		}
	case aMap:
		if s.isKind(n, mapNode, sp) {
			s.mapping(n, sp)
		}
	case aList:
		if s.isKind(n, listNode, sp) {
			if int64(len(n.items)) > sp.max {
				s.fail(n, "too-many", "", "%d entries, at most %d are allowed", len(n.items), sp.max)
			}
			for _, item := range n.items {
				s.check(item, sp.elem)
			}
		}
	case aPoint:
		if s.isKind(n, listNode, sp) {
			if len(n.items) != 2 {
				s.fail(n, "wrong-type", "two lengths, as in [5m, 20m]", "a point with %d numbers", len(n.items))
			}
			for _, item := range n.items {
				s.check(item, &spec{shape: aLength, max: sp.max})
			}
		}
	case anything:
	default:
		if s.isKind(n, scalarNode, sp) {
			s.scalar(n, sp)
		}
	}
}

// describe says what a spec asks for, in words.
func (sp *spec) describe() string {
	switch sp.shape {
	case anObject:
		return "a map with keys such as " + strings.Join(sp.object.names()[:min(4, len(sp.object.keys))], ", ")
	case aMap:
		return "a map from names to " + sp.elem.noun() + "s"
	case aList:
		return "a list of " + sp.elem.noun() + "s"
	case aWord:
		return "one of " + strings.Join(sp.words, ", ")
	case aName:
		return "a name: a lower-case letter, then letters, digits or _, at most 32 in all"
	case aText:
		return fmt.Sprintf("a text of at most %d characters", sp.max)
	case anInt:
		return fmt.Sprintf("an integer from %d to %d", sp.min, sp.max)
	case aFlag:
		return "true or false"
	case aDuration:
		return fmt.Sprintf("a duration from %s to %s, such as 90s, 1m30s or 250ms", showDuration(sp.min), showDuration(sp.max))
	case aLength:
		return fmt.Sprintf("a length from %s to %s, such as 12m or 500mm", showLength(sp.min), showLength(sp.max))
	case aPoint:
		return "a point, as in [5m, 20m]"
	case anExpr:
		return "an expression"
	case aPath:
		return "a field, such as me.points"
	case aTime:
		return "a duration such as 90s, or an expression that gives milliseconds"
	}
	return "a single value"
}

func (sp *spec) noun() string {
	if sp.shape == anObject {
		return sp.object.name
	}
	return map[shape]string{aName: "name", anExpr: "expression", aPoint: "point", aLength: "length", aWord: "word"}[sp.shape]
}

var kindWords = map[nodeKind]string{scalarNode: "a single value", mapNode: "a map", listNode: "a list"}

func (s *structure) isKind(n *node, want nodeKind, sp *spec) bool {
	if n.kind == want && !(n.kind == scalarNode && n.plain == 'n') {
		return true
	}
	if n.plain == 'n' && n.kind == scalarNode {
		if sp.shape == anObject && len(sp.object.oneOf) == 0 { // "play:" alone is a phase with nothing but defaults
			n.kind = mapNode
			return true
		}
		s.fail(n, "wrong-type", sp.describe(), "nothing is written here")
		return false
	}
	s.fail(n, "wrong-type", sp.describe(), "%s", kindWords[n.kind])
	return false
}

func (s *structure) object(n *node, o *object) {
	for _, e := range n.entries {
		k := o.key(e.key)
		if k == nil {
			s.problems = append(s.problems, Problem{Severity: Error, Code: "unknown-key", Line: e.line, Column: e.col, At: n.path,
				Message: fmt.Sprintf("a %s has no key %q", o.name, e.key), Wanted: "one of " + strings.Join(o.names(), ", "), Nearest: Nearest(e.key, o.names())})
			continue
		}
		s.check(e.value, &k.spec)
	}
	if len(o.oneOf) > 0 {
		s.oneOf(n, o)
	}
	for i := range o.keys {
		k := &o.keys[i]
		if n.get(k.name) != nil {
			continue
		}
		if k.required {
			s.fail(n, "missing-key", "", "a %s needs the key %q (%s)", o.name, k.name, k.spec.describe())
		} else if k.def != "" {
			n.entries = append(n.entries, entry{k.name, n.line, n.col, implied(n, k)})
		}
	}
}

func implied(n *node, k *key) *node {
	plain := byte('s')
	switch k.spec.shape {
	case anInt:
		plain = 'i'
	case aFlag:
		plain = 'b'
	}
	return &node{line: n.line, col: n.col, path: strings.TrimPrefix(n.path+"."+k.name, "."), text: k.def, plain: plain, implied: true}
}

func (s *structure) oneOf(n *node, o *object) {
	var found []string
	for _, k := range o.oneOf {
		if n.get(k) != nil {
			found = append(found, k)
		}
	}
	if len(found) == 1 {
		return
	}
	what := "none"
	if len(found) > 1 {
		what = strings.Join(found, " and ")
	}
	s.fail(n, "one-of", "exactly one of "+strings.Join(o.oneOf, ", "), "a %s with %s of the keys that say what it is", o.name, what)
}

func (s *structure) mapping(n *node, sp *spec) {
	if int64(len(n.entries)) > sp.max {
		s.fail(n, "too-many", "", "%d entries, at most %d are allowed", len(n.entries), sp.max)
	}
	for _, e := range n.entries {
		if !nameForm.MatchString(e.key) {
			s.failAt(e.line, e.col, n.path, "bad-name", (&spec{shape: aName}).describe(), "%q", e.key)
		}
		s.check(e.value, sp.elem)
	}
}

func (s *structure) scalar(n *node, sp *spec) {
	bad := func(code string) { s.fail(n, code, sp.describe(), "%s", n.shown()) }
	switch sp.shape {
	case aWord:
		if !slices.Contains(sp.words, n.text) {
			bad("unknown-word")
			s.problems[len(s.problems)-1].Nearest = Nearest(n.text, sp.words)
		}
	case aName:
		if !nameForm.MatchString(n.text) || n.plain != 's' {
			bad("bad-name")
		}
	case aText:
		if int64(utf8.RuneCountInString(n.text)) > sp.max {
			bad("too-long")
		} else if n.plain != 's' {
			bad("wrong-type")
		}
	case anInt:
		if v, err := strconv.ParseInt(n.text, 10, 64); err != nil || n.plain != 'i' {
			bad("wrong-type")
		} else if v < sp.min || v > sp.max {
			bad("out-of-range")
		}
	case aFlag:
		if n.plain != 'b' {
			bad("wrong-type")
		}
	case aDuration, aLength:
		parse := parseDuration
		if sp.shape == aLength {
			parse = parseLength
		}
		if v, ok := parse(n.text); !ok || (n.plain != 's' && !(n.plain == 'i' && sp.shape == aLength)) {
			bad("wrong-type")
		} else if v < sp.min || v > sp.max {
			bad("out-of-range")
		}
	case anExpr, aPath, aTime:
		if strings.TrimSpace(n.text) == "" {
			bad("wrong-type")
		}
	}
}

// shown is the scalar as a message quotes it, cut where it is long.
func (n *node) shown() string {
	t := n.text
	if utf8.RuneCountInString(t) > 60 {
		t = string([]rune(t)[:60]) + "…"
	}
	if n.plain == 's' {
		return strconv.Quote(t)
	}
	return t
}
