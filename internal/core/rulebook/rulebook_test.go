package rulebook_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/tool/trial"
)

var update = flag.Bool("update", false, "write what the checker says into the corpus")

// cases reads a corpus: "=== title", a document, "---", what the checker says.
func cases(t testing.TB, file string) (titles, docs []string) {
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	for _, part := range strings.Split("\n"+string(data), "\n=== ")[1:] {
		title, rest, _ := strings.Cut(part, "\n")
		doc, _, _ := strings.Cut(rest+"\n", "\n---\n")
		titles, docs = append(titles, title), append(docs, doc)
	}
	return titles, docs
}

// TestCorpus holds the checker to the corpus of good and bad rulebooks: all findings, with line, column, what is
// expected and the nearest word.
func TestCorpus(t *testing.T) {
	const file = "testdata/corpus.txt"
	titles, docs := cases(t, file)
	var got strings.Builder
	for i, doc := range docs {
		book, problems := rulebook.Compile([]byte(doc))
		fmt.Fprintf(&got, "=== %s\n%s\n---\n", titles[i], doc)
		for _, p := range problems {
			fmt.Fprintln(&got, p)
		}
		if (book == nil) != (len(problems.Errors()) > 0) {
			t.Errorf("%s: a book %v with %d errors", titles[i], book != nil, len(problems.Errors()))
		}
	}
	if *update {
		if err := os.WriteFile(file, []byte(got.String()), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	want, _ := os.ReadFile(file)
	if w, g := strings.Split(string(want), "\n"), strings.Split(got.String(), "\n"); string(want) != got.String() {
		for i := range g {
			if i >= len(w) || w[i] != g[i] {
				t.Fatalf(
					"%s:%d (go test ./internal/core/rulebook -run Corpus -update writes it anew):\nwant %s\ngot  %s",
					file, i+1, w[min(i, len(w)-1)], g[i])
			}
		}
		t.Fatal("the corpus has lines too many")
	}
}

// TestBombs: what is too large or too deep is refused before it costs anything.
func TestBombs(t *testing.T) {
	alias := "a: &a [x,x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a]\nturnvex: 1\n"
	for code, doc := range map[string]string{
		"too-large": strings.Repeat("#", rulebook.MaxBytes+1), "too-deep": strings.Repeat("[", 300000),
		"syntax": "a: [",
		"alias":  alias, "not-text": "name: \xff", "empty": "# nothing\n", "many-documents": "a: 1\n---\nb: 2\n",
		"duplicate-key": "turnvex: 1\nturnvex: 1\n",
	} {
		book, problems := rulebook.Compile([]byte(doc))
		if book != nil || len(problems) == 0 || problems[0].Code != code {
			t.Errorf("%s: %v", code, problems)
		}
	}
	for _, deep := range []string{strings.Repeat("- ", 100000), strings.Repeat("{a: ", 5000), nested(700)} {
		if book, problems := rulebook.Compile([]byte(deep)); book != nil || problems[0].Code != "too-deep" {
			t.Errorf("nesting is answered with %v", problems)
		}
	}
}

func nested(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.Repeat(" ", i) + "a:\n")
	}
	return b.String()
}

// TestRandomMistakes: expressions and paths put anywhere in good rulebooks, fitting or not, are answered with a book or
// with problems, and never with a crash.
func TestRandomMistakes(t *testing.T) {
	rounds := trial.Rounds(3000, 300)
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	bits := []string{"arg", "arg.who", "arg.mood", "arg.at", "me", "target", "it", "piece", "team", "record", "match",
		"lobby", "players", "teams", "pieces", "nobody", "noteam", "1", "2.5", "'calm'", "true", "match.bell", "null",
		"[1, 2]", "{'a': 1}", "x", "me.pos", "random(1, 2)", "point(1, 2)", "team_named('amber')", "b'x'", "1u"}
	ways := []string{"%s.mood == 'calm'", "%s == %s", "%s.n + %s.n", "%s.who.n", "!%s", "-%s", "%s ? %s : %s",
		"%s in [%s, %s]", "%s.exists(p, %s)", "%s.count(p, p.n > %s)", "distance(%s, %s)", "string(%s)", "size(%s)",
		"min(%s, %s)", "%s[%s]", "%s.x", "running(%s)", "%s", "int(%s) + %s", "%s.others.all(q, q == %s)",
		"%s.map(p, %s)", "has(%s.n)", "%s.sum(p, %s)", "type(%s)", "%s && %s", "%s < %s", "%s.record.total"}
	fill := func() string {
		way := ways[r.IntN(len(ways))]
		for strings.Contains(way, "%s") {
			bit := bits[r.IntN(len(bits))]
			if r.IntN(6) == 0 {
				bit = "(" + ways[r.IntN(len(ways))] + ")"
			}
			if len(way) > 200 {
				bit = "1"
			}
			way = strings.Replace(way, "%s", bit, 1)
		}
		return way
	}
	for range rounds {
		src := fmt.Sprintf(everywhere, fill(), fill(), fill(), fill(), fill(), fill(), fill(), fill(), fill(), fill(),
			fill(), fill())
		func() {
			defer func() {
				if p := recover(); p != nil {
					t.Fatalf("seed %d: %v in\n%s", seed, p, src)
				}
			}()
			if book, problems := rulebook.Compile([]byte(src)); (book == nil) != (len(problems.Errors()) > 0) {
				t.Fatalf("a book %v with %d errors", book != nil, len(problems.Errors()))
			}
		}()
	}
}

// everywhere is a rulebook with an expression in each kind of place.
const everywhere = `turnvex: 1
name: everywhere
teams: {list: {amber: {}, teal: {}}}
ground: {width: 20m, height: 20m}
sheets:
  player: {n: {type: integer}, mood: {type: choice, words: [calm, cross]}, d: {type: integer, is: "%s"}}
  match: {n: {type: integer}}
actions:
  go:
    takes: {who: {type: player}, mood: {type: choice, words: [calm, cross]}, at: {type: position}, n: {type: integer}}
    if: "%s"
    needs: {n: "%s"}
    aim: {kind: target}
    do: [{set: me.mood, to: "%s"}, {add: "%s", by: 1}, {out: "%s"}, {notice: x, with: {a: "%s"}}]
bearers: {bell: {}}
pieces: {buoy: {fields: {n: {type: integer}}, if: "%s", touch: [{each: players, only: "%s", do: [{remove: "%s"}]}]}}
record: {total: {value: "%s"}}
phases: {play: {lasts: 30s}}
win: {order: [{highest: "%s"}]}
`

// FuzzCompile: whatever is in a document, the checker answers with a book or with problems that stand inside the
// document.
func FuzzCompile(f *testing.F) {
	_, docs := cases(f, "testdata/corpus.txt")
	for _, d := range docs {
		f.Add([]byte(d))
	}
	books, _ := filepath.Glob("../../../demo/rulebooks/*.yaml")
	for _, b := range books {
		src, _ := os.ReadFile(b)
		f.Add(src)
	}
	f.Fuzz(func(t *testing.T, src []byte) {
		book, problems := rulebook.Compile(src)
		if (book == nil) != (len(problems.Errors()) > 0) {
			t.Fatalf("a book %v with %d errors", book != nil, len(problems.Errors()))
		}
		lines := strings.Count(string(src), "\n") + strings.Count(string(src), "\r") + 1
		for _, p := range problems {
			if p.Line < 1 || p.Line > lines+1 || p.Column < 1 || p.Message == "" || p.Code == "" {
				t.Fatalf("%+v in %d lines", p, lines)
			}
		}
	})
}
