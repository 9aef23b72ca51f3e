package claims

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/rulebook"
)

// nothing stands where nothing happens.
const nothing = "nothing"

// claim is what a key does, as a play shows it.
type claim struct {
	play, step, with, without string
}

// bestWorth is that of a claim in which something happens in play, and mostTried how many plays one is looked for in
// beside the first.
const bestWorth, mostTried = 4, 40

// worth says how much a claim shows; 0 for none.
func (c claim) worth() int {
	switch {
	case c.play == "":
		return 0
	case c.step == checking:
		return 1
	case strings.HasSuffix(c.step, "is loaded"):
		return 2
	case c.with == nothing:
		return 3
	}
	return bestWorth
}

// differs is the first thing that is otherwise, in play if anything is.
func differs(name string, want, got []moment) (best claim) {
	for i := range want {
		if i == len(got) || want[i].step != got[i].step {
			break
		}
		a, b := want[i].lines, got[i].lines
		n := 0
		for n < len(a) && n < len(b) && a[n] == b[n] {
			n++
		}
		if n == len(a) && n == len(b) {
			continue
		}
		c := claim{name, want[i].step, lineOf(a, n), lineOf(b, n)}
		if c.worth() > best.worth() {
			best = c
		}
		if best.worth() == bestWorth {
			break
		}
	}
	return best
}

func lineOf(lines []string, n int) string {
	if n < len(lines) {
		return lines[n]
	}
	return nothing
}

// Page plays all that there is in a folder of plays, and writes what each key and built-in field does. What nothing
// shows is missing.
func Page(folder string) (page string, missing []string, err error) {
	all, err := plays(folder)
	if err != nil {
		return "", nil, err
	}
	claims, tried, fields := map[string]claim{}, map[string]int{}, map[string]claim{}
	for _, p := range append(all, append(seriesPlays, aGame)...) {
		look(&p, claims, tried)
		p.fields(p.src, fields)
	}
	for _, m := range rulebook.Meanings() {
		if _, is := claims[m.Of+"."+m.Key]; !is {
			missing = append(missing, "the key "+m.Key+" of "+m.Of)
		}
	}
	for name, c := range fields {
		if c.play == "" {
			missing = append(missing, "the field "+name)
		}
	}
	return write(claims, fields), missing, nil
}

// look finds out what the keys of a play's rulebook do.
func look(p *play, claims map[string]claim, tried map[string]int) {
	tell := p.told
	switch p.name {
	case "a game":
		tell = toldOfGame
	case "a table", "a bracket":
		tell = toldOfSeries
	}
	whole, without := rulebook.Without(p.src)
	want := tell(whole)
	for _, w := range without {
		if claims[w.Place].worth() == bestWorth || tried[w.Place] > mostTried {
			continue
		}
		tried[w.Place]++
		if c := differs(p.name, want, tell(w.Source)); c.worth() > claims[w.Place].worth() {
			claims[w.Place] = c
		}
	}
}

const head = `# What each key does

Each key was removed from a rulebook that uses it, and the same play was run with it and without it.
A row shows the step after which something differs, and the first line that does. Some keys cannot be
left out: then the row shows what ` + "`turnvex check`" + ` says without them. The plays are the files in
` + "`internal/core/lobby/testdata`" + `. A test fails if a key or a built-in field has no row here.
`

// write writes what each key does, by object, and when each field changes.
func write(claims, fields map[string]claim) string {
	var b strings.Builder
	b.WriteString(head)
	of := ""
	all := rulebook.Meanings()
	slices.SortStableFunc(all, func(a, b rulebook.Meaning) int { return strings.Compare(a.Of, b.Of) })
	for _, m := range all {
		c := claims[m.Of+"."+m.Key]
		if m.Of != of {
			of = m.Of
			fmt.Fprintf(&b, "\n## %s\n\n| key | play | step | with it | without it |\n|---|---|---|---|---|\n", of)
		}
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s | %s |\n", m.Key, c.play, cell(c.step), cell(c.with), cell(c.without))
	}
	b.WriteString("\n## Built-in fields\n\nWhere a field first changes.\n\n" +
		"| field | play | step | before | after |\n|---|---|---|---|---|\n")
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		c := fields[name]
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s | %s |\n", name, c.play, cell(c.step), cell(c.without), cell(c.with))
	}
	return b.String()
}

// mostShown is how many characters of a line are shown.
const mostShown = 110

func cell(text string) string {
	if r := []rune(text); len(r) > mostShown {
		text = string(r[:mostShown-1]) + "…"
	}
	if text == "" || text == nothing {
		return text
	}
	return "`" + strings.NewReplacer("|", "/", "`", "'", "\n", " ").Replace(text) + "`"
}
