package rulebook_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/tool/trial"
)

// mistake is something that people get wrong, and what the checker says to it.
type mistake struct{ title, old, put string }

func mistakes(t *testing.T) (list []mistake, base, file string) {
	t.Helper()
	file = "testdata/mistakes.txt"
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	good, err := os.ReadFile("testdata/harbour.yaml")
	if err != nil {
		t.Fatal(err)
	}
	for _, part := range strings.Split(string(data), "\n=== ")[1:] {
		lines := strings.Split(part, "\n")
		m := mistake{title: lines[0]}
		var old, put []string
		for _, l := range lines[1:] {
			if text, is := strings.CutPrefix(l, "- "); is {
				old = append(old, text)
			} else if text, is := strings.CutPrefix(l, "+ "); is {
				put = append(put, text)
			}
		}
		m.old, m.put = strings.Join(old, "\n"), strings.Join(put, "\n")
		list = append(list, m)
	}
	return list, string(good), file
}

// TestMistakes holds the checker to a hundred mistakes that people make: each is answered with the one sentence that
// helps, at its place, and with nothing that only follows from it.
func TestMistakes(t *testing.T) {
	list, base, file := mistakes(t)
	before, _ := os.ReadFile(file)
	head, _, _ := strings.Cut(string(before), "=== ")
	var got strings.Builder
	got.WriteString(head)
	for _, m := range list {
		if strings.Count(base, m.old) == 0 {
			t.Errorf("%s: %q is not in harbour.yaml", m.title, m.old)
		}
		fmt.Fprintf(&got, "=== %s\n- %s\n+ %s\n", m.title, strings.ReplaceAll(m.old, "\n", "\n- "),
			strings.ReplaceAll(m.put, "\n", "\n+ "))
		_, problems := rulebook.Compile([]byte(strings.Replace(base, m.old, m.put, 1)))
		for _, p := range problems {
			fmt.Fprintf(&got, "! %s\n", p)
		}
		if len(problems) == 0 {
			t.Errorf("%s: nothing is said", m.title)
		}
	}
	if *update {
		if err := os.WriteFile(file, []byte(got.String()), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if w, g := strings.Split(string(before), "\n"), strings.Split(got.String(), "\n"); string(before) != got.String() {
		for i := range g {
			if i >= len(w) || w[i] != g[i] {
				t.Fatalf(
					"%s:%d (go test ./internal/core/rulebook -run Mistakes -update writes it anew):\nwant %s\ngot  %s",
					file, i+1, w[min(i, len(w)-1)], g[i])
			}
		}
	}
	if len(list) < 100 {
		t.Errorf("%d mistakes", len(list))
	}
}

// TestErrorsPointAtTheMistake changes one place of good rulebooks at random. Where that makes errors, at least nine of
// ten stand within three lines of it.
func TestErrorsPointAtTheMistake(t *testing.T) {
	rounds := trial.Rounds(6000, 1500)
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	docs := written(t)
	harbour, _ := os.ReadFile("testdata/harbour.yaml")
	docs = append(docs, harbour)
	near, wrong := 0, 0
	var far []string
	for range rounds {
		lines := strings.Split(string(docs[r.IntN(len(docs))]), "\n")
		at := r.IntN(len(lines))
		before := lines[at]
		lines[at] = slip(r, before)
		_, problems := rulebook.Compile([]byte(strings.Join(lines, "\n")))
		errors := problems.Errors()
		if len(errors) == 0 || lines[at] == before {
			continue
		}
		for _, e := range errors {
			if wrong++; e.Line-1 >= at-3 && e.Line-1 <= at+3 {
				near++
			} else {
				far = append(far, fmt.Sprintf("line %d\n-%s\n+%s\n%s", at+1, before, lines[at], e))
			}
		}
	}
	t.Logf("%d of %d errors stand where the mistake is", near, wrong)
	if wrong < rounds/4 || near*10 < wrong*9 {
		t.Errorf("seed %d: %d of %d errors stand where the mistake is; others:\n%s", seed, near, wrong,
			strings.Join(far[:min(len(far), 20)], "\n\n"))
	}
}

// slip is a line in which somebody's finger has slipped.
func slip(r *rand.Rand, line string) string {
	if strings.TrimSpace(line) == "" {
		return line
	}
	b := []byte(line)
	i := len(line) - len(strings.TrimLeft(line, " ")) + r.IntN(len(strings.TrimLeft(line, " ")))
	switch r.IntN(8) {
	case 0: // a character too few
		return string(append(b[:i:i], b[i+1:]...))
	case 1: // a character twice
		return line[:i] + line[i:i+1] + line[i:]
	case 2: // two characters the wrong way round
		if i+1 < len(b) {
			b[i], b[i+1] = b[i+1], b[i]
		}
		return string(b)
	case 3: // another character
		b[i] = "abcxyz0123456789 .,:;'\"(){}[]&|=!+-*/%_"[r.IntN(39)]
		return string(b)
	case 4: // a word too few
		words := strings.SplitAfter(line, " ")
		k := r.IntN(len(words))
		return strings.Join(append(words[:k:k], words[k+1:]...), "")
	case 5: // an indent too deep, or not deep enough
		if r.IntN(2) == 0 {
			return " " + line
		}
		return strings.TrimPrefix(line, " ")
	case 6: // a line that breaks off
		return line[:i]
	}
	return strings.Replace(line, ": ", ":", 1)
}
