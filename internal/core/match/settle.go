package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

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

// Allow begins a step: it gets its budget of effects and the memory of what was
// removed before it.
func (m *Match) Allow() {
	m.budget = effectBudget
	m.st.Reuse()
}

// emit notes that something happened that rules may wait for.
func (m *Match) emit(on rulebook.Event, player *sheet.Row) {
	m.queue = append(m.queue, event{on, player})
}

// Settle lets everything follow from what has changed: derived fields, then
// events in the order in which they came, then conditions in the order of the
// file; again until nothing changes; then the phase and the match may end, and
// so on. It is bounded: a rulebook that never settles is stopped and reported.
func (m *Match) Settle() {
	for steps := 0; ; steps++ {
		m.settleRules()
		if !m.InPlay() {
			return
		}
		if m.run.broken == "" && steps == maxSteps {
			m.run.broken = fmt.Sprintf("more than %d phases or turns followed each other at one tick", maxSteps)
		}
		if m.run.broken != "" {
			m.breakOff()
			m.settleRules() // what is still derived belongs to this step
			return
		}
		happened := m.transition()
		if !happened {
			m.changed = [sheet.Kinds]sheet.Mask{}
			m.holdPromises(false)
			return
		}
	}
}

func (m *Match) settleRules() {
	for pass := 0; ; pass++ {
		m.derive()
		if m.row == nil || m.run.broken != "" {
			break
		}
		m.firings = m.firings[:0]
		if !m.run.over {
			m.collect()
		}
		if len(m.queue) == 0 && len(m.firings) == 0 {
			break
		}
		if pass == maxPasses {
			m.run.broken = fmt.Sprintf(
				"rules went on setting off rules after %d passes (the rule in line %d among them)", maxPasses,
				m.lastRuleLine())
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

// forget clears what the rules have looked at, and keeps it in mind for the
// conditions that end phases and matches.
func (m *Match) forget() {
	for k := range m.changed {
		m.changed[k].Add(m.st.Touched()[k])
		m.stirred = m.stirred || m.book.TouchReads[k].Meets(m.st.Touched()[k])
	}
	m.st.ClearTouched()
}

// may tells whether a condition may have become another one since the ends were
// last looked at.
func (m *Match) may(p *expr.Prog) bool {
	return p.Reads.Clock || p.Const || p.Touched(&m.changed)
}

func (m *Match) lastRuleLine() int {
	if n := len(m.firings); n > 0 {
		return m.firings[n-1].rule.Line
	}
	return 0
}

// has tells whether a sheet has a field of its own of which these kinds of piece, creature or
// zone do. Other sheets have all fields.
func (m *Match) has(r *sheet.Row, kinds uint64) bool {
	switch r.Kind {
	case sheet.Piece:
		return kinds&(1<<r.Int(m.book.F.Piece.Kind)) != 0
	case sheet.Creature:
		return kinds&(1<<r.Int(m.book.F.Creature.Kind)) != 0
	case sheet.Zone:
		return kinds&(1<<r.Int(m.book.F.Zone.Kind)) != 0
	}
	return true
}

// maxHolds bounds how often bounds by expression follow derived fields that follow them.
const maxHolds = 8

// derive brings derived fields up to date where something that they read has changed, and
// then what is bounded by expressions.
func (m *Match) derive() {
	if !m.plainly && !m.st.AnyTouched() && len(m.book.Derives) == 0 {
		return
	}
	m.deriveAll()
	for range maxHolds {
		if len(m.book.Limits) == 0 || !m.holdBounds() {
			return
		}
		m.deriveAll()
	}
}

func (m *Match) deriveAll() {
	for _, d := range m.book.Derived {
		reads := &d.Is.Reads
		if m.plainly || reads.Clock || d.Is.TouchedAny(m.st.Touched()) {
			for _, r := range m.st.Of(d.Kind) {
				m.deriveRow(d, r)
			}
			continue
		}
		own := reads.Own[d.Kind]
		if !own.Meets(m.st.Touched()[d.Kind]) {
			continue
		}
		hot := m.st.Hot()
		for i := 0; i < len(hot); i++ { // deriving may make others hot, but not through what this one reads
			if r := hot[i]; r.Kind == d.Kind && r.Touched.Meets(own) {
				m.deriveRow(d, r)
			}
		}
	}
}

func (m *Match) deriveRow(d *rulebook.Derived, r *sheet.Row) {
	if !m.has(r, d.Kinds) {
		return
	}
	m.subject(d.Kind, r)
	m.st.Set(r, d.Field, d.Is.Value(&m.env, d.Field.Type))
	m.faulty(d.Line)
}

// subject makes a sheet what me or team means in expressions.
func (m *Match) subject(k sheet.Kind, r *sheet.Row) {
	m.env.Me, m.env.Target, m.env.Piece, m.env.It, m.env.Being = nil, nil, nil, nil, nil
	m.env.Zone = nil
	switch k {
	case sheet.Player:
		m.env.Me = r
		m.env.Team = m.st.GetOr(r.Team, sheet.Team)
	case sheet.Team:
		m.env.Team = r
	case sheet.Piece:
		m.env.Piece = r
	case sheet.Creature:
		m.env.Being = r
	case sheet.Zone:
		m.env.Zone = r
	}
}

// collect finds the conditions that have come true since they were last looked
// at, in the order of the file, and for each in the order in which the players
// or teams came.
func (m *Match) collect() {
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
		case touched && reads.Own[r.For].Meets(m.st.Touched()[r.For]):
			if !sorted {
				m.st.SortHot()
				sorted = true
			}
			for _, row := range m.st.Hot() {
				if row.Kind == r.For && row.Touched.Meets(reads.Own[r.For]) && m.concerns(r, row) {
					m.look(r, row)
				}
			}
		}
	}
}

func (m *Match) lookAll(r *rulebook.Rule) {
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
func (m *Match) concerns(r *rulebook.Rule, row *sheet.Row) bool {
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

func (m *Match) subjects(k sheet.Kind) []*sheet.Row {
	if k == sheet.Player {
		return m.st.Seated
	}
	return m.st.Of(k)
}

// look evaluates a condition for one sheet and notes when it has come true.
func (m *Match) look(r *rulebook.Rule, row *sheet.Row) {
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
func (m *Match) fire(r *rulebook.Rule) {
	if m.run.broken != "" || r.Phases&(1<<m.run.phase) == 0 {
		return
	}
	if r.If != nil && !m.yes(r.If, r.Line) {
		return
	}
	m.tallied(func(t *Tally) { t.Rules[r.No]++ })
	m.do(r.Do)
}

// runQueue carries out the rules that waited for events.
func (m *Match) runQueue() {
	for i := 0; i < len(m.queue); i++ { // rules may add events while this goes on
		e := m.queue[i]
		if i == maxPasses*len(m.players)+maxPasses*maxPasses {
			m.run.broken = "events went on setting off events"
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
func (m *Match) afterOut(r *sheet.Row) {
	if r.Kind == sheet.Creature {
		m.buried(r)
		return
	}
	m.bearersOut(r)
}

// fireEvent carries out a rule that waited for an event, of a player or creature or of
// the match.
func (m *Match) fireEvent(r *rulebook.Rule, of *sheet.Row) {
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
func (m *Match) fireAll(r *rulebook.Rule) {
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

// scheduleRules sets when the rules at intervals act first: one interval into
// the match.
func (m *Match) scheduleRules() {
	for i, r := range m.book.Rules {
		if r.On == rulebook.OnEvery {
			m.run.ruleNext[i] = m.play + r.Every
		}
	}
}

// everyRules carries out the rules whose interval is over. Intervals are
// counted in the phases in which the rule acts.
func (m *Match) everyRules() {
	for i, r := range m.book.Rules {
		if m.run.ruleNext[i] == 0 || m.run.ruleNext[i] > m.play {
			continue
		}
		m.run.ruleNext[i] = m.play + r.Every
		m.fireAll(r)
	}
}

// breakOff ends a match whose rulebook did what it may not, with no outcome.
func (m *Match) breakOff() {
	m.out.Do(step.Effect{Kind: step.Fault, Text: m.run.broken})
	m.queue = m.queue[:0]
	m.endMatch("the rulebook was stopped: " + m.run.broken)
}

// holds evaluates a condition on the match as a whole, which stands in a line.
func (m *Match) holds(p *expr.Prog, line int) bool {
	m.subject(sheet.Match, m.row)
	return m.yes(p, line)
}
