// Package claims shows what each key of a rulebook does: it takes the key out of a rulebook that uses it, plays that,
// and tells what happens otherwise.
package claims

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/tool/script"
)

// play is a rulebook with what people do in it.
type play struct {
	name  string
	src   []byte
	setup lobby.Setup
	steps []string
}

// plays are those of the lobby's own tests.
func plays(folder string) (out []play, err error) {
	files, err := filepath.Glob(filepath.Join(folder, "*.txt"))
	if err != nil || len(files) == 0 {
		return nil, fmt.Errorf("there are no plays in %s", folder)
	}
	for _, file := range files {
		data, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		p := play{name: strings.TrimSuffix(filepath.Base(file), ".txt"),
			setup: lobby.Setup{Code: "SCRIPT", Seed: 1, Hidden: true, Region: "harbour"}}
		for _, line := range strings.Split(string(data), "\n") {
			word, rest, _ := strings.Cut(line, " ")
			switch {
			case line == "> hash":
			case word == ">":
				p.steps = append(p.steps, rest)
			case word == "rulebook" && len(p.steps) == 0:
				if p.src, err = os.ReadFile(filepath.Join(folder, rest)); err != nil {
					return nil, err
				}
			case word == "seed" && len(p.steps) == 0:
				p.setup.Seed, _ = strconv.ParseUint(rest, 10, 64)
			case line == "practice":
				p.setup.Practice = true
			case strings.HasPrefix(line, "    ") && len(p.steps) == 0:
				p.src = append(p.src, line[4:]+"\n"...)
			}
		}
		out = append(out, p)
	}
	return out, nil
}

// checking is the step in which turnvex check looks at a rulebook.
const checking = "the check"

// moment is a step, and what follows from it.
type moment struct {
	step  string
	lines []string
}

var versions = regexp.MustCompile(`"version":"[0-9a-f]+",?`)

// told is what follows from each step, beginning with what clients are told of the rulebook.
func (p *play) told(src []byte) (out []moment) {
	book, problems := rulebook.Compile(src)
	if book == nil {
		return refusedFor(problems)
	}
	out = append(out, moment{checking, nil}, moment{"the rulebook is loaded", described(book)})
	st := script.NewStage(book, p.setup)
	rep := script.Report(st)
	for i, text := range p.steps {
		step, _, err := script.ParseLine(text, i+1)
		if err == nil {
			err = st.Do(step)
		}
		lines := rep.Lines()
		if err != nil {
			lines = append(lines, "error: "+err.Error())
		}
		for i := range lines {
			lines[i] = versions.ReplaceAllString(lines[i], "")
		}
		out = append(out, moment{text, lines})
	}
	return out
}

// described is what clients and the service are told of a rulebook, beside its rules.
func described(b *rulebook.Book) (out []string) {
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	say("%s: %s, in %v", b.Title, b.About, b.Regions)
	say("%d players share a screen, spectators are %d ticks behind", b.Players.Local, b.Spectators.Delay)
	for _, a := range b.Actions {
		say("action %s: %s, key %q", a.Name, a.Title, a.Key)
	}
	for _, p := range b.Phases {
		say("phase %s: %s", p.Name, p.Title)
	}
	for _, v := range b.Votes {
		say("vote %s: %s", v.Name, v.Title)
	}
	for _, c := range b.Creatures {
		say("creature %s: %s", c.Name, c.Title)
	}
	for _, p := range b.Pieces {
		say("piece %s: %s", p.Name, p.Title)
	}
	for _, z := range b.Zones {
		say("zone %s: %s", z.Name, z.Title)
	}
	if b.Ground != nil && b.Ground.Sight != nil {
		s, cone := *b.Ground.Sight, rulebook.Cone{}
		if s.Cone != nil {
			cone = *s.Cone
		}
		say("positions are told to %d and %d mm, every %d ticks, within %v", s.Near, s.Far, s.Every, cone)
	}
	if b.Arenas != nil {
		for _, a := range b.Grounds {
			say("arena: %s", a.Title)
		}
	}
	for _, x := range b.Boards {
		say("board %s, of the game %v: %s, %v, least first %v, renewed %v %v in %s", x.Name, x.Game, x.Title, x.Show,
			x.Least, x.Renew, x.Dates, x.Zone)
		say("clients post to %s %v: %d to %d, every %d ms", x.Name, x.Open, x.Lowest, x.Most, x.Every)
	}
	for _, r := range b.Record {
		say("record %s, of the game %v, was %v", r.Field.Name, r.Game, r.Was)
	}
	for _, n := range b.Notices {
		say("notice %s: needed %v", n.Name, n.Needed)
	}
	for k, fields := range replica.Describe(b.Schema).Kinds {
		for _, f := range fields {
			data, _ := json.Marshal(f)
			say("field of the %s: %s", sheet.Kind(k), data)
		}
	}
	return out
}
