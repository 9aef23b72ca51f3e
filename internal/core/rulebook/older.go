package rulebook

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
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

// olderHint says what to write for something that rulebooks had before; "" for anything else.
func olderHint(section, key, text string) string {
	for i := range olderKeys {
		if o := &olderKeys[i]; o.section == section && o.key == key && (o.word == "" || o.word == text) {
			return o.hint + "; turnvex check -rewrite changes that in files"
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
	for range 100 { // of a list the first item without a unit is found
		with, more := rewriteUnits(out)
		if len(more) == 0 {
			break
		}
		out, changes = with, append(changes, more...)
	}
	return out, changes
}

// rewriteUnits puts the units behind numbers that stood for times and lengths without them.
func rewriteUnits(src []byte) (out []byte, changes []string) {
	_, problems := Compile(src)
	text, quote := strings.SplitAfter(string(src), "\n"), ""
	if bytes.HasPrefix(bytes.TrimSpace(src), []byte("{")) { // as JSON needs it
		quote = `"`
	}
	for i := len(problems) - 1; i >= 0; i-- { // from the end, so that the places before stay where they are
		p := &problems[i]
		if p.unit == "" {
			continue
		}
		line := []rune(text[p.Line-1])
		end := p.Column - 1
		for end < len(line) && unicode.IsDigit(line[end]) {
			end++
		}
		number := string(line[p.Column-1 : end])
		text[p.Line-1] = string(line[:p.Column-1]) + quote + number + p.unit + quote + string(line[end:])
		changes = slices.Insert(changes, 0,
			fmt.Sprintf("line %d: %s: %s is now %s%s", p.Line, p.At, number, number, p.unit))
	}
	if len(changes) == 0 {
		return src, nil
	}
	return []byte(strings.Join(text, "")), changes
}

// rewriteKeys puts what stands now in the place of keys that rulebooks had before.
func rewriteKeys(src []byte) (out []byte, changes []string) {
	docs, problems := readDocuments(src)
	if len(problems) > 0 || len(docs) == 0 || docs[0].get("host") != nil || docs[0].get("turnvex") == nil {
		return src, nil
	}
	edits := olderIn(docs[0])
	if len(edits) == 0 {
		return src, nil
	}
	text := &lines{strings.SplitAfter(string(src), "\n")}
	var host []string
	first := edits[0].in
	for i := len(edits) - 1; i >= 0; i-- { // from the end, so that the places before stay where they are
		e := &edits[i]
		if h := e.o.host[e.no]; h != "" {
			host = slices.Insert(host, 0, h)
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
	slices.SortFunc(edits, func(a, b edit) int {
		return (a.what.line-b.what.line)*100_000 + a.what.col - b.what.col
	})
	return edits
}

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

var plainWord = regexp.MustCompile(`[a-z_]+`)

// asJSON writes keys and words in quotes.
func asJSON(yaml string) string {
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
	book, problems := Compile(now)
	if book != nil && len(changes) > 0 {
		sum := sha256.Sum256(src)
		book.Source, book.Version = slices.Clone(src), hex.EncodeToString(sum[:6])
	}
	return book, problems
}
