package rulebook

import "slices"

// AimAt says what an action reaches.
type AimAt uint8

// The aims.
const (
	AimSelf AimAt = iota
	AimTarget
	AimLine
	AimArea
	AimCone

	Aims int = iota
)

// aimDecl is all that is known of an aim before anybody plays. What it hits is found in package match.
type aimDecl struct {
	word   string
	doc    string
	ground bool // it needs a ground
	reach  bool // it needs a reach
	misses bool // it may hit nobody
	target bool // it hits somebody other than by name alone: effects read target
}

var aimDecls = [Aims]aimDecl{
	AimSelf:   {word: "self", doc: "`self`"},
	AimTarget: {word: "target", doc: "a named `target` in reach", target: true},
	AimLine: {
		word:   "line",
		doc:    "the first hit along a `line`",
		ground: true,
		reach:  true,
		misses: true,
		target: true,
	},
	AimCone: {
		word:   "cone",
		doc:    "everyone in a `cone` from oneself",
		ground: true,
		reach:  true,
		misses: true,
		target: true,
	},
	AimArea: {word: "area", doc: "everyone in an `area`", ground: true, misses: true, target: true},
}

var aimWords = func() (w words[AimAt]) {
	for _, d := range aimDecls {
		w = append(w, d.word)
	}
	return w
}()

// Direction tells whether an aim takes a direction, seen from whoever aims.
func (a AimAt) Direction() bool { return a == AimLine || a == AimCone }

func (a AimAt) String() string { return aimWords.of(a) }

// aimDoc is how the reference explains the aims.
func aimDoc() string {
	doc := ""
	for i, d := range aimDecls {
		if i > 0 {
			doc += "; "
		}
		doc += d.doc
	}
	return doc + "."
}

// AimWords are the words of the aims.
func AimWords() []string { return slices.Clone(aimWords) }
