package rulebook

import (
	"fmt"
	"slices"
	"strings"
)

// Power is something that a host may do.
type Power uint8

// The powers of a host.
const (
	PowerRemove Power = iota
	PowerBan
	PowerSettings
	PowerPassword
	PowerArena
	PowerTeams
	PowerShuffle
	PowerStart
	PowerHandOver
	PowerPause
	powers
)

// Scope says in which lobbies a host has a power, and whether during a match too.
type Scope uint8

// The bits of Scope, in the order of their words.
const (
	InPrivate Scope = 1 << iota
	InPublic
	InMatch
)

var scopeWords = []string{"private", "public", "match"}

// Words are the words of a Scope.
func (w Scope) Words() []string {
	list := []string{}
	for i, word := range scopeWords {
		if w&(1<<i) != 0 {
			list = append(list, word)
		}
	}
	return list
}

// String writes it as a rulebook does.
func (w Scope) String() string { return "[" + strings.Join(w.Words(), ", ") + "]" }

// Refuses says why the host may not use a power.
func (h *Host) Refuses(p Power) string {
	if h.May[p] == 0 {
		return "this rulebook does not let the host " + p.Does()
	}
	return "the host may " + p.Does() + " only " + h.in(p)
}

// in says where the host has a power, as the end of a sentence.
func (h *Host) in(p Power) string {
	w := h.May[p]
	if powerList[p].anytime {
		w |= InMatch
	}
	switch {
	case w&InMatch == 0 && w&InPublic == 0:
		return "in a private lobby, while no match is running"
	case w&InMatch == 0 && w&InPrivate == 0:
		return "in a public lobby, while no match is running"
	case w&InMatch == 0:
		return "while no match is running"
	case w&InPublic == 0:
		return "in a private lobby"
	}
	return "in a public lobby"
}

// power is all that is known of a power: its key, what the host does with it, where it is given if the rulebook says
// nothing, and which words it takes.
var powerList = [powers]struct {
	key, does string
	def       Scope
	anytime   bool // whether a match is running makes no difference to it
	doc       string
}{
	PowerRemove: {"remove", "remove players", InPrivate, false, "Remove a player. A vote may always remove one. " +
		"Whoever removes somebody from a running match cannot win it: `won` becomes `drawn` for them."},
	PowerBan: {"ban", "ban players or lift bans", InPrivate, false,
		"Remove a player permanently, and lift such a ban."},
	PowerSettings: {"settings", "change the lobby", InPrivate | InPublic, false,
		"Change title, capacity, `open`, `listed`, `watch_most` and options (these only while gathering)."},
	PowerPassword: {"password", "change the password", InPrivate | InPublic, false, "Set or clear the password."},
	PowerArena: {"arena", "choose the arena", InPrivate | InPublic, true, "Choose the next arena, as the option " +
		"`arena`, where [`arenas`](#arenas) has no `pick`."},
	PowerTeams: {"teams", "move players between teams", InPrivate, true,
		"Put players in teams, also where newcomers cannot choose; while teams are not locked."},
	PowerShuffle: {"shuffle", "shuffle the teams", InPrivate, true,
		"Reassign all teams at random, while they are not locked."},
	PowerStart: {"start", "start the match", 0, true,
		"Start the match, whoever is ready; see also `ready` in [`start`](#start)."},
	PowerHandOver: {"hand_over", "make somebody else the host", InPrivate | InPublic | InMatch, false,
		"Make another player the host."},
	PowerPause: {"pause", "pause play", InPrivate, true, "Pause and resume, where `who` in [`pause`](#pause) is " +
		"`nobody`, with a budget of their own; and resume what others paused."},
}

// Does says what the host does with a power, as in "only the host may …".
func (p Power) Does() string { return powerList[p].does }

// String is the power's key.
func (p Power) String() string { return powerList[p].key }

// Host says what a host may do, and what happens when they go.
type Host struct {
	Gone HostGone
	May  [powers]Scope
}

// Has tells whether the host has a power in a lobby: one that strangers may have come into (public) or not, with a
// match running or not. In practice they have every power that the rulebook gives anywhere.
func (h *Host) Has(p Power, practice, public, running bool) bool {
	w := h.May[p]
	where := InPrivate
	if public {
		where = InPublic
	}
	return practice && w != 0 || w&where != 0 && (!running || powerList[p].anytime || w&InMatch != 0)
}

// Powers lists the powers that the rulebook gives, by their keys.
func (h *Host) Powers() map[string][]string {
	out := map[string][]string{}
	for p, w := range h.May {
		if w != 0 {
			out[Power(p).String()] = w.Words()
		}
	}
	return out
}

var hostObject = makeHostObject()

func makeHostObject() *object {
	o := &object{
		name: "host",
		doc: "What the host of a lobby may do: for each power, in which lobbies, as a list of `private`, `public` " +
			"and `match`. A lobby is public from the moment somebody joins it while it is listed, open and without " +
			"a password, or is sent to it by quick join, until at most one person is left in it; otherwise it is " +
			"private. Without " +
			"`match`, a power rests while a match is running; to powers that a match does not change, `match` " +
			"cannot be given. `[]` gives a power nowhere. In practice lobbies the host has every power that is " +
			"given anywhere. Lobbies of a series have no host.",
		example: `host:
  remove: []
  ban: []
  settings: [private, public, match]
  password: [private]
  arena: [private]
  teams: [private, public]
  shuffle: [private, public]
  start: [private, public]
  hand_over: [private]
  pause: [private, public]
  gone: close
start: {ready: false}`,
	}
	for p := range powers {
		x := &powerList[p]
		words := scopeWords
		if x.anytime {
			words = scopeWords[:2]
		}
		doc := x.doc + " Default: `" + x.def.String() + "`."
		o.keys = append(o.keys, key{name: x.key, spec: listOf(word(words...), int64(len(words))), doc: doc})
	}
	o.keys = append(o.keys, key{
		name: "gone",
		spec: hostGoneWords.spec(),
		def:  HostPasses.String(),
		doc: "What happens when the host gives up their seat: `pass` makes the player who has been there longest the " +
			"host, `close` closes the lobby and ends its match.",
	})
	return o
}

// bindHost binds what the host may do.
func bindHost(b *document) {
	h, n := &b.book.Host, b.section("host")
	h.Gone = hostGoneWords.named(n.str("gone"))
	for p := range powers {
		if h.May[p] = powerList[p].def; n.get(p.String()) != nil {
			h.May[p] = 0
		}
		for _, item := range n.list(p.String()) {
			h.May[p] |= 1 << max(slices.Index(scopeWords, item.text), 0)
		}
		if h.May[p] == InMatch {
			b.fail(n.get(p.String()), "unreachable", "private, public or both beside match",
				"a match is running in a private or in a public lobby, and %q alone names neither", "match")
		}
	}
}

// bindStart binds how a match begins; the host's powers are known.
func bindStart(b *document) {
	s := b.section("start")
	b.book.Start = Start{Ready: s.on("ready"), Countdown: b.ticks(s, "countdown")}
	if w := b.book.Host.May[PowerStart]; !b.book.Start.Ready && w != InPrivate|InPublic {
		b.fail(s, "unreachable", "host: {start: [private, public]}, or no ready: false",
			"with ready: false only the host starts a match, and has that power in %s lobbies", w.kinds())
	}
}

// kinds are the kinds of lobbies in a Scope, in words.
func (w Scope) kinds() string {
	if w == 0 {
		return "no"
	}
	return strings.Join(w.Words(), " and ")
}

// powersTable shows what a host may do where a rulebook says nothing.
func powersTable() string {
	var b strings.Builder
	b.WriteString("\nWithout the key `host`:\n\n| power | private lobby | public lobby | match running |\n" +
		"|---|---|---|---|\n")
	for p := range powers {
		x := &powerList[p]
		row := [3]string{"no", "no", "no"}
		for i := range scopeWords[:2] {
			if x.def&(1<<i) != 0 {
				row[i] = "yes"
			}
		}
		switch {
		case x.def&InMatch != 0:
			row[2] = "yes"
		case p == PowerPause:
			row[2] = "as in the lobby"
		case p == PowerTeams, p == PowerShuffle:
			row[2] = "as in the lobby, with `locked: never`"
		}
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s |\n", x.key, row[0], row[1], row[2])
	}
	return b.String()
}
