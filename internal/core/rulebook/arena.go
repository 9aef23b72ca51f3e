package rulebook

import (
	"bytes"
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Arenas says which of several grounds a match or a round is played on. The lobby's field says which comes next.
type Arenas struct {
	Pick   ArenaPick
	Rounds bool         // each round has one of its own
	Field  *sheet.Field // of the match: the present one
	Next   *sheet.Field // of the lobby: the next one
}

// ArenaPick says how the next arena is found.
type ArenaPick uint8

// The ways to find it.
const (
	ArenaGiven ArenaPick = iota // an option of the lobby
	ArenaInTurn
	ArenaAtRandom
)

var arenaPickWords = words[ArenaPick]{"given", "turn", "random"}

func (p ArenaPick) String() string { return arenaPickWords.of(p) }

var arenasObject = &object{
	name: "arenas",
	doc: "Several grounds for one set of rules. The match's field `arena` holds the current one, the lobby's " +
		"field `arena` the next one; the effect `arena` and votes with `asks: arenas` change the next one. Keys " +
		"that an arena does not set come from `ground`.",
	example: `ground: {width: 40m, height: 30m}
arenas:
  pick: turn
  changes: match
  list:
    mole:
      title: The mole
      walls: [{box: [18m, 10m, 22m, 20m]}]
      spawns: [{at: [5m, 15m], if: me.team.name == 'amber'}, {at: [35m, 15m]}]
      places: {lantern: [[5m, 5m], [35m, 25m]]}
    reef:
      width: 60m
      height: 50m
      places: {rat: [[30m, 25m]]}
      zones: {quay: {circle: [50m, 40m, 5m]}}
pieces: {lantern: {}}
creatures: {rat: {}}
zones: {quay: {circle: [20m, 15m, 5m]}}
votes: {where: {title: The next arena, asks: arenas}}
actions: {back: {do: [{arena: mole}]}}
boards: {quickest: {value: me.time, order: least, show: clock, arenas: true}}
record: {best: {type: counts, words: arenas}}
rules:
  - on: end
    for: players
    if: me.time / 1ms > record.best[match.arena]
    do: [{set: "record.best[match.arena]", to: me.time / 1ms}]`,
	keys: []key{
		{
			name: "pick",
			spec: arenaPickWords.spec(ArenaInTurn, ArenaAtRandom),
			doc: "How the next one is chosen: in `turn`, in the order of the list, or at `random`, never the same " +
				"twice in a row. Without this key it is an option of the lobby named `arena`, which the host sets; " +
				"or, where [`host`](#host) does not give that power, `turn`.",
		},
		{
			name: "changes",
			spec: eachRound.spec(),
			def:  eachRound.not,
			doc:  "Whether the arena changes with each `match` or with each `round`.",
		},
		{name: "list", spec: mapOf(obj(arenaObject), maxArenas), doc: "The arenas by name."},
		{
			name: "files",
			spec: listOf(name, maxArenas),
			example: `arenas: {files: [pool]}
zones: {quay: {box: [5m, 5m, 15m, 15m]}}
pieces: {lantern: {}}`,
			doc: "The names of arenas in files of their own beside the rulebook. Each file begins with `turnvex: " +
				"1` and `arena: NAME` and continues like an arena in the list. `check`, `publish` and `serve` " +
				"combine them into one version.",
		},
	},
}

// maxArenas is the most arenas of a rulebook.
const maxArenas = 64

var arenaObject = &object{
	name: "arena",
	doc: "One ground. `width`, `height`, `tall`, `floor`, `walls` and `spawns` work as in `ground`, which supplies those that are " +
		"missing.",
}

// arenaFile is an arena in a file of its own.
var arenaFile = &object{
	name: "arena file",
	doc:  "An arena in a separate file, beside the rulebook that lists it under `arenas.files`.",
	example: `turnvex: 1
arena: pool
title: The pool
width: 20m
height: 20m
walls: [{circle: [10m, 10m, 3m]}]
spawns: [{at: [3m, 3m]}]
places: {lantern: [[3m, 17m]]}
zones: {quay: {box: [14m, 14m, 20m, 20m]}}`,
}

func init() {
	arenaObject.keys = append(arenaObject.keys, key{name: "title", spec: text(40), doc: "The display name."})
	for _, k := range like(groundObject, "width", "height", "tall", "floor", "walls", "spawns") {
		k.required, k.def = false, ""
		arenaObject.keys = append(arenaObject.keys, k)
	}
	arenaObject.keys = append(arenaObject.keys,
		key{
			name: "places",
			spec: mapOf(listOf(point, 256), 64),
			doc:  "Where kinds of piece and creature appear here, by name; overrides their `at`.",
		},
		key{
			name: "zones",
			spec: mapOf(obj(shapeObject), 32),
			doc:  "Where zones lie here, by name; overrides their shape in `zones`.",
		})
	arenaFile.keys = append([]key{
		{name: "turnvex", spec: integer(1, 1), required: true, doc: "The version of this language."},
		{name: "arena", spec: name, required: true, doc: "The arena's name."},
	}, like(arenaObject, arenaObject.names()...)...)
}

var shapeObject = &object{
	name: "shape", doc: "Where a zone lies.", oneOf: []string{"circle", "box"},
	keys: []key{
		{name: "circle", spec: listOf(length(0, maxSide), 3), doc: "[x, y, radius]."},
		{name: "box", spec: listOf(length(0, maxSide), 4), doc: "[left, top, right, bottom]."},
		{name: "bottom", spec: length(0, maxHeight), def: "0", example: tallShape,
			doc: "On a tall ground, how far above 0 it begins."},
		{name: "tall", spec: length(1, maxHeight), example: tallShape,
			doc: "On a tall ground, how tall it is. Default: without end."},
	},
}

// tallShape shows where a zone lies on a tall ground.
const tallShape = `ground: {width: 40m, height: 30m, tall: 10m}
arenas: {list: {mole: {zones: {quay: {circle: [20m, 15m, 5m], bottom: 2m, tall: 3m}}}}}
zones: {quay: {circle: [10m, 10m, 5m]}}`

// ArenaOf is the name of the arena that a document holds; "" for what is none.
func ArenaOf(src []byte) string {
	if !bytes.Contains(src, []byte("arena")) {
		return ""
	}
	if docs, _ := readDocuments(src); len(docs) > 0 {
		return docs[0].textOr("arena", "")
	}
	return ""
}

// ArenasBeside are the names of the arenas that a rulebook has in files beside it and not behind it already.
func ArenasBeside(src []byte) (names []string) {
	if !bytes.Contains(src, []byte("arenas")) {
		return nil
	}
	docs, _ := readDocuments(src)
	if len(docs) == 0 {
		return nil
	}
	files := docs[0].get("arenas").get("files")
	if files == nil {
		return nil
	}
	here, _ := besides(docs[1:])
	for _, f := range files.items {
		if !slices.ContainsFunc(here, func(d *node) bool { return d.textOr("arena", "") == f.text }) {
			names = append(names, f.text)
		}
	}
	return names
}

// Join puts an arena behind a rulebook: the one source of both.
func Join(book, arena []byte) []byte {
	game := book[len(Unbundle(book)):]
	book = bytes.TrimRight(Unbundle(book), "\n")
	return slices.Concat(book, []byte(divider), bytes.TrimPrefix(arena, []byte("---\n")), game)
}
