package rulebook

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// olderKey is a key that rulebooks had before, and what stands for it now.
type olderKey struct {
	section, key string
	word         string   // the one value that has changed; "" if the key is gone
	hint         string   // what to write now
	host         []string // by word: what the key host says instead, "" for nothing
	stays        []string // by word: what stands in its place, "" for nothing
	words        []string
}

const everyLobby = "[private, public]"

var olderKeys = []olderKey{
	{section: "start", key: "by",
		hint:  "host: {start: " + everyLobby + "}, with ready: false here if only the host starts",
		words: []string{"ready", "host", "either"}, stays: []string{"", "ready: false", ""},
		host: []string{"", "start: " + everyLobby, "start: " + everyLobby}},
	{section: "players", key: "host_gone", hint: "host: {gone: close}, or nothing for pass",
		words: []string{"pass", "close"}, stays: []string{"", ""}, host: []string{"", "gone: close"}},
	{section: "teams", key: "newcomers", word: "host", hint: "host: {teams: " + everyLobby + "}, and nothing here",
		words: []string{"host"}, stays: []string{""}, host: []string{"teams: " + everyLobby}},
	{section: "pause", key: "who", word: "host", hint: "host: {pause: " + everyLobby + "}, and nothing here",
		words: []string{"host", "nobody"}, stays: []string{"", ""},
		host: []string{"pause: " + everyLobby, "pause: []"}},
	{section: "arenas", key: "pick", word: "host", hint: "nothing here; see arena in host",
		words: []string{"host"}, stays: []string{""}, host: []string{""}},
}

// renamed are keys by their object, and words, that have another name now.
var renamed = map[string]string{"field.rate": "update", "sight.every": "update", "creature.tell": "update",
	"zone.tell": "update", "shot.tell": "update", "creature.keep": "number", "piece.keep": "number",
	"spawn.again": "respawn", "vote.again": "cooldown", "sealed choice.again": "change", "zone.hold": "capture",
	"capture.takes": "time", "effect.when": "only", "block": "stop", "stand-ins.acts": "weights",
	"arenas.each": "changes", "turns.late": "timeout", "hint.hold": "full", "vote.needs": "majority",
	"vote.on": "asks",
	"vote.by": "voters", "vote.else": "refusal", "vote.then": "passed", "end.show": "lasts", "end.then": "next",
	"action.else": "refusal", "referee's act.else": "refusal", "board.zone": "time_zone",
	"shared board.zone": "time_zone", "phase.length": "lasts", "turns.length": "lasts", "turns.of": "for",
	"win.by": "for", "board.per": "for", "creature.side": "team", "effect.side": "team", "effect.times": "number",
	"effect.on": "target", "move.then": "next", "rank.most": "highest",
	"rank.least": "lowest", "record field.of": "value",
	"board.of": "value", "aim.at": "kind", "team": "teams", "player": "players"}

const rewriting = "; turnvex check -rewrite changes that in files"

// olderHint says what to write for something that rulebooks had before; "" for anything else.
func olderHint(section, key, text string) string {
	if key == "factor" && (section == "movement" || strings.HasPrefix(section, "creatures.")) {
		return `one of speed, as in speed: "me.slowed ? 2m/s : 4m/s"` + rewriting
	}
	for i := range olderKeys {
		if o := &olderKeys[i]; o.section == section && o.key == key && (o.word == "" || o.word == text) {
			return o.hint + rewriting
		}
	}
	return ""
}

// edit is a place in the text of a rulebook, and what to write there.
type edit struct {
	o    *olderKey
	no   int // of its words
	in   entry
	what entry
}

// Rewrite returns a rulebook with what stands now for keys that rulebooks had before, and says what was changed, by
// lines. All else stays as it is written, comments included. A rulebook without such keys, or that cannot be read, is
// returned as it is.
func Rewrite(src []byte) (out []byte, changes []string) {
	out, changes = rewriteKeys(src)
	for range 100 { // what is wrong inside shows once what is around it is right
		with, more := rewriteSwaps(out)
		if len(more) == 0 {
			break
		}
		out, changes = with, append(changes, more...)
	}
	return out, changes
}

// rewriteSwaps puts what stands now for names that have changed, and units behind numbers that had none.
func rewriteSwaps(src []byte) (out []byte, changes []string) {
	_, problems := Compile(src)
	text, quote := strings.SplitAfter(string(src), "\n"), ""
	if bytes.HasPrefix(bytes.TrimSpace(src), []byte("{")) { // as JSON needs it
		quote = `"`
	}
	for i := len(problems) - 1; i >= 0; i-- { // from the end, so that the places before stay where they are
		p := &problems[i]
		if p.swap.old == "" || p.Line > len(text) {
			continue
		}
		line := []rune(text[p.Line-1])
		before, rest := string(line[:p.Column-1]), string(line[p.Column-1:])
		now, number := p.swap.now, p.swap.old[0] >= '0' && p.swap.old[0] <= '9'
		if strings.ContainsAny(rest[:1], `"'`) {
			before, rest = before+rest[:1], rest[1:]
		} else if number {
			now = quote + now + quote
		}
		if after, is := strings.CutPrefix(rest, p.swap.old); is {
			text[p.Line-1] = before + now + after
			changes = slices.Insert(changes, 0,
				fmt.Sprintf("line %d: %s: %s is now %s", p.Line, p.At, p.swap.old, p.swap.now))
		}
	}
	if len(changes) == 0 {
		return src, nil
	}
	return []byte(strings.Join(text, "")), changes
}

// rewriteKeys puts what stands now in the place of keys that rulebooks had before.
func rewriteKeys(src []byte) (out []byte, changes []string) {
	docs, problems := readDocuments(src)
	if len(problems) > 0 || len(docs) == 0 || docs[0].get("turnvex") == nil {
		return src, nil
	}
	edits := append(olderNotices(docs[0]), olderFactors(docs[0])...)
	if docs[0].get("host") == nil {
		edits = append(edits, olderIn(docs[0])...)
	}
	slices.SortFunc(edits, func(a, b edit) int {
		return (a.what.line-b.what.line)*100_000 + a.what.col - b.what.col
	})
	if len(edits) == 0 {
		return src, nil
	}
	text := &lines{strings.SplitAfter(string(src), "\n")}
	var host []string
	var first entry
	for i := len(edits) - 1; i >= 0; i-- { // from the end, so that the places before stay where they are
		e := &edits[i]
		if h := e.o.host[e.no]; h != "" {
			host, first = slices.Insert(host, 0, h), e.in
		}
		text.replace(e)
	}
	for i := range edits {
		e := &edits[i]
		now := slices.DeleteFunc([]string{e.o.host[e.no], e.o.stays[e.no]}, func(s string) bool { return s == "" })
		if e.o.host[e.no] != "" {
			now[0] = "host: {" + now[0] + "}"
		}
		how := "is now " + strings.Join(now, ", with ")
		if len(now) == 0 {
			how = "is left out, as the default"
			switch {
			case e.o.section == "notice":
				how = "is what to says now"
			case e.o.key == "factor":
				how = "is what speed says now"
			}
		}
		changes = append(changes, fmt.Sprintf("line %d: %s: {%s: %s} %s", e.what.line, e.o.section, e.o.key,
			e.what.value.text, how))
	}
	if len(host) > 0 {
		text.insertHost(first, host)
	}
	return []byte(strings.Join(text.of, "")), changes
}

// olderIn finds what has changed, in the order of the text.
func olderIn(top *node) (edits []edit) {
	for i := range olderKeys {
		o := &olderKeys[i]
		for _, section := range top.entries {
			if section.key != o.section {
				continue
			}
			for _, e := range section.value.entries {
				if no := slices.Index(o.words, e.value.text); e.key == o.key && no >= 0 {
					edits = append(edits, edit{o, no, section, e})
				}
			}
		}
	}
	return edits
}

// olderNotices finds what was to: owner or team, with of, and is an expression now.
func olderNotices(n *node) (edits []edit) {
	for _, x := range n.items {
		edits = append(edits, olderNotices(x)...)
	}
	for _, e := range n.entries {
		edits = append(edits, olderNotices(e.value)...)
	}
	to, of := n.get("to"), n.get("of")
	if n.get("notice") == nil || to == nil || to.text != "owner" && (to.text != "team" || of == nil) {
		return edits
	}
	now := "me"
	if of != nil {
		now = of.text
	}
	if to.text == "team" {
		now += ".team"
	}
	if !plainPath.MatchString(now) {
		now = strconv.Quote(now)
	}
	for _, e := range n.entries {
		o := &olderKey{section: "notice", key: e.key, host: []string{""}, stays: []string{""}}
		switch e.key {
		case "to":
			o.stays[0] = "to: " + now
		case "of":
		default:
			continue
		}
		edits = append(edits, edit{o, 0, entry{value: n}, e})
	}
	return edits
}

// olderFactors finds factors on speeds, which the speed says itself now.
func olderFactors(top *node) (edits []edit) {
	moving := append(slices.Clone(top.fields("creatures")), entry{key: "movement", value: top.get("movement")})
	for _, of := range moving {
		by := of.value.get("factor")
		if by == nil || strings.Contains(by.text, "\n") {
			continue
		}
		say := func(what entry, in *node, mm int64, key string) {
			o := &olderKey{section: of.key, key: what.key, host: []string{""}, stays: []string{""}}
			if key != "" {
				o.stays[0] = fmt.Sprintf("%s: %q", key, fmt.Sprintf("1mm/s * int(%d.0 * (%s))", mm, by.text))
			}
			edits = append(edits, edit{o, 0, entry{value: in}, what})
		}
		own := of.value.get("speed") != nil
		for _, e := range of.value.entries {
			switch {
			case e.key == "speed":
				say(e, of.value, of.value.span("speed"), "speed")
			case e.key == "factor" && own:
				say(e, of.value, 0, "")
			case e.key == "factor":
				say(e, of.value, 3000, "speed")
			}
		}
		for _, move := range of.value.list("moves") {
			for _, e := range move.entries {
				if e.key == "speed" {
					say(e, move, move.span("speed"), "speed")
				}
			}
		}
	}
	return edits
}

var plainPath = regexp.MustCompile(`^[a-z_.]+$`)

// lines is a text that is changed in places.
type lines struct{ of []string }

// replace puts what stands now in the place of a key and its value, or takes them away with what only belonged to them.
func (t *lines) replace(e *edit) {
	stays, v := e.o.stays[e.no], e.what.value
	if stays == "" && len(e.in.value.entries) == 1 && e.in.col == 1 && e.in.line <= e.what.line {
		for n := e.in.line; n <= v.line; n++ { // the section has nothing else
			t.of[n-1] = ""
		}
		return
	}
	r := []rune(t.of[e.what.line-1])
	from := e.what.col - 1
	to := from + strings.IndexRune(string(r[from:]), ':') + 1
	for to < len(r) && r[to] == ' ' {
		to++
	}
	quote := 0
	if to < len(r) && (r[to] == '"' || r[to] == '\'') {
		quote = 2
	}
	to = min(to+len([]rune(v.text))+quote, len(r))
	before, after := string(r[:from]), string(r[to:])
	if stays == "" {
		switch rest := strings.TrimLeft(after, " "); {
		case strings.HasPrefix(rest, ","):
			after = strings.TrimLeft(rest[1:], " ")
		case strings.TrimSpace(before) == "" && !strings.HasPrefix(rest, "}"): // a line of its own
			before, after = "", ""
		default:
			before = strings.TrimRight(strings.TrimSuffix(strings.TrimRight(before, " "), ","), " ")
		}
	}
	if r[from] == '"' {
		stays = asJSON(stays)
	}
	t.of[e.what.line-1] = before + stays + after
}

// insertHost writes the key host before a section.
func (t *lines) insertHost(before entry, says []string) {
	r := []rune(t.of[before.line-1])
	all := "{" + strings.Join(says, ", ") + "}"
	if before.col == 1 {
		t.of[before.line-1] = "host: " + all + "\n" + t.of[before.line-1]
		return
	}
	all = "host: " + all + ", "
	if at := before.col - 1; r[at] == '"' {
		all = asJSON(all)
	}
	t.of[before.line-1] = string(r[:before.col-1]) + all + string(r[before.col-1:])
}

var plainWord = regexp.MustCompile(`[a-z_.]+`)

// asJSON writes keys and words in quotes.
func asJSON(yaml string) string {
	if key, quoted, is := strings.Cut(yaml, `: "`); is {
		return `"` + key + `": "` + quoted
	}
	return plainWord.ReplaceAllStringFunc(yaml, func(w string) string {
		if w == "false" {
			return w
		}
		return `"` + w + `"`
	})
}

// CompileKept compiles a rulebook as it is kept, which may be written with keys that rulebooks had before. The book's
// source and version are those of what is kept.
func CompileKept(src []byte) (*Book, Problems) {
	if book, problems := Compile(src); book != nil {
		return book, problems
	}
	now, changes := Rewrite(src)
	book, problems := compile(now, true)
	if book != nil && len(changes) > 0 {
		sum := sha256.Sum256(src)
		book.Source, book.Version = slices.Clone(src), hex.EncodeToString(sum[:6])
	}
	return book, problems
}
