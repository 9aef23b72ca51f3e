// Package story plays stories: scripts that stand beside a rulebook with what came of each step when somebody looked at
// it last and found it right.
package story

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/script"
)

// Head is what the lines that begin with #! say.
type Head struct {
	Rulebook string // the file, beside the story
	Seed     uint64
	Practice bool
	Options  map[string]string
	Only     []string // of what came of it, only lines with one of these words are kept; none for all
}

// version is what results say of the rulebook's.
var version = regexp.MustCompile(`"version":"[0-9a-f]{12}",`)

// mark begins a line that says what came of the steps before it.
const mark = "= "

// ReadHead reads what a story says of how it is played.
func ReadHead(src []byte) (Head, error) {
	h := Head{Seed: 1, Options: map[string]string{}}
	for n, line := range strings.Split(string(src), "\n") {
		says, is := strings.CutPrefix(strings.TrimSpace(line), "#!")
		if !is {
			continue
		}
		key, value, _ := strings.Cut(strings.TrimSpace(says), " ")
		value = strings.TrimSpace(value)
		var err error
		switch key {
		case "rulebook":
			h.Rulebook = value
		case "seed":
			h.Seed, err = strconv.ParseUint(value, 10, 64)
		case "practice":
			h.Practice = true
		case "only":
			h.Only = append(h.Only, strings.FieldsFunc(value, func(r rune) bool { return r == ',' || r == ' ' })...)
		case "option":
			name, v, ok := strings.Cut(value, "=")
			if h.Options[name] = v; !ok {
				err = fmt.Errorf("an option is NAME=VALUE, not %q", value)
			}
		default:
			err = fmt.Errorf("there is no #! %s; there are rulebook, seed, practice, option and only", key)
		}
		if err != nil {
			return h, fmt.Errorf("line %d: %w", n+1, err)
		}
	}
	if h.Rulebook == "" {
		return h, fmt.Errorf("the story does not say which rulebook it is of, as in: #! rulebook duel.yaml")
	}
	return h, nil
}

// Play plays a story and returns it with what came of it now. Broken tells the promises of the rulebook that it broke.
func Play(book *rulebook.Book, h Head, src []byte) (now []byte, broken []string, err error) {
	setup := lobby.Setup{Code: "STORY1", Hidden: true, Seed: h.Seed, Practice: h.Practice}
	if setup.Options, err = options(book, h); err != nil {
		return nil, nil, err
	}
	st := script.NewStage(book, setup)
	st.M.Held(true)
	rep := script.Report(st)
	var out strings.Builder
	said := st.Out
	st.Out = func(o *step.Output) {
		said(o)
		for _, e := range o.Effects {
			if e.Kind == step.PromiseBroken {
				broken = append(broken, e.Text)
			}
		}
		for _, l := range rep.Lines() {
			if h.keeps(l) {
				l = version.ReplaceAllString(l, "") // a story goes on as written when other rules change
				fmt.Fprintf(&out, "%s%s  %s\n", mark, sheet.FormatClock(st.Now().Milliseconds()), l)
			}
		}
	}
	last := time.Duration(0)
	for n, line := range strings.Split(strings.TrimSuffix(string(src), "\n"), "\n") {
		if strings.HasPrefix(line, strings.TrimSpace(mark)) {
			continue // written anew
		}
		out.WriteString(line + "\n")
		s, is, err := script.ParseLine(line, n+1)
		if err == nil && is {
			if s.At >= 0 && s.At < last {
				err = fmt.Errorf("line %d: times must not go back", n+1)
			} else if last = max(last, s.At); err == nil {
				err = st.Do(s)
			}
		}
		if err != nil {
			return nil, broken, err
		}
	}
	return []byte(out.String()), broken, nil
}

// keeps tells whether a line of what came of it is kept.
func (h *Head) keeps(line string) bool {
	return len(h.Only) == 0 || slices.ContainsFunc(h.Only, func(w string) bool { return strings.Contains(line, w) })
}

func options(book *rulebook.Book, h Head) (out []step.Named, err error) {
	for _, f := range book.Options {
		text, given := h.Options[f.Name]
		if !given {
			continue
		}
		v, err := sheet.ReadText(f, text)
		if err == nil {
			err = f.Check(v)
		}
		if err != nil {
			return nil, fmt.Errorf("the option %s: %w", f.Name, err)
		}
		out = append(out, step.Named{Name: f.Name, Value: v})
		delete(h.Options, f.Name)
	}
	for name := range h.Options {
		return nil, fmt.Errorf("%s has no option %q", book.Name, name)
	}
	return out, nil
}

// Difference is where what came of a story is not what it says.
type Difference struct {
	Line int    `json:"line"` // of the story as it is
	Want string `json:"want"` // "" where nothing more was to come
	Got  string `json:"got"`
}

// Compare finds the first line in which a story differs from what came of it; nil for none.
func Compare(was, now []byte) *Difference {
	w := strings.Split(strings.TrimSuffix(string(was), "\n"), "\n")
	g := strings.Split(strings.TrimSuffix(string(now), "\n"), "\n")
	for i := range max(len(w), len(g)) {
		d := Difference{Line: i + 1}
		if i < len(w) {
			d.Want = w[i]
		}
		if i < len(g) {
			d.Got = g[i]
		}
		if d.Want != d.Got {
			return &d
		}
	}
	return nil
}

// Write makes a story of inputs that a lobby took.
func Write(book *rulebook.Book, file string, setup lobby.Setup, inputs []step.Input) ([]byte, error) {
	h := Head{Rulebook: file, Seed: setup.Seed, Practice: setup.Practice, Options: map[string]string{}}
	var b strings.Builder
	fmt.Fprintf(&b, "#! rulebook %s\n#! seed %d\n", file, setup.Seed)
	if setup.Practice {
		b.WriteString("#! practice\n")
	}
	for _, o := range setup.Options {
		if f := book.Schema.Field(sheet.Lobby, o.Name); f != nil {
			h.Options[o.Name] = o.Value.Show(f, book.Rate, 0)
			fmt.Fprintf(&b, "#! option %s=%s\n", o.Name, h.Options[o.Name])
		}
	}
	for _, l := range script.FromInputs(book, setup, inputs) {
		b.WriteString(l + "\n")
	}
	now, _, err := Play(book, h, []byte(b.String()))
	return now, err
}
