package rehearse

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/chance"
	"turnvex.example/turnvex/internal/tool/script"
)

// Breach is a promise of the rulebook that matches broke.
type Breach struct {
	Promise string   `json:"promise"`
	Line    int      `json:"line"`
	Matches int      `json:"matches"`          // how many broke it
	First   int      `json:"first"`            // the number of the first of them
	Seed    uint64   `json:"seed"`             // of its lobby
	Script  []string `json:"script,omitempty"` // the shortest that was found, a story ready to be kept

	no int64
}

// maxTries is how many scripts are tried for a shorter one.
const maxTries = 2000

// breaches gathers which promises were broken.
func breaches(b *rulebook.Book, outcomes []*outcome) (out []Breach) {
	for _, p := range b.Promises {
		x := Breach{Promise: p.Text, Line: p.Line, no: int64(p.No)}
		for _, oc := range outcomes {
			if !oc.broke[x.no] {
				continue
			}
			if x.Matches++; x.Matches == 1 {
				x.First, x.Seed = oc.match, oc.seed
			}
		}
		if x.Matches > 0 {
			out = append(out, x)
		}
	}
	return out
}

// shorten finds for each breach of a rehearsal with random players a short script that still breaks the promise.
func shorten(b *rulebook.Book, o Options, r *Report) {
	for i := range r.Breaches {
		x := &r.Breaches[i]
		taken, s := []step.Input{}, &shrinker{book: b, no: x.no}
		_, t := (&row{b, &o, func(setup lobby.Setup) func(*lobby.Lobby, *step.Input) {
			taken, s.setup = nil, setup
			return func(m *lobby.Lobby, in *step.Input) { taken = append(taken, kept(in)) }
		}}).play(x.First - 1)
		end := time.Duration(t.m.Tick()+1) * time.Second / time.Duration(b.Rate)
		x.Script = s.shrink(script.FromInputs(b, s.setup, taken), end)
	}
}

// kept is an input that may be taken again: its lists are its own.
func kept(in *step.Input) step.Input {
	out := *in
	out.Args, out.Names, out.Record = slices.Clone(in.Args), slices.Clone(in.Names), slices.Clone(in.Record)
	return out
}

// shrinker makes scripts shorter that break a promise.
type shrinker struct {
	book  *rulebook.Book
	setup lobby.Setup
	no    int64
}

// breaks plays lines, and returns when the promise was broken, to when at most.
func (s *shrinker) breaks(lines []string, end time.Duration) (at time.Duration, yes bool) {
	steps, err := script.Parse([]byte(strings.Join(lines, "\n")))
	if err != nil {
		return 0, false
	}
	st := script.NewStage(s.book, s.setup)
	st.M.Held(true)
	st.Out = func(out *step.Output) {
		for _, e := range out.Effects {
			if e.Kind == step.PromiseBroken && e.N == s.no && !yes {
				at, yes = st.Now(), true
			}
		}
		st.M.Store().ClearChanges()
	}
	for _, x := range steps {
		if x.At > end {
			break
		}
		if st.Do(x) != nil {
			return 0, false
		}
		if yes {
			return at, true
		}
	}
	if st.Now() < end {
		st.Pass(end - st.Now())
	}
	return at, yes
}

// shrink leaves lines out as long as the promise is still broken: many at once, then fewer. It gives a story: what
// opened the lobby, the lines, and the time that passes behind them.
func (s *shrinker) shrink(lines []string, end time.Duration) []string {
	at, broken := s.breaks(lines, end)
	if !broken {
		return nil // no step can say what did it
	}
	end = at
	lines = chance.Shrink(lines, maxTries, func(without []string) bool {
		at, ok := s.breaks(without, end)
		if ok {
			end = at
		}
		return ok
	})
	return append(s.head(), append(lines, s.tail(lines, end)...)...)
}

// head are the lines that say how the lobby was opened.
func (s *shrinker) head() []string {
	out := []string{"#! rulebook " + s.book.Name + ".yaml", fmt.Sprintf("#! seed %d", s.setup.Seed), "#! only promise"}
	for _, o := range s.setup.Options {
		f := s.book.Schema.Field(0, o.Name)
		out = append(out, fmt.Sprintf("#! option %s=%s", o.Name, o.Value.Show(f, s.book.Rate, 0)))
	}
	return out
}

// tail lets the time pass that is left until the promise is broken.
func (s *shrinker) tail(lines []string, end time.Duration) []string {
	last := time.Duration(0)
	if steps, err := script.Parse([]byte(strings.Join(lines, "\n"))); err == nil {
		for _, x := range steps {
			last = max(last, x.At)
		}
	}
	if end <= last {
		return nil
	}
	return []string{"wait " + (end - last).String()}
}
