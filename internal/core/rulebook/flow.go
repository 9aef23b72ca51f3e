package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// uses remembers what the rulebook's parts touch, for the warnings.
type uses struct {
	reads    [sheet.Kinds]sheet.Mask
	writes   [sheet.Kinds]sheet.Mask
	granted  uint64 // actions that some effect grants
	gone     uint64 // phases that some effect goes to
	goesEnd  bool
	posted   map[string]bool // boards, or families of them, that some effect posts to
	placed   uint64          // creatures that some effect places
	acted    map[string]bool // acts that some effect uses
	passes   bool            // some effect passes the turn on
	finishes bool
}

func (u *uses) read(r *expr.Reads) {
	for k := range u.reads {
		u.reads[k].Add(&r.Own[k])
		u.reads[k].Add(&r.Any[k])
	}
}

func (u *uses) wrote(k sheet.Kind, f *sheet.Field) { u.writes[k].Set(f.No) }

// mark says that a field is both read and written, by the service.
func (u *uses) mark(k sheet.Kind, f *sheet.Field) {
	u.reads[k].Set(f.No)
	u.writes[k].Set(f.No)
}

func (u *uses) reached(phase int) {
	if phase == EndOfMatch {
		u.goesEnd = true
		return
	}
	u.gone |= 1 << phase
}

// flow looks for what is legal but surely wrong.
func (b *checks) flow() {
	b.book.Flow = b.phaseFlow()
	b.unreached()
	b.endless()
	b.unbrokenTies()
	b.unusedFields()
	b.ungranted()
	b.idleCreatures()
	b.endlessTurns()
	b.onlyRound()
	b.idleActions()
}

// idleActions warns of actions that do nothing, and of those that no phase takes.
func (b *checks) idleActions() {
	open := b.openPhases()
	for i, e := range b.top.fields("actions") {
		a := b.book.Actions[i]
		if len(a.Do)+len(a.Creature)+len(a.Piece)+len(a.Miss)+len(a.End) == 0 && a.Referee == nil {
			b.warn(e.value, "action-idle", "the action %q does nothing: it has no effects", e.key)
		}
		if a.Phases&open == 0 && a.Also == 0 {
			b.warn(e.value, "action-frozen",
				"the action %q is never taken: inputs are frozen in its phases; say also: [frozen] if it is meant",
				e.key)
		}
	}
}

// onlyRound warns of rounds of which only one can be played, because nothing leads from the round's phase back to it.
func (b *checks) onlyRound() {
	r := b.book.Rounds
	if r == nil || r.Most < 2 {
		return
	}
	round := b.book.Phases[r.Phase]
	seen := uint64(0)
	var visit func(no int)
	visit = func(no int) {
		if no == EndOfMatch || seen&(1<<no) != 0 {
			return
		}
		seen |= 1 << no
		if no == r.Phase {
			return
		}
		next, _ := b.successors(b.book.Phases[no])
		for n := range b.book.Phases {
			if next&(1<<n) != 0 {
				visit(n)
			}
		}
	}
	for _, next := range append(endsOf(round), round.Next.all()...) {
		if next == EndOfMatch { // while rounds are left to play, the next one follows
			return
		}
		visit(next)
	}
	for n := range b.book.Phases {
		if b.uses.gone&(1<<n) != 0 {
			visit(n)
		}
	}
	if seen&(1<<r.Phase) == 0 {
		b.warn(
			b.top.get("rounds"),
			"only-round",
			"only one round can be played: nothing leads back to the phase %q; let "+
				"the last phase between rounds say next: %s",
			round.Name,
			round.Name,
		)
	}
}

func endsOf(p *Phase) (next []int) {
	for _, e := range p.Ends {
		next = append(next, e.Next.all()...)
	}
	return next
}

// successors are the phases that may follow p, by bit, and whether the end may.
func (b *checks) successors(p *Phase) (next uint64, end bool) {
	add := func(n int) {
		if n == EndOfMatch {
			end = true
		} else {
			next |= 1 << n
		}
	}
	if p.Length > 0 || p.Reckon != nil {
		for _, n := range p.Next.all() {
			add(n)
		}
	}
	for _, n := range endsOf(p) {
		add(n)
	}
	if r := b.book.Rounds; r != nil && p.No == r.Phase && (next != 0 || end) {
		end = true // when the rounds are decided
		if r.Tied != EndOfMatch {
			add(r.Tied)
		}
	}
	return next | b.uses.gone, end || b.uses.goesEnd
}

func (b *checks) reachable() uint64 {
	seen := uint64(1)
	for grew := true; grew; {
		grew = false
		for _, p := range b.book.Phases {
			if seen&(1<<p.No) == 0 {
				continue
			}
			next, _ := b.successors(p)
			if next&^seen != 0 {
				seen |= next
				grew = true
			}
		}
	}
	return seen
}

func (b *checks) unreached() {
	seen := b.reachable()
	for i, e := range b.top.fields("phases") {
		if seen&(1<<i) == 0 {
			b.warn(e.value, "phase-unreached", "nothing leads to the phase %q", e.key)
		}
	}
}

// endless warns when no reachable phase leads to the end by time or condition.
func (b *checks) endless() {
	if len(b.book.Win.Ends) > 0 || b.book.Win.Last || b.uses.finishes {
		return
	}
	seen := b.reachable()
	for _, p := range b.book.Phases {
		if _, end := b.successors(p); end && seen&(1<<p.No) != 0 {
			return
		}
	}
	b.warn(
		b.top.get("phases"),
		"endless",
		"this match may never end: no phase that is reached leads to the end, and there is no win.ends, win.last or "+
			"finish",
	)
}

func (b *checks) unbrokenTies() {
	w := b.book.Win
	where := b.section("win")
	switch {
	case len(w.Order) == 0 && b.book.Rounds == nil && !w.Last:
		for _, e := range w.Ends {
			if e.Winner != nil {
				return
			}
		}
		if b.uses.finishes {
			return
		}
		b.warn(where, "no-order", "nothing says who wins: without win.order every match is a draw")
	case len(w.Order) == 1 && !(w.Teams && len(b.book.Teams.List) == 1): // nobody else to tie with
		b.warn(where, "tie", "a tie in the only step of win.order is a draw; add a second step to break it")
	}
}

func (b *checks) unusedFields() {
	sheets := b.top.get("sheets")
	for _, k := range []sheet.Kind{sheet.Lobby, sheet.Match, sheet.Team, sheet.Player} {
		for _, e := range sheets.fields(k.String()) {
			f := b.book.Schema.Field(k, e.key)
			if !b.uses.writes[k].Has(f.No) {
				if slices.ContainsFunc(b.book.Schema.CountedWith(k, f), func(g *sheet.Field) bool {
					return b.uses.writes[k].Has(g.No)
				}) {
					continue // one word of several may keep its start
				}
				b.warn(e.value, "field-unset", "nothing ever sets %s.%s: it keeps its start", k, e.key)
			} else if f.See == sheet.RefereesOnly && !b.uses.reads[k].Has(f.No) && !b.hasReferee() {
				b.warn(e.value, "field-unseen", "nobody sees %s.%s: no rule reads it and no action asks a referee", k,
					e.key)
			}
		}
	}
}

func (b *checks) hasReferee() bool {
	if b.book.Referee != nil {
		return true
	}
	for _, a := range b.book.Actions {
		if a.Referee != nil {
			return true
		}
	}
	return false
}

func (b *checks) ungranted() {
	have := b.uses.granted
	for _, k := range b.book.Kits {
		if k.Start {
			have |= k.Actions
		}
	}
	for i, e := range b.top.fields("actions") {
		if have&(1<<i) == 0 {
			b.warn(e.value, "action-ungranted",
				"no kit that a player has at the start or is granted holds the action %q", e.key)
		}
	}
}

// idleCreatures warns of creatures that nothing brings, and of acts that nothing uses.
func (b *checks) idleCreatures() {
	for i, e := range b.top.fields("creatures") {
		if b.book.Creatures[i].Keep == 0 && b.uses.placed&(1<<i) == 0 {
			b.warn(e.value, "creature-unplaced", "no %s ever comes: keep is 0, and no effect places one", e.key)
		}
		for _, a := range e.value.fields("acts") {
			if !b.uses.acted[a.key] {
				b.warn(a.value, "act-unused", "no effect uses the act %q; a rule does, as in {every: 1s, for: %s, do: "+
					"[{use: %s}]}", a.key, e.key, a.key)
			}
		}
	}
}

// endlessTurns warns of turns that nothing ends.
func (b *checks) endlessTurns() {
	if t := b.book.Turns; t != nil && t.Length == 0 && t.Clock == 0 && !b.uses.passes {
		b.warn(b.top.get("turns"), "turn-endless",
			"a turn never ends: no effect passes it on ({turn: next}), and it has neither a length nor a clock")
	}
}
