package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Promise is something that a rulebook says of all of its matches.
type Promise struct {
	No     int
	Line   int // where it stands in the file
	Kind   PromiseKind
	Text   string // as it is written, or said in words
	Is     *expr.Prog
	For    sheet.Kind // Match, Team, Player, Creature or Zone
	Kinds  uint64     // of Creature and Zone: for which, by bit
	Phases uint64
}

// PromiseKind says when a promise holds.
type PromiseKind uint8

// The kinds.
const (
	PromiseAlways PromiseKind = iota
	PromiseNever
	PromiseByTheEnd
)

var promiseWords = words[PromiseKind]{"always", "never", "by_the_end"}

func (k PromiseKind) String() string { return promiseWords.of(k) }

var promiseObject = &object{
	name: "promise",
	doc: "An invariant of every match. Rehearsals, stories and practice lobbies check it at each tick; a " +
		"rehearsal prints the shortest script that breaks it. Other lobbies do not check promises, and promises " +
		"never change play.",
	oneOf: promiseWords,
	example: `promises:
  - {always: me.hull >= 0, for: players, says: No hull is below nothing}
  - {never: match.bell != nobody && !match.bell.alive, phases: [play]}
  - {by_the_end: "players.exists(p, p.points > 0)", says: Somebody has scored}`,
	keys: []key{
		{name: "always", spec: anExpression, doc: "What holds whenever a tick has settled."},
		{name: "never", spec: anExpression, doc: "What never holds."},
		{name: "by_the_end", spec: anExpression,
			doc: "What holds when a match ends normally, not when an operator ends it or too few players are left."},
		{
			name: "for",
			spec: name.offering(forWords...),
			def:  forMatch,
			doc:  "For the `match`, or for each of the `teams`, `players`, `creatures`, a kind of these, or `zones`.",
		},
		{name: "phases", spec: names, doc: "The phases in which it applies. Default: all."},
		{name: "says", spec: text(120), doc: "The promise in words, for reports that it was broken."},
	},
}

func (b *director) promises() {
	n := b.top.get("promises")
	if n == nil {
		return
	}
	for i, item := range n.items {
		p := &Promise{No: i, Line: item.line, Phases: b.phaseMask(item, "phases", everyPhase)}
		var scope expr.Scope
		p.For, p.Kinds, scope = b.subjectOf(item)
		for k, word := range promiseWords {
			if v := item.get(word); v != nil {
				p.Kind, p.Is = PromiseKind(k), b.condition(item, word, scope)
				p.Text = word + " " + v.text
			}
		}
		if says := item.str("says"); says != "" {
			p.Text = says
		}
		b.book.Promises = append(b.book.Promises, p)
	}
}

// subjectOf reads for whom something holds, and the scope of expressions on it.
func (b *director) subjectOf(n *node) (kind sheet.Kind, kinds uint64, scope expr.Scope) {
	switch subject := n.str("for"); subject {
	case forMatch, "":
		return sheet.Match, 0, scopeMatch
	case forTeams:
		if len(b.book.Teams.List) == 0 {
			b.fail(n.get("for"), "not-here", "match or players", "there are no teams in this rulebook")
		}
		return sheet.Team, 0, scopeTeam
	case forPlayers:
		return sheet.Player, 0, scopePlayer
	case forZones:
		if len(b.mapKeys("zones")) == 0 {
			b.fail(n.get("for"), "not-here", "match or players", "there are no zones in this rulebook")
		}
		return sheet.Zone, ^uint64(0), scopeZone
	default:
		kinds = b.creatureKinds(subject)
		if kinds == 0 {
			b.indexOf(n.get("for"), "kind of creature",
				append(append([]string{}, forWords...), b.mapKeys("creatures")...))
		}
		return sheet.Creature, kinds, scopeCreature
	}
}
