package rulebook

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/core/sheet"
)

// structure checks a document against the grammar and writes the defaults of keys that are not there into it. What does
// not fit is reported and taken out of the document, so that the rest can be looked at too.
type structure struct {
	problems Problems
	deep     bool            // points are three lengths
	pruned   map[string]bool // names of what was taken out: uses of them are not reported again
}

func (s *structure) fail(n *node, code, wanted, format string, args ...any) {
	s.failAt(n.line, n.col, n.path, code, wanted, format, args...)
}

func (s *structure) failAt(line, col int, at, code, wanted, format string, args ...any) {
	s.problems = append(s.problems, Problem{Severity: Error, Code: code, Line: line, Column: col, At: at,
		Message: fmt.Sprintf(format, args...), Wanted: wanted})
}

// check tells whether what is left of a value fits.
func (s *structure) check(n *node, sp *spec) bool {
	switch sp.shape {
	case anObject:
		return s.isKind(n, mapNode, sp) && s.object(n, sp.object)
	case aMap:
		return s.isKind(n, mapNode, sp) && s.mapping(n, sp)
	case aList:
		return s.isKind(n, listNode, sp) && s.list(n, sp)
	case aPoint:
		if !s.isKind(n, listNode, sp) {
			return false
		}
		want, such := 2, "two lengths, as in [5m, 20m]"
		if s.deep {
			want, such = 3, "three lengths, as in [5m, 20m, 0m]: this ground is tall"
		}
		if len(n.items) != want {
			s.fail(n, "wrong-type", such, "a point with %d numbers", len(n.items))
			return false
		}
		length := &spec{shape: aLength, max: sp.max}
		return !slices.ContainsFunc(n.items, func(x *node) bool { return !s.check(x, length) })
	case anything:
		return true
	case aParameter:
		if n.kind == listNode {
			return s.check(n, &spec{shape: aList, elem: &name, max: sp.max})
		}
		return s.isKind(n, scalarNode, sp) && s.scalar(n, &spec{shape: aWord, words: sp.words})
	case anExpr:
		if sp.listed && n.kind == listNode {
			return s.check(n, &spec{shape: aList, elem: &spec{shape: aScalar}, max: sheet.MaxItems})
		}
	}
	return s.isKind(n, scalarNode, sp) && s.scalar(n, sp)
}

func (s *structure) list(n *node, sp *spec) bool {
	if int64(len(n.items)) > sp.max {
		s.fail(n, "too-many", "", "%d entries, at most %d are allowed", len(n.items), sp.max)
		return false
	}
	fitting := n.items[:0]
	for _, item := range n.items {
		if s.check(item, sp.elem) {
			fitting = append(fitting, item)
		}
	}
	whole := len(fitting) == len(n.items)
	n.items = fitting
	return whole || sp.elem.shape == anObject // a list of single values is right only as a whole
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
	case aParameter:
		return "one of " + strings.Join(sp.words, ", ") + ", or the words of a choice, as in [calm, cross]"
	case aFlag:
		return "true or false"
	case aDuration:
		return fmt.Sprintf("a duration from %s to %s, such as 90s, 1m30s or 250ms", showDuration(sp.min),
			showDuration(sp.max))
	case aLength:
		return fmt.Sprintf("a length from %s to %s, such as 12m or 500mm", showLength(sp.min), showLength(sp.max))
	case aPoint:
		return "a point, as in [5m, 20m]"
	case anExpr:
		return "an expression"
	case aPath:
		return "a field, such as me.points"
	case aTime:
		return "a duration such as 90s, of at most " + showDuration(sp.max) + ", or an expression of one"
	case aSpeed:
		return "a speed such as 4m/s, of at most " + showLength(sp.max) + "/s, or an expression of one"
	case aSpan:
		return "a length such as 12m, of at most " + showLength(sp.max) + ", or an expression of one"
	}
	return "a single value"
}

func (sp *spec) noun() string {
	if sp.shape == anObject {
		return sp.object.name
	}
	return map[shape]string{aName: "name", anExpr: "expression", aPoint: "point", aLength: "length",
		aWord: "word"}[sp.shape]
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

func (s *structure) object(n *node, o *object) bool {
	fits := true
	fitting := n.entries[:0]
	strange := false
	for _, e := range n.entries {
		k := o.key(e.key)
		if k == nil && len(s.problems) > maxProblems { // more are not shown
			continue
		}
		if k == nil {
			strange = true
			s.prune(e)
			if near := Nearest(e.key, o.names()); near != "" && n.get(near) == nil { // it is meant, and so not there
				s.prune(entry{key: near, value: e.value})
			}
			s.problems = append(s.problems, Problem{Severity: Error, Code: "unknown-key", Line: e.line, Column: e.col,
				At: n.path, Message: fmt.Sprintf("%s has no key %q", o.article(), e.key), Wanted: wantedKey(e.key, o),
				Nearest: Nearest(e.key, o.names())})
			p := &s.problems[len(s.problems)-1]
			if hint := olderHint(n.path, e.key, ""); hint != "" {
				p.Wanted, p.Nearest = hint, ""
			} else if now := renamed[o.name+"."+e.key]; now != "" {
				p.Wanted, p.Nearest, p.swap = now+rewriting, "", swap{e.key, now}
			} else if o == effectObject && e.key == "of" && n.get("notice") != nil {
				p.Wanted, p.Nearest = "to: "+e.value.text+", without of"+rewriting, ""
			} else if strings.ContainsAny(e.key, `()[]'"`) {
				p.Wanted, p.Nearest = "quotes around the expression before it: it stands behind a comma of that", ""
			}
			continue
		}
		if !s.check(e.value, &k.spec) {
			fits = fits && !k.required && !slices.Contains(o.oneOf, k.name)
			s.prune(e)
			if !k.required && !slices.Contains(o.oneOf, k.name) {
				continue
			}
		}
		fitting = append(fitting, e)
	}
	n.entries = fitting
	if len(o.oneOf) > 0 {
		fits = s.oneOf(n, o, strange) && fits
	}
	for i := range o.keys {
		k := &o.keys[i]
		if n.get(k.name) != nil {
			continue
		}
		if k.required && s.pruned[k.name] && strange {
			fits = false // it was reported under the name that it has
		} else if k.required {
			s.fail(n, "missing-key", "", "%s needs the key %q (%s)", o.article(), k.name, k.spec.describe())
			fits = false
		} else if k.def != "" {
			n.entries = append(n.entries, entry{k.name, n.line, n.col, implied(n, k)})
		}
	}
	return fits
}

func wantedKey(key string, o *object) string {
	if first, _, two := strings.Cut(key, " "); two && o.key(first) != nil {
		return "a colon and a space behind " + first
	}
	return "one of " + strings.Join(o.names(), ", ")
}

// prune remembers the names that stood in what is taken out.
func (s *structure) prune(e entry) {
	if s.pruned == nil {
		s.pruned = map[string]bool{}
	}
	s.pruned[e.key] = true
	for _, name := range followers[e.key] {
		s.pruned[name] = true
	}
	s.inside(e.value, 3)
}

// inside remembers the names within a value, so many levels deep.
func (s *structure) inside(n *node, levels int) {
	for _, e := range n.entries {
		s.pruned[e.key] = true
		if levels > 1 {
			s.inside(e.value, levels-1)
		}
	}
}

// followers are the names that are not there because of a key that was taken out.
var followers = map[string][]string{
	"aim": {"target"}, "at": {"target"}, "for": {"me", "team", "record"}, "on": {"me", "team", "record"},
	"takes": {"arg"}, "list": {"team"}, "number": {"team"},
}

// article is the object's name as a sentence begins with it.
func (o *object) article() string {
	if strings.HasSuffix(o.name, "s") {
		return "the part " + o.name
	}
	if strings.ContainsAny(o.name[:1], "aeiou") {
		return "an " + o.name
	}
	return "a " + o.name
}

func implied(n *node, k *key) *node {
	plain := byte('s')
	switch k.spec.shape {
	case anInt:
		plain = 'i'
	case aFlag:
		plain = 'b'
	}
	return &node{line: n.line, col: n.col, path: strings.TrimPrefix(n.path+"."+k.name, "."), text: k.def, plain: plain,
		implied: true}
}

// oneOf tells whether exactly one of the keys is there that say what an object is. With none, a strange key that was
// reported is reason enough.
func (s *structure) oneOf(n *node, o *object, strange bool) bool {
	var found []string
	for _, k := range o.oneOf {
		if n.get(k) != nil {
			found = append(found, k)
		}
	}
	if len(found) == 1 {
		return true
	}
	if len(found) == 0 && strange {
		return false
	}
	what := "none"
	if len(found) > 1 {
		what = strings.Join(found, " and ")
	}
	s.fail(n, "one-of", "exactly one of "+strings.Join(o.oneOf, ", "), "%s with %s of the keys that say what it is",
		o.article(), what)
	return false
}

func (s *structure) mapping(n *node, sp *spec) bool {
	if int64(len(n.entries)) > sp.max {
		s.fail(n, "too-many", "", "%d entries, at most %d are allowed", len(n.entries), sp.max)
		return false
	}
	fitting := n.entries[:0]
	for _, e := range n.entries {
		named := nameForm.MatchString(e.key) || sp.pattern != nil && sp.pattern.MatchString(e.key)
		if !named {
			s.failAt(e.line, e.col, n.path, "bad-name", (&spec{shape: aName}).describe(), "%q", e.key)
			if name, _, colon := strings.Cut(e.key, ":"); colon { // a space is missing
				s.prune(entry{key: name, value: e.value})
			}
		}
		if s.check(e.value, sp.elem) && named {
			fitting = append(fitting, e)
		} else {
			s.prune(e)
		}
	}
	n.entries = fitting
	return true
}

func (s *structure) scalar(n *node, sp *spec) bool {
	code := sp.misfit(n)
	if code == "" {
		return true
	}
	wanted, now := sp.describe(), ""
	switch {
	case code == "bad-name" && strings.Contains(n.text, " //"):
		wanted += "; a comment begins with #"
	case sp.shape == aDuration && n.plain == 'i' && code == "wrong-type":
		wanted += "; the unit is missing: write " + n.text + "s for seconds"
	case sp.shape == aLength && n.plain == 'i' && code == "wrong-type":
		now, wanted = n.text+"mm", wanted+"; the unit is missing: write "+n.text+"mm, or "+n.text+"m for metres"
	case sp.shape == aDuration && code == "wrong-type" && longUnit.MatchString(n.text):
		wanted += "; write " + longUnit.ReplaceAllStringFunc(n.text, shortUnit)
	case sp.shape == aWord && slices.Contains(sp.words, renamed[n.text]):
		now = renamed[n.text]
		wanted = now + rewriting
	case sp.shape == aFlag && slices.Contains([]string{"yes", "no", "on", "off"}, strings.ToLower(n.text)):
		wanted = "true or false, which are the words for it here"
	}
	section, key, _ := strings.Cut(n.path, ".")
	hint := olderHint(section, key, n.text)
	if hint != "" {
		wanted = hint
	}
	s.fail(n, code, wanted, "%s", n.shown())
	if now != "" {
		s.problems[len(s.problems)-1].swap = swap{n.text, now}
	}
	if sp.shape == aWord && hint == "" && now == "" {
		near := elsewhere[strings.ToLower(n.text)]
		if !slices.Contains(sp.words, near) {
			near = Nearest(n.text, sp.words)
		}
		s.problems[len(s.problems)-1].Nearest = near
	}
	return false
}

var longUnit = regexp.MustCompile(`^(\d+(?:\.\d+)?) *(ms|h|m|s)[a-z]*$`)

// shortUnit writes a duration with the letter of its unit, and nothing between.
func shortUnit(text string) string {
	found := longUnit.FindStringSubmatch(text)
	if strings.HasPrefix(found[2], "m") && strings.Contains(text, "milli") {
		return found[1] + "ms"
	}
	return found[1] + found[2]
}

// elsewhere are the words of other languages for types, and what stands for them here.
var elsewhere = map[string]string{
	"int": "integer", "float": "number", "double": "number", "bool": "flag", "boolean": "flag", "string": "text",
	"str": "text", "enum": "choice", "vector": "position", "point": "position", "timer": "clock", "stopwatch": "clock",
}

// misfit says what is wrong with a single value, or nothing.
func (sp *spec) misfit(n *node) string {
	switch sp.shape {
	case aWord:
		if !slices.Contains(sp.words, n.text) {
			return "unknown-word"
		}
	case aName:
		if !nameForm.MatchString(n.text) || n.plain != 's' {
			return "bad-name"
		}
	case aText:
		if int64(utf8.RuneCountInString(n.text)) > sp.max {
			return "too-long"
		}
		if n.plain != 's' {
			return "wrong-type"
		}
	case anInt:
		v, err := strconv.ParseInt(n.text, 10, 64)
		return sp.limits(v, err == nil && n.plain == 'i')
	case aFlag:
		if n.plain != 'b' {
			return "wrong-type"
		}
	case aDuration:
		v, ok := parseDuration(n.text)
		return sp.limits(v, ok && n.plain == 's')
	case aLength:
		v, ok := parseLength(n.text)
		return sp.limits(v, ok && (n.plain == 's' || n.plain == 'i'))
	case aTime:
		if ms, ok := parseDuration(n.text); ok && (ms > sp.max || ms < sp.min) {
			return "out-of-range"
		}
		fallthrough
	case aSpan, aSpeed:
		if mm, ok := parseLength(strings.TrimSuffix(n.text, "/s")); ok && mm > sp.max {
			return "out-of-range"
		}
		fallthrough
	case anExpr, aPath:
		if strings.TrimSpace(n.text) == "" {
			return "wrong-type"
		}
	}
	return ""
}

func (sp *spec) limits(v int64, ok bool) string {
	switch {
	case !ok:
		return "wrong-type"
	case v < sp.min || v > sp.max:
		return "out-of-range"
	}
	return ""
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
