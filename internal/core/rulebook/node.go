package rulebook

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"
)

// The limits of a rulebook document.
const (
	MaxBytes = 1 << 20 // of the whole document
	maxDepth = 32      // of lists and maps inside each other
	maxNodes = 20000   // values in the whole document
	maxKeys  = 1000    // of one map, before it is known what it is

	maxDocuments = 2 + maxArenas // a rulebook, its game and its arenas
)

type nodeKind uint8

const (
	scalarNode nodeKind = iota
	mapNode
	listNode
)

// node is one value of the document with its place.
type node struct {
	kind      nodeKind
	line, col int
	text      string // of a scalar
	plain     byte   // of a scalar: 's' text, 'i' integer, 'f' decimal, 'b' flag, 'n' nothing
	block     bool   // of a scalar: written over several lines
	quoted    bool   // of a scalar: between quotes
	entries   []entry
	items     []*node
	path      string
	implied   bool // not written: a default
}

type entry struct {
	key       string
	line, col int
	value     *node
}

// get returns the value of a key, or nil.
func (n *node) get(key string) *node {
	if n == nil {
		return nil
	}
	for i := range n.entries {
		if n.entries[i].key == key {
			return n.entries[i].value
		}
	}
	return nil
}

// is tells whether the scalar under key is the given word.
func (n *node) is(key, word string) bool {
	v := n.get(key)
	return v != nil && v.text == word
}

// The readers below trust the structure check: what is there fits its spec.

func (n *node) str(key string) string {
	if v := n.get(key); v != nil {
		return v.text
	}
	return ""
}

// titled is the title, or what stands for it where there is none.
func (n *node) titled(otherwise string) string {
	if t := n.str("title"); t != "" {
		return t
	}
	return otherwise
}

func (n *node) num(key string) int64 {
	v, _ := strconv.ParseInt(n.str(key), 10, 64)
	return v
}

func (n *node) on(key string) bool {
	on, _ := strconv.ParseBool(n.str(key))
	return on
}

func (n *node) millis(key string) int64 {
	ms, _ := parseDuration(n.str(key))
	return ms
}

func (n *node) span(key string) int64 {
	mm, _ := parseLength(n.str(key))
	return mm
}

func (n *node) list(key string) []*node {
	if v := n.get(key); v != nil {
		return v.items
	}
	return nil
}

func (n *node) fields(key string) []entry {
	if v := n.get(key); v != nil {
		return v.entries
	}
	return nil
}

// reader turns the YAML library's tree into nodes.
type reader struct {
	problems Problems
	count    int
}

func (r *reader) fail(line, col int, code, format string, args ...any) {
	if len(r.problems) > maxProblems { // more are not shown
		return
	}
	r.problems = append(r.problems, Problem{Severity: Error, Code: code, Line: max(line, 1), Column: max(col, 1),
		Message: fmt.Sprintf(format, args...)})
}

// readDocuments parses the YAML (or JSON) of a rulebook, and of the game behind it.
func readDocuments(src []byte) ([]*node, Problems) {
	r := &reader{}
	src = bytes.TrimPrefix(src, []byte("\xef\xbb\xbf")) // a byte order mark, as some editors write it
	if bad := screen(src); bad != nil {
		return nil, Problems{*bad}
	}
	tokens := lexer.Tokenize(string(src))
	if bad := crowded(tokens); bad != nil {
		return nil, Problems{*bad}
	}
	file, err := parser.Parse(tokens, 0)
	if err != nil {
		r.yamlError(err, src)
		return nil, r.problems
	}
	var docs []ast.Node
	for _, d := range file.Docs {
		if d.Body != nil {
			docs = append(docs, d.Body)
		}
	}
	switch n := len(docs); {
	case n == 0:
		r.fail(1, 1, "empty", "the document is empty; the smallest rulebook has the keys turnvex, name and phases")
		return nil, r.problems
	case n > maxDocuments:
		r.fail(docs[maxDocuments].GetToken().Position.Line, 1, "many-documents",
			"a rulebook, its arenas and its game are at most %d documents", maxDocuments)
		return nil, r.problems
	}
	var out []*node
	for _, d := range docs {
		out = append(out, r.read(d, "", 0))
	}
	return out, r.problems
}

// screen refuses what must not even be parsed: documents too large, not text, or nested so deep that parsing them would
// be costly.
func screen(src []byte) *Problem {
	bad := func(line int, code, format string, args ...any) *Problem {
		return &Problem{Severity: Error, Code: code, Line: line, Column: 1, Message: fmt.Sprintf(format, args...)}
	}
	if len(src) > MaxBytes {
		return bad(1, "too-large", "the document has %d bytes; at most %d are allowed", len(src), MaxBytes)
	}
	if !utf8.Valid(src) {
		return bad(1, "not-text", "the document is not UTF-8 text")
	}
	depth, line := 0, 1
	dashes, fresh, indent := 0, true, 0
	for _, c := range src {
		switch {
		case c == '\n':
			line++
			dashes, fresh, indent = 0, true, 0
		case c == '[' || c == '{':
			depth++
		case c == ']' || c == '}':
			depth = max(depth-1, 0)
		case fresh && (c == '-' || c == '?'):
			dashes++
		case fresh && c == ' ':
			indent++
		default:
			fresh = false
		}
		if depth > 4*maxDepth || dashes > maxDepth || indent > 16*maxDepth {
			return bad(line, "too-deep", "lists and maps stand inside each other more than %d deep", maxDepth)
		}
	}
	return nil
}

func (r *reader) yamlError(err error, src []byte) {
	var se *yaml.SyntaxError
	if errors.As(err, &se) {
		pos := &token.Position{Line: 1, Column: 1}
		if se.Token != nil {
			pos = se.Token.Position
		}
		code := "syntax"
		if strings.Contains(se.Message, "already defined") {
			code = "duplicate-key"
		}
		r.fail(pos.Line, pos.Column, code, "%s", plainYAML(se.Message, line(src, pos.Line), line(src, pos.Line-1)))
		return
	}
	r.fail(1, 1, "syntax", "%s", strings.SplitN(err.Error(), "\n", 2)[0])
}

func (r *reader) read(n ast.Node, path string, depth int) *node {
	out := &node{path: path}
	if t := n.GetToken(); t != nil && t.Position != nil {
		out.line, out.col = t.Position.Line, t.Position.Column
	}
	if r.count++; r.count == maxNodes+1 {
		r.fail(out.line, out.col, "too-many", "the document has more than %d values", maxNodes)
	}
	if r.count > maxNodes {
		return out
	}
	if depth > maxDepth {
		r.fail(out.line, out.col, "too-deep", "lists and maps stand inside each other more than %d deep", maxDepth)
		return out
	}
	switch v := n.(type) {
	case *ast.MappingNode:
		r.readMap(out, v.Values, depth)
	case *ast.MappingValueNode:
		r.readMap(out, []*ast.MappingValueNode{v}, depth)
	case *ast.SequenceNode:
		out.kind = listNode
		for i, item := range v.Values {
			out.items = append(out.items, r.read(item, fmt.Sprintf("%s[%d]", path, i+1), depth+1))
		}
	default:
		r.readScalar(out, n)
	}
	return out
}

func (r *reader) readMap(out *node, values []*ast.MappingValueNode, depth int) {
	out.kind = mapNode
	seen := map[string]bool{}
	for _, v := range values {
		kt := v.Key.GetToken()
		key := kt.Value
		if out.line == 0 || v == values[0] {
			out.line, out.col = kt.Position.Line, kt.Position.Column
		}
		if v.Key.IsMergeKey() {
			r.fail(kt.Position.Line, kt.Position.Column, "alias",
				"anchors, aliases and merge keys are not used in rulebooks; write the values out")
			continue
		}
		if seen[key] {
			r.fail(kt.Position.Line, kt.Position.Column, "duplicate-key", "the key %q stands here twice", key)
			continue
		}
		seen[key] = true
		path := key
		if out.path != "" {
			path = out.path + "." + key
		}
		child := r.read(v.Value, path, depth+1)
		if child.line == 0 {
			child.line, child.col = kt.Position.Line, kt.Position.Column
		}
		out.entries = append(out.entries, entry{key, kt.Position.Line, kt.Position.Column, child})
	}
}

// unseen tells whether a character steers what shows it, instead of being shown.
func unseen(r rune) bool {
	return unicode.IsControl(r) && r != '\n' && r != '\t' || unicode.Is(unicode.Bidi_Control, r)
}

// keyInside finds what looks like a key in a text without quotes, choices with ? and : aside.
var keyInside = regexp.MustCompile(`^[^?]* (\w+): `)

func (r *reader) readScalar(out *node, n ast.Node) {
	defer func() {
		if at := strings.IndexFunc(out.text, unseen); at >= 0 {
			char, _ := utf8.DecodeRuneInString(out.text[at:])
			r.fail(out.line, out.col, "not-text", "the text holds the character U+%04X", char)
		}
	}()
	switch v := n.(type) {
	case *ast.StringNode:
		out.text, out.plain = v.Value, 's'
		if v.Token.Type == token.SingleQuoteType || v.Token.Type == token.DoubleQuoteType {
			out.col, out.quoted = out.col+1, true // the text begins behind the quote
		} else if found := keyInside.FindStringSubmatch(v.Value); found != nil {
			r.fail(out.line, out.col, "syntax", "a comma is missing before %q, or the text stands in quotes",
				found[1]+":")
		}
	case *ast.LiteralNode:
		out.text, out.plain, out.block = strings.TrimRight(v.Value.Value, "\n"), 's', true
	case *ast.IntegerNode:
		out.text, out.plain = v.Token.Value, 'i'
	case *ast.FloatNode:
		out.text, out.plain = v.Token.Value, 'f'
	case *ast.BoolNode:
		out.text, out.plain = v.Token.Value, 'b'
	case *ast.NullNode:
		out.plain = 'n'
	case *ast.AnchorNode, *ast.AliasNode:
		r.fail(out.line, out.col, "alias", "anchors and aliases are not used in rulebooks; write the value out")
	case *ast.TagNode:
		r.fail(out.line, out.col, "not-allowed", "a value that begins with ! stands in quotes, as in if: \"!me.alive\"")
	default:
		r.fail(out.line, out.col, "not-allowed", "a YAML %s is not used in rulebooks", n.Type())
	}
}
