// Package rehearse runs a rulebook at full speed with no network: many matches with players that act at random, or one
// with players that follow a script. The same rulebook, options and seed give the same report, byte for byte, on any
// number of cores.
package rehearse

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"runtime"
	"slices"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/tool/script"
)

// Options say how to rehearse. The zero value runs 100 matches with as many players as the rulebook seats, up to 8.
type Options struct {
	Matches int             // 100 if 0
	Players int             // the rulebook's most, at most 8 and at least its least, if 0
	Seed    uint64          // of the first match; the others follow from it
	Limit   time.Duration   // of play time in one match, after which it counts as endless; 1 h if 0
	Workers int             // as many as there are cores if 0
	Options []step.Named    // of the lobby
	Stop    <-chan struct{} // once it is closed no more matches begin; nil to play all of them

	// Weights say how often players do something beside the rest: actions by name, 1 if nothing is said, and Steering,
	// as much as all actions together.
	Weights map[string]int
}

// Steering is the name under which steering has its weight.
const Steering = "steer"

// maxWeight is the greatest weight.
const maxWeight = 1000

func (o *Options) defaults(b *rulebook.Book) error {
	if o.Matches == 0 {
		o.Matches = 100
	}
	if o.Players == 0 {
		o.Players = max(min(b.Players.Most, 8), b.Players.Least, neededByTeams(b))
	}
	if o.Limit == 0 {
		o.Limit = time.Hour
	}
	if o.Workers == 0 {
		o.Workers = runtime.GOMAXPROCS(0)
	}
	switch {
	case o.Matches < 1 || o.Matches > 1_000_000:
		return errors.New("a rehearsal has 1 to 1000000 matches")
	case o.Players < b.Players.Least || o.Players > b.Players.Most:
		return errors.New("the rulebook does not seat that many players")
	}
	for _, name := range slices.Sorted(maps.Keys(o.Weights)) {
		switch w := o.Weights[name]; {
		case b.ActionNamed[name] == nil && (name != Steering || b.Movement == nil):
			return fmt.Errorf("there is no action %q that could have a weight", name)
		case w < 0 || w > maxWeight:
			return fmt.Errorf("the weight of %s is %d; it is from 0, for never, to %d", name, w, maxWeight)
		}
	}
	return nil
}

func hasReferee(b *rulebook.Book) bool {
	return b.Referee != nil || slices.ContainsFunc(b.Actions, func(a *rulebook.Action) bool { return a.Referee != nil })
}

func neededByTeams(b *rulebook.Book) int {
	n := 0
	for _, t := range b.Teams.List {
		n += t.Least
	}
	return n
}

// Run rehearses with players that act at random.
func Run(b *rulebook.Book, o Options) (*Report, error) {
	if err := o.defaults(b); err != nil {
		return nil, err
	}
	outcomes := make([]*outcome, o.Matches)
	next := make(chan int)
	var done sync.WaitGroup
	for range o.Workers {
		done.Go(func() {
			for last := range next {
				row := row{b, &o, func(lobby.Setup) func(*lobby.Lobby, *step.Input) { return nil }}
				list, _ := row.play(last)
				copy(outcomes[last-len(list)+1:], list)
			}
		})
	}
	stopped := false
	for i := 0; i < o.Matches && !stopped; i += inARow {
		select {
		case next <- min(i+inARow, o.Matches) - 1:
		case <-o.Stop:
			outcomes, stopped = outcomes[:i], true
		}
	}
	close(next)
	done.Wait()
	if o.Matches = len(outcomes); o.Matches == 0 {
		return nil, errors.New("it was stopped before a match could begin")
	}
	r := report(b, &o, outcomes)
	if !stopped {
		shorten(b, o, r)
	}
	return r, nil
}

// outcome is what one match came to.
type outcome struct {
	match   int        // its number, from 1
	seed    uint64     // of its lobby
	ticks   sheet.Tick // of play
	result  *step.Result
	endless bool // it was not over at the limit
	stuck   bool // nothing would ever have happened any more
	faults  []string
	phases  uint64
	actions map[string]int // accepted, by name
	refused map[string]int // by code
	inputs  int
	tally   *match.Tally
	unasked bool           // a referee was needed, and there was none
	broke   map[int64]bool // promises, by number
}

// seedOf makes a match's seed from the first and its number.
func seedOf(first uint64, i int) uint64 {
	x := first + uint64(i)*0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	return x ^ x>>27
}

func newOutcome(b *rulebook.Book, seed uint64) *outcome {
	return &outcome{seed: seed, actions: map[string]int{}, refused: map[string]int{}, tally: match.NewTally(b),
		broke: map[int64]bool{}}
}

// note takes what an input led to into the outcome.
func (oc *outcome) note(b *rulebook.Book, m *lobby.Lobby, in *step.Input, out *step.Output) {
	oc.inputs++
	for _, e := range out.Effects {
		switch e.Kind {
		case step.SaveResult:
			oc.result = e.Result
		case step.Unmanned:
			oc.unasked = true
		case step.PromiseBroken:
			oc.broke[e.N] = true
		case step.Fault:
			oc.faults = append(oc.faults, e.Text)
		}
	}
	switch v := &out.Verdict; {
	case in.Kind != step.Intent:
	case v.OK() && in.Verb == step.Act:
		oc.actions[in.Name]++
	case !v.OK() && v.Code != code.Charging && oc.result == nil: // what is asked for at the end itself says nothing
		oc.refused[string(v.Code)]++
	}
	if list := m.Store().Of(sheet.Match); len(list) > 0 {
		oc.phases |= 1 << list[0].Int(b.F.Match.Phase)
	}
}

// Script rehearses one match with players that follow a script, and tells what happens, line by line, to tell. After
// the script's last step time goes on until the match is over or the limit has passed.
func Script(b *rulebook.Book, steps []script.Step, o Options, tell func(at time.Duration, line string),
	record io.Writer) (*Report, error) {
	o.Matches = 1
	if o.Limit == 0 {
		o.Limit = time.Hour
	}
	setup := lobby.Setup{Code: "SCRIPT", Hidden: true, Seed: o.Seed, Options: o.Options}
	st := script.NewStage(b, setup)
	rep := script.Report(st)
	oc := newOutcome(b, o.Seed)
	oc.match = 1
	st.M.Count(oc.tally)
	st.M.Held(true)
	var last *step.Input
	said := st.Out
	st.Out = func(out *step.Output) {
		oc.note(b, st.M, last, out)
		said(out)
		for _, l := range rep.Lines() {
			tell(st.Now(), l)
		}
	}
	var jw *journal.Writer
	if record != nil {
		var err error
		if jw, err = journal.NewWriter(record, journal.Head{Rulebook: b.Source, Setup: setup},
			hashEvery(b)); err != nil {
			return nil, err
		}
	}
	var failed error
	st.Took = func(in *step.Input) {
		last = in
		if jw != nil {
			failed = errors.Join(failed, jw.Hash(st.M), jw.Input(in))
		}
	}
	for _, s := range steps {
		if err := st.Do(s); err != nil {
			return nil, err
		}
	}
	for oc.result == nil && st.Now() < o.Limit && st.M.Next() != 0 {
		st.Pass(time.Second)
	}
	oc.ticks = st.M.PlayTick()
	oc.endless = oc.result == nil && st.M.State() == rulebook.Playing
	oc.stuck = oc.endless && st.M.Next() == 0
	if jw != nil {
		failed = errors.Join(failed, jw.Hash(st.M))
	}
	return report(b, &o, []*outcome{oc}), failed
}

// hashEvery is how often a hash stands in a journal: every five seconds.
func hashEvery(b *rulebook.Book) sheet.Tick { return sheet.Tick(5 * b.Rate) }
