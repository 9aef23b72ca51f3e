package rehearse

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Report is what a rehearsal came to. It says nothing of how long it took, so
// that the same seed gives the same report.
type Report struct {
	Rulebook  string   `json:"rulebook"`
	Version   string   `json:"version"`
	Seed      uint64   `json:"seed"`
	Matches   int      `json:"matches"`
	Players   int      `json:"players,omitempty"`
	Ended     int      `json:"ended"`
	Shortest  int64    `json:"shortest_ms"`
	Median    int64    `json:"median_ms"`
	Longest   int64    `json:"longest_ms"`
	Lengths   []Bar    `json:"lengths"`  // how many matches took how long
	Sides     []Side   `json:"sides"`    // how often each side won
	Reasons   []Count  `json:"reasons"`  // why matches ended
	Actions   []Count  `json:"actions"`  // how often each was accepted
	Refusals  []Count  `json:"refusals"` // by code
	Unused    []string `json:"unused"`   // phases and actions that were never used
	Endless   []uint64 `json:"endless"`  // seeds of matches not over at the limit
	Stuck     []uint64 `json:"stuck"`    // seeds of matches in which nothing could happen any more
	Faults    []string `json:"faults"`   // what the rulebook did that it may not
	PlayTicks int64    `json:"play_ticks"`
	Rate      int      `json:"rate"`
	Inputs    int      `json:"inputs"`
}

// Bar is a range of lengths and how many matches fell into it.
type Bar struct {
	From  int64 `json:"from_ms"`
	To    int64 `json:"to_ms"`
	Count int   `json:"count"`
}

// Side is a team, or a player's place in order of entry.
type Side struct {
	Name  string `json:"name"`
	Won   int    `json:"won"`
	Drawn int    `json:"drawn"`
	Lost  int    `json:"lost"`
}

// Count is how often something happened.
type Count struct {
	What  string `json:"what"`
	Count int    `json:"count"`
}

func report(b *rulebook.Book, o *Options, outcomes []*outcome) *Report {
	r := &Report{
		Rulebook: b.Name,
		Version:  b.Version,
		Seed:     o.Seed,
		Matches:  len(outcomes),
		Players:  o.Players,
		Rate:     b.Rate,
		Sides:    []Side{},
		Unused:   []string{},
		Endless:  []uint64{},
		Stuck:    []uint64{},
		Faults:   []string{},
	}
	reasons, actions, refused, faults := map[string]int{}, map[string]int{}, map[string]int{}, map[string]int{}
	sides := map[string]*Side{}
	var lengths []int64
	phases := uint64(0)
	for _, oc := range outcomes {
		r.PlayTicks += int64(oc.ticks)
		r.Inputs += oc.inputs
		phases |= oc.phases
		add(actions, oc.actions)
		add(refused, oc.refused)
		for _, f := range oc.faults {
			faults[f]++
		}
		if oc.stuck {
			r.Stuck = append(r.Stuck, oc.seed)
		} else if oc.endless {
			r.Endless = append(r.Endless, oc.seed)
		}
		if oc.result == nil {
			continue
		}
		r.Ended++
		lengths = append(lengths, oc.result.Millis)
		reasons[oc.result.Because]++
		countSides(b, oc, sides)
	}
	r.lengths(lengths)
	r.Reasons, r.Actions, r.Refusals = counts(reasons), counts(actions), counts(refused)
	for _, n := range slices.Sorted(maps.Keys(sides)) {
		r.Sides = append(r.Sides, *sides[n])
	}
	r.Faults = append(r.Faults, slices.Sorted(maps.Keys(faults))...)
	for _, p := range b.Phases {
		if phases&(1<<p.No) == 0 {
			r.Unused = append(r.Unused, "phase "+p.Name)
		}
	}
	for _, a := range b.Actions {
		if actions[a.Name] == 0 {
			r.Unused = append(r.Unused, "action "+a.Name)
		}
	}
	return r
}

func add(to, from map[string]int) {
	for k, n := range from {
		to[k] += n
	}
}

// counts lists what was counted, the most frequent first.
func counts(m map[string]int) []Count {
	out := []Count{}
	for k, n := range m {
		out = append(out, Count{k, n})
	}
	slices.SortFunc(
		out,
		func(a, b Count) int { return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.What, b.What)) },
	)
	return out
}

func countSides(b *rulebook.Book, oc *outcome, sides map[string]*Side) {
	count := func(name, outcome string) {
		if sides[name] == nil {
			sides[name] = &Side{Name: name}
		}
		switch outcome {
		case "won":
			sides[name].Won++
		case "drawn":
			sides[name].Drawn++
		case "lost":
			sides[name].Lost++
		}
	}
	if b.Win.Teams {
		for _, t := range oc.result.Teams {
			count(t.Title, t.Outcome)
		}
		return
	}
	for _, p := range oc.result.Players {
		count(p.Name, p.Outcome)
	}
}

// bars is how many ranges lengths are counted in.
const bars = 12

func (r *Report) lengths(list []int64) {
	r.Lengths = []Bar{}
	if len(list) == 0 {
		return
	}
	slices.Sort(list)
	r.Shortest, r.Median, r.Longest = list[0], list[len(list)/2], list[len(list)-1]
	width := (r.Longest-r.Shortest)/bars + 1
	if width < 1000 {
		width = 1000
	}
	width = (width + 999) / 1000 * 1000
	from := r.Shortest / 1000 * 1000
	for at := from; at <= r.Longest; at += width {
		n := 0
		for _, l := range list {
			if l >= at && l < at+width {
				n++
			}
		}
		r.Lengths = append(r.Lengths, Bar{at, at + width, n})
	}
}

// Text writes the report for a person.
func (r *Report) Text() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s %s, seed %d: %d of %d matches ended", r.Rulebook, r.Version, r.Seed, r.Ended, r.Matches)
	if r.Players > 0 {
		fmt.Fprintf(&b, ", %d players each", r.Players)
	}
	b.WriteByte('\n')
	if r.Ended > 0 {
		fmt.Fprintf(
			&b,
			"\nLength: shortest %s, median %s, longest %s\n",
			sheet.FormatClock(r.Shortest),
			sheet.FormatClock(r.Median),
			sheet.FormatClock(r.Longest),
		)
		most := 1
		for _, bar := range r.Lengths {
			most = max(most, bar.Count)
		}
		for _, bar := range r.Lengths {
			fmt.Fprintf(
				&b,
				"  %s to %s  %-40s %d\n",
				clock(bar.From),
				clock(bar.To),
				strings.Repeat("█", (bar.Count*40+most-1)/most),
				bar.Count,
			)
		}
		b.WriteString("\nSides:\n")
		for _, s := range r.Sides {
			fmt.Fprintf(
				&b,
				"  %-16s won %5.1f %%   drawn %5.1f %%   lost %5.1f %%\n",
				s.Name,
				share(s.Won, r.Ended),
				share(s.Drawn, r.Ended),
				share(s.Lost, r.Ended),
			)
		}
	}
	list := func(title string, cs []Count) {
		if len(cs) == 0 {
			return
		}
		fmt.Fprintf(&b, "\n%s:\n", title)
		for _, c := range cs {
			fmt.Fprintf(&b, "  %8d  %s\n", c.Count, c.What)
		}
	}
	list("Why they ended", r.Reasons)
	list("Actions", r.Actions)
	list("Refusals", r.Refusals)
	problems(&b, "Never used", r.Unused)
	problems(&b, "The rulebook was stopped", r.Faults)
	seeds := func(list []uint64) (out []string) {
		for _, s := range list[:min(len(list), 5)] {
			out = append(out, fmt.Sprint("the match with seed ", s))
		}
		if len(list) > 5 {
			out = append(out, fmt.Sprintf("and %d more", len(list)-5))
		}
		return out
	}
	problems(&b, "Not over at the limit", seeds(r.Endless))
	problems(&b, "Stuck: nothing could happen any more", seeds(r.Stuck))
	return b.String()
}

func problems(b *strings.Builder, title string, list []string) {
	if len(list) == 0 {
		return
	}
	fmt.Fprintf(b, "\n%s:\n", title)
	for _, l := range list {
		fmt.Fprintf(b, "  %s\n", l)
	}
}

func share(n, of int) float64 { return 100 * float64(n) / float64(of) }

// clock writes a length without its thousandths.
func clock(ms int64) string { return strings.TrimSuffix(sheet.FormatClock(ms), ".000") }
