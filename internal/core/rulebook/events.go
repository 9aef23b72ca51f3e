package rulebook

import "strings"

// Event is what a rule waits for.
type Event uint8

// The events. OnWhen and OnEvery are a condition and an interval.
const (
	OnWhen Event = iota
	OnEvery
	OnStart
	OnRound
	OnPhase
	OnSpawn
	OnOut
	OnEnter
	OnLeave
	OnEnd
	OnLand
	OnFall

	Events int = iota
)

// eventDecl is all that is known of an event. Where it comes from is package match's emit.
type eventDecl struct {
	word   string // behind the key "on"; "" for what has a key of its own
	doc    string
	player bool // it happens to one player

	creature bool // or to one creature, where the rule is for creatures
}

var eventDecls = [Events]eventDecl{
	OnStart: {word: "start", doc: "the match's `start`"},
	OnRound: {word: "round", doc: "a `round`'s start"},
	OnPhase: {word: "phase", doc: "any `phase`'s start"},
	OnSpawn: {word: "spawn", doc: "a player's `spawn`", player: true, creature: true},
	OnOut:   {word: "out", doc: "going `out`", player: true, creature: true},
	OnEnter: {word: "enter", doc: "`enter`ing a running match for the first time", player: true},
	OnLeave: {word: "leave", doc: "`leave`ing it", player: true},
	OnEnd:   {word: "end", doc: "the match's `end`"},
	OnLand:  {word: "land", doc: "to `land` after a jump or a fall (`me.landed` is how fast)", player: true},
	OnFall:  {word: "fall", doc: "to `fall` below 0 where there is no floor", player: true},
}

func (e Event) String() string {
	switch e {
	case OnWhen:
		return "when"
	case OnEvery:
		return "every"
	}
	return eventDecls[e].word
}

// OfPlayer tells whether an event happens to one player.
func (e Event) OfPlayer() bool { return eventDecls[e].player }

var eventWords = func() (w words[Event]) {
	for _, d := range eventDecls {
		w = append(w, d.word)
	}
	return w
}()

// eventDoc is how the reference explains the events.
func eventDoc() string {
	var docs []string
	for _, d := range eventDecls {
		if d.word != "" {
			docs = append(docs, d.doc)
		}
	}
	return "An event: " + strings.Join(
		docs,
		", ",
	) + ". Those of a player are for that player, as `me`; `spawn` and `out` with `for: creatures`, or a kind of them, are a creature's."
}

// eventSpec is the form of the key "on".
func eventSpec() spec {
	var list []string
	for _, d := range eventDecls {
		if d.word != "" {
			list = append(list, d.word)
		}
	}
	return word(list...)
}
