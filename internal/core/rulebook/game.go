package rulebook

import (
	"bytes"
	"slices"
	"strings"
)

// gameObject is the form of a game: what several rulebooks share.
var gameObject = &object{
	name: "game",
	doc: "A separate file: a record and boards that several rulebooks share. A rulebook joins it with `game`, " +
		"and may also have a record and boards of its own. Its rulebooks read and change the shared fields as " +
		"`record.NAME`, and `post` posts to the shared boards; under `record` and `boards` a rulebook says with " +
		"`value`, `if` and `keep` what its matches contribute. `turnvex check` finds the game's file in the " +
		"rulebook's folder. Publish a game before its rulebooks, or together with them, as is needed when a " +
		"shared field is renamed or removed: `turnvex publish` takes all of their files at once. Publishing a game " +
		"publishes its other rulebooks again; if one of them would have errors, nothing is published.",
	example: `turnvex: 1
game: harbour
title: The harbour
record:
  coins: {min: 0, start: 20}
  rank: {type: choice, words: [deckhand, mate], see: everyone}
boards:
  points: {title: Points of the season, keep: total, renew: month}`,
	keys: []key{
		{name: "turnvex", spec: integer(1, 1), required: true, doc: "The version of this language."},
		{name: "game", spec: name, required: true, doc: "The game's name."},
		{name: "title", spec: text(80), doc: "The display name."},
		{name: "record", spec: mapOf(obj(sharedField), 48), doc: "What is kept for a player across all of its " +
			"rulebooks."},
		{name: "boards", spec: mapOf(obj(sharedBoard), 16), doc: "Leaderboards that all of its rulebooks may post to."},
	},
}

var sharedField = without("shared field", "A field of a game's record.", recordObject, "value", "if", "keep")

var sharedBoard = without("shared board", "A leaderboard of a game.", boardObject, "value", "if", "arenas")

// without is an object that lacks some keys of another.
func without(name, doc string, o *object, keys ...string) *object {
	return &object{name: name, doc: doc, keys: like(o, slices.DeleteFunc(o.names(), func(k string) bool {
		return slices.Contains(keys, k)
	})...)}
}

// GamePrefix stands before a game's name where both games and rulebooks are named.
const GamePrefix = "game:"

// maxRecord is the most fields of a record, those of a game with it.
const maxRecord = 300

// divider stands between a rulebook and the game to which it belongs.
const divider = "\n---\n"

// Bundle puts a game behind a rulebook that belongs to it: the one source of both.
func Bundle(book, game []byte) []byte {
	book = bytes.TrimRight(Unbundle(book), "\n")
	return slices.Concat(book, []byte(divider), bytes.TrimPrefix(game, []byte("---\n")))
}

// Unbundle is a rulebook without the game behind it.
func Unbundle(src []byte) []byte {
	if i := bytes.LastIndex(src, []byte(divider)); i >= 0 {
		if name, declares := GameOf(src[i+len(divider):]); declares && name != "" {
			return src[:i+1]
		}
	}
	return src
}

// Parts are the rulebooks and games that stand one behind another in a source, each with the arenas behind it.
func Parts(src []byte) (parts [][]byte) {
	docs := bytes.SplitAfter(bytes.TrimPrefix(src, []byte("---\n")), []byte(divider))
	for i, doc := range docs {
		if i < len(docs)-1 { // but for the line's end, which is the document's own
			doc = doc[:len(doc)-len(divider)+1]
		}
		if n := len(parts); n > 0 && ArenaOf(doc) != "" {
			parts[n-1] = Join(parts[n-1], doc)
		} else {
			parts = append(parts, doc)
		}
	}
	return parts
}

// NameOf is the name of a rulebook, or of a game with GamePrefix; "" if it cannot be read.
func NameOf(src []byte) string {
	if game, declares := GameOf(src); declares {
		return GamePrefix + game
	}
	docs, _ := readDocuments(src)
	if len(docs) == 0 {
		return ""
	}
	return docs[0].textOr("name", "")
}

// GameOf tells which game a document names: the one that it declares, or the one to which the rulebook belongs; "" for
// none.
func GameOf(src []byte) (name string, declares bool) {
	if !bytes.Contains(src, []byte("game")) { // most name none, and are not read for that
		return "", false
	}
	docs, _ := readDocuments(src)
	if len(docs) == 0 {
		return "", false
	}
	if g := docs[0].get("game"); g != nil {
		return g.text, docs[0].get("name") == nil && docs[0].get("phases") == nil
	}
	return "", false
}

// CompileGame checks a game. The book that it gives has nothing but the game's record and boards, and is named as games
// are.
func CompileGame(src []byte) (*Book, Problems) {
	docs, problems := readDocuments(src)
	if len(docs) > 1 {
		problems = append(problems, Problem{Severity: Error, Code: "many-documents", Line: docs[1].line, Column: 1,
			Message: "more stands behind the game", Wanted: "a game alone, or /v1/rulebooks/together"})
	}
	if len(docs) != 1 || len(problems) > 0 {
		return nil, problems.sorted()
	}
	game, _ := GameOf(src)
	const head = "turnvex: 1\nname: shared\ngame: %\nphases: {play: {lasts: 1s}}\n"
	book := strings.ReplaceAll(head, "%", game)
	out, problems := Compile(Bundle([]byte(book), src))
	lines := strings.Count(book, "\n") + 1
	for i := range problems {
		problems[i].Line = max(problems[i].Line-lines, 1)
	}
	if out == nil {
		return nil, problems
	}
	out.Name, out.Title, out.Game, out.Source = GamePrefix+game, docs[0].textOr("title", game), "", slices.Clone(src)
	out.Flow = nil
	for _, r := range out.Record {
		r.Game = false
	}
	for _, b := range out.Boards {
		b.Game = false
	}
	return out, nil
}

func (n *node) textOr(key, otherwise string) string {
	if v := n.get(key); v != nil {
		return v.text
	}
	return otherwise
}

// takeGame takes in the game to which the rulebook belongs.
func (b *binder) takeGame(s *structure, docs []*node) {
	name := b.top.get("game")
	switch {
	case name == nil:
	case len(docs) == 0:
		b.fail(name, "needs-game", "the game's file beside the rulebook's, or the game at the service",
			"the game %q, to which this rulebook belongs, is not here", name.text)
	case s.check(docs[0], &spec{shape: anObject, object: gameObject}):
		b.game = docs[0]
		b.book.Game = name.text
		if g := b.game.get("game"); g.text != name.text {
			b.fail(g, "needs-game", name.text, "the rulebook belongs to another game")
		}
	}
}

// shared is the entry of a rulebook under record or boards that says what its matches bring to something that its game
// declares; it may say nothing else. nil if there is none.
func (b *document) shared(part, name string, may ...string) *node {
	for _, e := range b.top.fields(part) {
		if e.key != name {
			continue
		}
		for _, x := range e.value.entries {
			if !x.value.implied && !slices.Contains(may, x.key) {
				b.failEntry(x, "not-here", "the game declares %s; a rulebook says only %s of it", name,
					strings.Join(may, ", "))
			}
		}
		return e.value
	}
	return nil
}

// own are the rulebook's entries under record or boards but for those that its game declares.
func (b *document) own(part string) (out []entry) {
	for _, e := range b.top.fields(part) {
		if b.game.get(part).get(e.key) == nil {
			out = append(out, e)
		}
	}
	return out
}
