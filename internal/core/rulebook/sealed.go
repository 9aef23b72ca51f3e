package rulebook

import (
	"fmt"
	"strings"
)

var sealedObject = &object{
	name: "sealed choice",
	doc: "Something that every player chooses in secret, revealed to all at once: when everyone who has to choose " +
		"has done so, or when the phase ends. It is an action of that name that takes `value`, and adds these fields " +
		"to the player: `NAME` (what was revealed last), `NAME_sealed` (the choice, visible to the player only), " +
		"`NAME_made` (whether they have chosen, visible to everyone) and `NAME_due` (whether they have to).",
	example: `sealed:
  bid:
    title: Bid
    key: b
    type: integer
    min: 0
    max: 50
    who: me.coins > 0
    change: false
    phases: [play]
    reset: round
    reveal:
      - each: players
        only: it.bid_made && it == players.highest(p, p.bid)
        do: [{add: it.coins, by: -it.bid}, {notice: sold, with: {to: it, for: it.bid}}]
  side: {type: choice, words: [left, right], reveal: [{go: end}]}`,
	keys: append([]key{
		{name: "title", spec: text(40), doc: "The display name."},
		{name: "key", spec: text(1), doc: "A suggested key for clients."},
		{name: "who", spec: anExpression, doc: "Who has to choose, among players in play: a condition on `me`."},
		{name: "change", spec: flag, def: "true", doc: "Whether players may change their choice until it is revealed."},
		{name: "phases", spec: names, doc: "The phases in which it applies. Default: those with open inputs."},
		{name: "reset", spec: word("match", "round", "respawn"), def: "round", doc: "When the revealed values reset."},
		{
			name: "reveal",
			spec: effects,
			doc:  "What happens when it is revealed; `NAME_made` still tells who has chosen.",
		},
	}, append(like(argObject, "min", "max", "words"), like(argObject, "type")[0].as(word("integer", "number", "flag",
		"choice", "player", "team", "position"), ""))...),
}

// maker makes parts of a document up that stand at one place of it.
type maker struct{ at *node }

func (m maker) text(format string, args ...any) *node {
	return &node{line: m.at.line, col: m.at.col, path: m.at.path, text: fmt.Sprintf(format, args...), plain: 's'}
}

func (m maker) list(items ...*node) *node {
	return &node{kind: listNode, line: m.at.line, col: m.at.col, path: m.at.path, items: items}
}

// object makes a map of keys and values; what is nil is left out.
func (m maker) object(pairs ...any) *node {
	out := &node{kind: mapNode, line: m.at.line, col: m.at.col, path: m.at.path}
	for i := 0; i < len(pairs); i += 2 {
		if v, _ := pairs[i+1].(*node); v != nil {
			out.entries = append(out.entries, entry{pairs[i].(string), m.at.line, m.at.col, v})
		}
	}
	return out
}

// within returns the map under a key, which is made if it is not there.
func (m maker) within(n *node, key string) *node {
	if v := n.get(key); v != nil {
		return v
	}
	v := m.object()
	n.entries = append(n.entries, entry{key, m.at.line, m.at.col, v})
	return v
}

// expandSealed writes each sealed choice as the fields, the action and the rules that it stands for.
func (b *sealer) expandSealed(s *structure) {
	for _, e := range b.top.fields("sealed") {
		m := maker{e.value}
		if taken := b.top.get("actions").get(e.key); taken != nil {
			b.failEntry(e, "taken", "there is an action %q already; call the choice something else", e.key)
			continue
		}
		b.sealedFields(s, m, e)
		b.sealedAction(s, m, e)
		reveal := b.revealed(m, e)
		made := m.text("players.exists(p, p.%s_made)", e.key)
		rule := m.object("when",
			m.text("players.exists(p, p.%[1]s_made) && players.all(p, p.%[1]s_made || !p.%[1]s_due)", e.key), "phases",
			e.value.get("phases"), "do", reveal)
		s.check(rule, &spec{shape: anObject, object: ruleObject})
		rules := b.top.get("rules")
		if rules == nil {
			rules = m.list()
			b.top.entries = append(b.top.entries, entry{"rules", e.line, e.col, rules})
		}
		rules.items = append(rules.items, rule)
		for _, p := range b.top.fields("phases") {
			if b.sealedIn(e.value, p) {
				leave := m.object("if", made, "then", reveal)
				s.check(leave, effects.elem)
				list := m.list()
				if old := p.value.get("leave"); old != nil {
					old.items = append(old.items, leave)
				} else {
					list.items = append(list.items, leave)
					p.value.entries = append(p.value.entries, entry{"leave", e.line, e.col, list})
				}
			}
		}
	}
}

// sealedIn tells whether a choice is made in a phase.
func (b *sealer) sealedIn(n *node, phase entry) bool {
	list := n.get("phases")
	if list == nil {
		return !inputsFrozen.is(phase.value, "inputs")
	}
	for _, item := range list.items {
		if item.text == phase.key {
			return true
		}
	}
	return false
}

func (b *sealer) sealedFields(s *structure, m maker, e entry) {
	n := e.value
	player := m.within(m.within(b.top, "sheets"), "player")
	who := "true"
	if v := n.get("who"); v != nil {
		who = v.text
	}
	reset := n.get("reset")
	field := func(name string, f *node) {
		s.check(f, &spec{shape: anObject, object: fieldObject})
		player.entries = append(player.entries, entry{name, e.line, e.col, f})
	}
	value := func(see *node) *node { // what is chosen is within bounds; before that it is nothing
		return m.object("type", n.get("type"), "title", n.get("title"), "words", n.get("words"), "reset", reset, "see",
			see)
	}
	field(e.key, value(nil))
	field(e.key+"_sealed", value(m.text("owner")))
	field(e.key+"_made", m.object("type", m.text("flag"), "reset", reset))
	field(e.key+"_due", m.object("type", m.text("flag"), "is", m.text("me.playing && me.alive && (%s)",
		strings.TrimSpace(who))))
}

func (b *sealer) sealedAction(s *structure, m maker, e entry) {
	n := e.value
	may := "me." + e.key + "_due"
	if !n.on("change") {
		may += " && !me." + e.key + "_made"
	}
	a := m.object("title", n.get("title"), "key", n.get("key"), "phases", n.get("phases"), "turn", m.text("any"),
		"if", m.text("%s", may), "refusal", m.text("You are not to choose now, or have chosen already"),
		"takes", m.object("value", m.object("type", n.get("type"), "min", n.get("min"), "max", n.get("max"), "words",
			n.get("words"))),
		"do", m.list(m.object("set", m.text("me.%s_sealed", e.key), "to", m.text("arg.value")),
			m.object("set", m.text("me.%s_made", e.key), "to", m.text("true"))))
	s.check(a, &spec{shape: anObject, object: actionObject})
	actions := m.within(b.top, "actions")
	actions.entries = append(actions.entries, entry{e.key, e.line, e.col, a})
}

// revealed are the effects that reveal a choice.
func (b *sealer) revealed(m maker, e entry) *node {
	it := func(field string) *node { return m.text("it.%s", field) }
	list := m.list(m.object("each", m.text("players"), "only", it(e.key+"_made"), "do",
		m.list(m.object("set", it(e.key), "to", it(e.key+"_sealed")))))
	if own := e.value.get("reveal"); own != nil {
		list.items = append(list.items, own.items...)
	}
	list.items = append(list.items, m.object("each", m.text("players"), "do",
		m.list(m.object("set", it(e.key+"_made"), "to", m.text("false")))))
	return list
}
