package rehearse

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Report is what a rehearsal came to. It says nothing of how long it took, so that the same seed gives the same report.
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
	Lengths   []Bar    `json:"lengths"`            // how many matches took how long
	Sides     []Side   `json:"sides"`              // how often each side won
	Seats     []Side   `json:"seats"`              // the same of each player, in order of entry
	Unfair    []string `json:"unfair"`             // which side or seat wins more or less often than chance explains
	Reasons   []Count  `json:"reasons"`            // why matches ended
	Actions   []Count  `json:"actions"`            // how often each was accepted
	StandIns  []Count  `json:"stand_ins"`          // how often stand-ins took each
	Refusals  []Count  `json:"refusals"`           // by code
	Unused    []string `json:"unused"`             // what of the rulebook was never used, placed, granted or told
	Endless   []int    `json:"endless"`            // numbers of matches not over at the limit
	Stuck     []int    `json:"stuck"`              // numbers of matches in which nothing could happen any more
	Faults    []string `json:"faults"`             // what the rulebook did that it may not
	Failed    []Count  `json:"failed"`             // how often the expressions of a line could not be computed
	Breaches  []Breach `json:"breaches,omitempty"` // of promises
	Unasked   bool     `json:"unasked"`            // a referee was needed, and none was there
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
	Name  string  `json:"name"`
	Won   int     `json:"won"`
	Drawn int     `json:"drawn"`
	Lost  int     `json:"lost"`
	Low   float64 `json:"low"` // the 95 % interval of the share of matches won
	High  float64 `json:"high"`
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
		Seats:    []Side{},
		Unfair:   []string{},
		Unused:   []string{},
		Endless:  []int{},
		Stuck:    []int{},
		Faults:   []string{},
		Failed:   []Count{},
	}
	reasons, actions, refused, faults := map[string]int{}, map[string]int{}, map[string]int{}, map[string]int{}
	sides, seats := map[string]*Side{}, map[string]*Side{}
	tally := match.NewTally(b)
	var lengths []int64
	phases := uint64(0)
	for _, oc := range outcomes {
		r.PlayTicks += int64(oc.ticks)
		r.Inputs += oc.inputs
		phases |= oc.phases
		add(actions, oc.actions)
		add(refused, oc.refused)
		tally.Add(oc.tally)
		r.Unasked = r.Unasked || oc.unasked
		for _, f := range oc.faults {
			faults[f]++
		}
		if oc.stuck {
			r.Stuck = append(r.Stuck, oc.match)
		} else if oc.endless {
			r.Endless = append(r.Endless, oc.match)
		}
		if oc.result == nil {
			continue
		}
		r.Ended++
		lengths = append(lengths, oc.result.Millis)
		reasons[oc.result.Because]++
		countSides(b, oc, sides, seats)
	}
	r.Breaches = breaches(b, outcomes)
	r.lengths(lengths)
	r.Reasons, r.Actions, r.Refusals = counts(reasons), counts(actions), counts(refused)
	taken := map[string]int{}
	for _, a := range b.Actions {
		if n := tally.StandIns[a.No]; n > 0 {
			taken[a.Name] = n
		}
	}
	r.StandIns = counts(taken)
	r.Sides, r.Seats = r.sorted(sides), r.sorted(seats)
	if r.Players > 0 { // players by chance: what they do is no reason
		r.Unfair = append(append(r.Unfair, advantages(r.Sides, r.Ended)...), seatAdvantages(b, r)...)
	}
	r.Faults = append(r.Faults, slices.Sorted(maps.Keys(faults))...)
	r.Unused = append(r.Unused, unused(b, phases, actions, tally)...)
	for _, line := range slices.Sorted(maps.Keys(tally.Faults)) {
		r.Failed = append(r.Failed, Count{fmt.Sprint("line ", line), tally.Faults[line]})
	}
	return r
}

// sorted lists sides by name, with their intervals.
func (r *Report) sorted(sides map[string]*Side) []Side {
	out := []Side{}
	names := slices.SortedFunc(maps.Keys(sides), func(a, b string) int { // Player 2 before Player 10
		return cmp.Or(cmp.Compare(strings.TrimRight(a, "0123456789"), strings.TrimRight(b, "0123456789")),
			cmp.Compare(len(a), len(b)), cmp.Compare(a, b))
	})
	for _, n := range names {
		s := *sides[n]
		s.Low, s.High = interval(s.Won, r.Ended)
		out = append(out, s)
	}
	return out
}

// seatAdvantages compares the players where they are not the sides themselves.
func seatAdvantages(b *rulebook.Book, r *Report) []string {
	if !b.Win.Teams {
		return nil
	}
	return advantages(r.Seats, r.Ended)
}

// Wrong tells whether matches went as they must not: stopped by their rulebook, not over at the limit, stuck, or
// against a promise.
func (r *Report) Wrong() bool { return len(r.Faults)+len(r.Endless)+len(r.Stuck)+len(r.Breaches) > 0 }

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
	slices.SortFunc(out,
		func(a, b Count) int { return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.What, b.What)) })
	return out
}

func countSides(b *rulebook.Book, oc *outcome, sides, seats map[string]*Side) {
	count := func(sides map[string]*Side, name, outcome string) {
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
			count(sides, t.Title, t.Outcome)
		}
	}
	for _, p := range oc.result.Players {
		if count(seats, p.Name, p.Outcome); !b.Win.Teams {
			count(sides, p.Name, p.Outcome)
		}
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
		fmt.Fprintf(&b, "\nLength: shortest %s, median %s, longest %s\n", sheet.FormatClock(r.Shortest),
			sheet.FormatClock(r.Median), sheet.FormatClock(r.Longest))
		most := 1
		for _, bar := range r.Lengths {
			most = max(most, bar.Count)
		}
		for _, bar := range r.Lengths {
			fmt.Fprintf(&b, "  %s to %s  %-40s %d\n", clock(bar.From), clock(bar.To),
				strings.Repeat("█", (bar.Count*40+most-1)/most), bar.Count)
		}
		b.WriteString("\nSides, with the 95 % interval of what they win:\n")
		for _, s := range r.Sides {
			fmt.Fprintf(&b, "  %-16s won %5.1f %% (%.1f to %.1f)   drawn %5.1f %%   lost %5.1f %%\n", s.Name,
				share(s.Won, r.Ended), 100*s.Low, 100*s.High, share(s.Drawn, r.Ended), share(s.Lost, r.Ended))
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
	problems(&b, "Not fair", r.Unfair)
	list("Why they ended", r.Reasons)
	list("Actions", r.Actions)
	list("Actions of stand-ins", r.StandIns)
	list("Refusals", r.Refusals)
	problems(&b, "Never used", r.Unused)
	list("Could not be computed (division by zero, or too large)", r.Failed)
	if r.Unasked {
		problems(&b, "No referee",
			[]string{"an action asks a referee, and none was there; a script says: referee arrives"})
	}
	r.showBreaches(&b)
	problems(&b, "The rulebook was stopped", r.Faults)
	numbers := func(list []int) (out []string) {
		for _, n := range list[:min(len(list), 5)] {
			out = append(out, fmt.Sprintf("match %d: -match %d -journal FILE writes what happened", n, n))
		}
		if len(list) > 5 {
			out = append(out, fmt.Sprintf("and %d more", len(list)-5))
		}
		return out
	}
	problems(&b, "Not over at the limit", numbers(r.Endless))
	problems(&b, "Stuck: nothing could happen any more", numbers(r.Stuck))
	return b.String()
}

// showBreaches writes the promises that were broken, and how.
func (r *Report) showBreaches(b *strings.Builder) {
	if len(r.Breaches) > 0 {
		b.WriteString("\nBroken promises:\n")
	}
	for _, x := range r.Breaches {
		fmt.Fprintf(b, "  line %d: %s: in %d of %d matches, first in match %d\n", x.Line, x.Promise,
			x.Matches, r.Matches, x.First)
		if len(x.Script) == 0 {
			continue
		}
		b.WriteString("  The shortest script that was found to break it:\n\n")
		for _, l := range x.Script {
			b.WriteString("    " + l + "\n")
		}
		b.WriteByte('\n')
	}
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
