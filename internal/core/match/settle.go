package match

import (
	"fmt"
	"regexp"
	"strings"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// rules fires the rulebook's rules until nothing follows any more.
type rules struct {
	*stage
	acts      *acts
	creatures *creatures
	ends      *ends
	flow      *flow
	pieces    *pieces
	values    *values

	firings  []firing
	changed  [sheet.Kinds]sheet.Mask // since the ends of phase and match were last looked at
	ruleNext []sheet.Tick            // play ticks, by rule
	promised bool                    // the rulebook's promises are held
	broke    broken                  // of them
}

// The bounds of what one input or tick may set off.
const (
	maxPasses    = 32      // rounds of rules setting off rules
	maxSteps     = 16      // phases entered
	effectBudget = 200_000 // effects carried out
)

// event is something rules may wait for.
type event struct {
	on     rulebook.Event
	player *sheet.Row // or the creature; nil for the match's own
}

// firing is a condition that has come true for a sheet.
type firing struct {
	rule *rulebook.Rule
	row  *sheet.Row
}

// Settle lets everything follow from what has changed: derived fields, then events in the order in which they came,
// then conditions in the order of the file; again until nothing changes; then the phase and the match may end, and so
// on. It is bounded: a rulebook that never settles is stopped and reported.
func (m *rules) Settle() {
	for steps := 0; ; steps++ {
		m.settleRules()
		if !m.InPlay() {
			return
		}
		if m.broken == "" && steps == maxSteps {
			m.broken = fmt.Sprintf("more than %d phases or turns followed each other at one tick", maxSteps)
		}
		if m.broken != "" {
			m.breakOff()
			m.settleRules() // what is still derived belongs to this step
			return
		}
		happened := m.flow.transition()
		if !happened {
			m.changed = [sheet.Kinds]sheet.Mask{}
			m.holdPromises(false)
			return
		}
	}
}

func (m *rules) settleRules() {
	for pass := 0; ; pass++ {
		m.values.derive()
		if m.row == nil || m.broken != "" {
			break
		}
		m.firings = m.firings[:0]
		if !m.over {
			m.collect()
		}
		if m.env.Work.Over() {
			m.lookedTooMuch(m.lastRuleLine())
			break
		}
		if len(m.queue) == 0 && len(m.firings) == 0 {
			break
		}
		if pass == maxPasses {
			m.broken = fmt.Sprintf("rules went on setting off rules after %d passes (the rule in line %d among them)",
				maxPasses, m.lastRuleLine())
			break
		}
		m.forget()
		m.runQueue()
		for _, f := range m.firings {
			if m.st.Get(f.row.ID) == f.row {
				m.subject(f.rule.For, f.row)
				m.fire(f.rule)
			}
		}
	}
	m.queue = m.queue[:0]
	m.forget()
}

// forget clears what the rules have looked at, and keeps it in mind for the conditions that end phases and matches.
func (m *rules) forget() {
	for k := range m.changed {
		m.changed[k].Add(&m.st.Touched()[k])
		m.stirred = m.stirred || m.book.TouchReads[k].Meets(&m.st.Touched()[k])
	}
	m.st.ClearTouched()
}

func (m *rules) lastRuleLine() int {
	if n := len(m.firings); n > 0 {
		return m.firings[n-1].rule.Line
	}
	return 0
}

// maxHolds bounds how often bounds by expression follow derived fields that follow them.
const maxHolds = 8

// collect finds the conditions that have come true since they were last looked at, in the order of the file, and for
// each in the order in which the players or teams came.
func (m *rules) collect() {
	touched := m.st.AnyTouched()
	sorted := false
	for _, r := range m.book.Whens {
		reads := &r.When.Reads
		switch {
		case m.plainly || reads.Clock || touched && r.When.TouchedAny(m.st.Touched()):
			m.lookAll(r)
		case r.For == sheet.Match:
			if touched && r.When.Touched(m.st.Touched()) || r.When.Const {
				m.look(r, m.row)
			}
		case touched && reads.Own[r.For].Meets(&m.st.Touched()[r.For]):
			if !sorted {
				m.st.SortHot()
				sorted = true
			}
			for _, row := range m.st.Hot() {
				if row.Kind == r.For && row.Touched.Meets(&reads.Own[r.For]) && m.concerns(r, row) {
					m.look(r, row)
				}
			}
		}
	}
}

func (m *rules) lookAll(r *rulebook.Rule) {
	if r.For == sheet.Match {
		m.look(r, m.row)
		return
	}
	for _, row := range m.subjects(r.For) {
		if m.concerns(r, row) {
			m.look(r, row)
		}
	}
}

// concerns tells whether a rule for its kind looks at a sheet.
func (m *rules) concerns(r *rulebook.Rule, row *sheet.Row) bool {
	switch row.Kind {
	case sheet.Player:
		return row.Flag(m.book.F.Player.Playing)
	case sheet.Creature:
		return r.Kinds&(1<<row.Int(m.book.F.Creature.Kind)) != 0
	case sheet.Zone:
		return r.Kinds&(1<<row.Int(m.book.F.Zone.Kind)) != 0
	}
	return true
}

// look evaluates a condition for one sheet and notes when it has come true.
func (m *rules) look(r *rulebook.Rule, row *sheet.Row) {
	m.subject(r.For, row)
	if !m.yes(r.When, r.Line) {
		row.Edges &^= r.Edge
		return
	}
	if row.Edges&r.Edge == 0 {
		row.Edges |= r.Edge
		m.firings = append(m.firings, firing{r, row})
	}
}

// fire carries a rule out for the present subject, if its other conditions hold.
func (m *rules) fire(r *rulebook.Rule) {
	if m.broken != "" || r.Phases&(1<<m.phase) == 0 {
		return
	}
	if r.If != nil && !m.yes(r.If, r.Line) {
		return
	}
	m.tallied(func(t *Tally) { t.Rules[r.No]++ })
	m.do(r.Do)
}

// runQueue carries out the rules that waited for events.
func (m *rules) runQueue() {
	for i := 0; i < len(m.queue); i++ { // rules may add events while this goes on
		e := m.queue[i]
		if i == maxPasses*len(m.players)+maxPasses*maxPasses {
			m.broken = "events went on setting off events"
			break
		}
		if e.player != nil && m.st.Get(e.player.ID) != e.player {
			continue // gone by now
		}
		for _, r := range m.book.Rules {
			if r.On == e.on {
				m.fireEvent(r, e.player)
			}
		}
		if e.on == rulebook.OnOut {
			m.afterOut(e.player)
		}
	}
	m.queue = m.queue[:0]
}

// afterOut does what follows when the rules have acted that waited for somebody to go out.
func (m *rules) afterOut(r *sheet.Row) {
	if r.Kind == sheet.Creature {
		m.creatures.buried(r)
		return
	}
	m.pieces.bearersOut(r)
}

// fireEvent carries out a rule that waited for an event, of a player or creature or of the match.
func (m *rules) fireEvent(r *rulebook.Rule, of *sheet.Row) {
	if of == nil {
		m.fireAll(r)
		return
	}
	if of.Kind == r.For && m.st.Get(of.ID) == of && (of.Kind != sheet.Creature || m.concerns(r, of)) {
		m.subject(of.Kind, of)
		m.fire(r)
	}
}

// fireAll carries a rule out for each of its subjects.
func (m *rules) fireAll(r *rulebook.Rule) {
	if r.For == sheet.Match {
		m.subject(sheet.Match, m.row)
		m.fire(r)
		return
	}
	start := len(m.hits)
	m.hits = append(m.hits, m.subjects(r.For)...) // the list may change while it is walked
	for i := start; i < len(m.hits); i++ {
		row := m.hits[i]
		if row.Kind >= sheet.Creature && (m.st.Get(row.ID) != row || !m.concerns(r, row)) {
			continue
		}
		m.subject(r.For, row)
		m.fire(r)
	}
	m.hits = m.hits[:start]
}

// scheduleRules sets when the rules at intervals act first: one interval into the match.
func (m *rules) scheduleRules() {
	for i, r := range m.book.Rules {
		if r.On == rulebook.OnEvery {
			m.ruleNext[i] = m.play + m.interval(r)
		}
	}
}

// interval is how long a rule waits now.
func (m *rules) interval(r *rulebook.Rule) sheet.Tick {
	m.subject(sheet.Match, m.row)
	return max(sheet.Tick(ticksOf(m.stage, r.Every, r.Line)), 1)
}

// everyRules carries out the rules whose interval is over. Intervals are counted in the phases in which the rule acts.
func (m *rules) everyRules() {
	for i, r := range m.book.Rules {
		if m.ruleNext[i] == 0 || m.ruleNext[i] > m.play {
			continue
		}
		m.ruleNext[i] = m.play + m.interval(r)
		m.fireAll(r)
	}
}

// breakOff ends a match whose rulebook did what it may not, with no outcome.
func (m *rules) breakOff() {
	m.out.Do(step.Effect{Kind: step.Fault, Text: m.broken})
	m.queue = m.queue[:0]
	m.ends.endMatch(stopped(m.broken))
}

var everything = sheet.AllFields()

var lineOfFault = regexp.MustCompile(`line \d+`)

// stopped is because of what a match ends whose rulebook was stopped, as players are told: with the line, and cut at a
// word where there is no room for more. The operator is told the whole.
func stopped(broken string) string {
	out := "the rulebook was stopped"
	if line := lineOfFault.FindString(broken); line != "" {
		out += " in " + line
	}
	out += ":"
	for _, word := range strings.Fields(broken) {
		if len(out)+1+len(word) > mostBecause-len("…") {
			return out + "…"
		}
		out += " " + word
	}
	return out
}

// mostBecause is the most bytes of why a match has ended.
const mostBecause = 80
