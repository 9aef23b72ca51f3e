package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
)

// NotWalked lists the fields of this package and of package step that are not part of the state, and why.
var NotWalked = map[string]string{
	"stage.book":        "the rulebook",
	"stage.st":          "the lobby's, walked there",
	"stage.lots":        "the lobby's, walked there",
	"stage.env":         "wall and play are walked; the rest is set before each use",
	"stage.out":         "of the step under way",
	"stage.lobby":       "the lobby's, walked there",
	"stage.teams":       "the lobby's, walked there",
	"stage.none":        "never changes",
	"stage.effects":     "set once",
	"stage.queue":       "empty between steps",
	"stage.hits":        "empty between steps",
	"stage.stands":      "follows from the sheets",
	"aims.reach":        "set before each use",
	"acts.trying":       "false between steps",
	"effects.frames":    "set before each use",
	"effects.depth":     "0 between steps",
	"rehearsed.tally":   "only counts",
	"rehearsed.plainly": "comes to the same",

	"nearby.bodies":  "made anew before each use",
	"sides.wishes":   "empty between steps",
	"ends.named":     "of the step in which a match ends",
	"ends.winners":   "empty between steps",
	"ends.together":  "as named",
	"effects.budget": "set at the beginning of each step",
	"rules.firings":  "made anew before each use",
	"rules.promised": "nothing follows from it",
	"rules.broke":    "nothing follows from it",
	"standIns.whim":  "what it knows is made anew before each use",
	"clock.runs":     "set at the beginning of each tick",
}

// Walk walks over the match, part by part; find returns the player with that sheet, or nil. The order is that of
// checkpoints and hashes: it never changes.
func (m *Match) Walk(w *state.Walk, find func(sheet.ID) *Player) {
	state.Int(w, "wall", &m.wall)
	state.Int(w, "play", &m.play)
	m.env.Wall, m.env.Play = m.wall, m.play
	m.st.WalkRow(w, "sheet", &m.row)
	m.walkPlayers(w, find)
	state.Bool(w, "referee", &m.Acts.referee)
	state.Int(w, "count", &m.count)
	state.Bool(w, "stirred", &m.stirred)
	m.Rules.walkChanged(w)
	m.Kept.walk(w)
	w.In("run", func() {
		m.Ends.walk(w)
		state.Ints(w, "spawned", &m.Motion.spawned)
		state.Ints(w, "rule next", &m.Rules.ruleNext)
		m.Pieces.walk(w)
		m.Creatures.walk(w)
		state.Int(w, "respawn", &m.Motion.respawn)
		w.In("pause", func() { m.Pauses.pause.walk(w) })
		w.In("turn", func() { m.Turns.turn.walk(w) })
		m.Acts.walkDecisions(w)
		m.Ends.walkAbsent(w)
		if m.book.Winds {
			m.Acts.walkWindups(w)
		}
		if m.book.Glides {
			m.Values.walkGlides(w)
		}
	})
	if w.Restoring() && !w.Failed() {
		m.restored(w)
	}
}

func (m *Match) walkPlayers(w *state.Walk, find func(sheet.ID) *Player) {
	state.List(w, "players", &m.players, func(p **Player) {
		id := sheet.ID(0)
		if *p != nil {
			id = (*p).Row.ID
		}
		if state.Int(w, "sheet", &id); w.Restoring() && !w.Failed() {
			if *p = find(id); *p == nil {
				w.Fail("player %d takes part, but has no seat", id)
			}
		}
	})
}

// restored makes what follows from what was restored, and holds against the rulebook what indexes into it.
func (m *Match) restored(w *state.Walk) {
	if m.row == nil {
		return
	}
	m.env.Match = m.row
	phases, pieces, creatures := len(m.book.Phases), len(m.book.Pieces), len(m.book.Creatures)
	if m.row.Kind != sheet.Match || m.phase < 0 || m.phase >= phases || m.toPhase < noPhase || m.toPhase >= phases ||
		len(m.Rules.ruleNext) != len(m.book.Rules) || len(m.Pieces.pieceNext) != pieces ||
		len(m.Pieces.pieceCount) != pieces || len(m.Creatures.creatureNext) != creatures ||
		len(m.Creatures.creatureCount) != creatures {
		w.Fail("the match does not fit the rulebook")
	}
}

func (m *rules) walkChanged(w *state.Walk) {
	for k := range m.changed {
		for i := range max(2, (len(m.book.Schema.Fields(sheet.Kind(k)))+63)/64) { // no more can be set
			state.Int(w, fmt.Sprintf("changed %s %d", sheet.Kind(k), i), &m.changed[k][i])
		}
	}
}

func (m *kept) walk(w *state.Walk) {
	state.List(w, "charges", &m.charges, func(c *charge) {
		state.Int(w, "no", &c.no)
		state.Int(w, "of", &c.of)
		state.List(w, "changes", &c.changes, func(x *step.Change) { m.walkChange(w, x) })
	})
	state.List(w, "owed", &m.owed, func(o *owed) {
		state.Int(w, "of", &o.of)
		m.walkChange(w, &o.Change)
	})
	state.Int(w, "saves", &m.saves)
	state.Int(w, "save at", &m.saveAt)
	state.Bool(w, "unkept", &m.unkept)
	state.Bool(w, "full", &m.full)
}

func (m *kept) walkChange(w *state.Walk, c *step.Change) {
	state.Text(w, "field", &c.Field)
	state.Int(w, "kind", &c.Kind)
	sheet.WalkValue(w, &c.Value, false)
	if w.Restoring() && !w.Failed() && (m.book.Schema.Field(sheet.Record, c.Field) == nil ||
		int(c.Kind) >= step.ChangeKinds) {
		w.Fail("a change of %q, which is no field of the record", c.Field)
	}
}

// Walk walks over what a match knows of a player beside the sheets.
func (p *Player) Walk(w *state.Walk, st *sheet.Store) {
	st.WalkRow(w, "player", &p.Row)
	st.WalkRow(w, "record", &p.Record)
	state.Person(w, "name", &p.Name)
	state.Int(w, "respawn at", &p.respawnAt)
	state.Int(w, "reach", &p.reach)
	state.Int(w, "whim at", &p.whimAt)
	if p.Row == nil || p.Row.Kind != sheet.Player || p.Record == nil || p.Record.Kind != sheet.Record {
		w.Fail("a seat without the sheets of a player and a record")
	}
}

// walk walks over how the match stands, between what all parts share.
func (m *ends) walk(w *state.Walk) {
	state.Bool(w, "over", &m.over)
	state.Int(w, "began on the wall", &m.beganWall)
	state.Int(w, "phase", &m.phase)
	state.Int(w, "phase ends", &m.phaseEnds)
	state.Int(w, "to phase", &m.toPhase)
	state.Text(w, "because", &m.because)
	state.Bool(w, "finish", &m.finish)
	state.Int(w, "forfeit", &m.forfeit)
	state.Text(w, "broken", &m.broken)
	state.Bool(w, "cut", &m.cut)
	state.Int(w, "back at", &m.backAt)
	state.Int(w, "round", &m.round)
}

// walkAbsent walks over those who have left.
func (m *ends) walkAbsent(w *state.Walk) {
	state.List(w, "absent", &m.absent, func(a *Absent) {
		state.Person(w, "who", &a.Who)
		state.Int(w, "from", &a.From)
		state.Int(w, "local", &a.Local)
		state.Int(w, "team", &a.Team)
		state.Int(w, "vote at", &a.VoteAt)
		w.In("ballot", func() { a.Ballot.walk(w) })
		state.Int(w, "was", &a.was)
		state.Person(w, "name", &a.name)
		w.In("player", func() { m.book.Schema.WalkValues(w, sheet.Player, &a.player) })
		w.In("record", func() { m.book.Schema.WalkValues(w, sheet.Record, &a.record) })
		state.Int(w, "edges", &a.edges)
		state.Int(w, "respawn at", &a.respawnAt)
		state.Int(w, "round", &a.round)
		state.Bool(w, "bare", &a.bare)
		if len(m.book.Groups()) > 0 {
			state.Ints(w, "groups", &a.groups)
		}
	})
	state.Persons(w, "removers", &m.removers)
}

func (b *Ballot) walk(w *state.Walk) {
	state.Int(w, "no", &b.No)
	state.Int(w, "until", &b.Until)
	state.Int(w, "cast", &b.Cast)
	state.Bool(w, "on", &b.On)
	state.Int(w, "by", &b.By)
	state.List(w, "votes", &b.Votes, func(v *Vote) {
		state.Int(w, "of", &v.Of)
		state.Int(w, "cast", &v.Cast)
	})
}

func (m *pieces) walk(w *state.Walk) {
	state.Ints(w, "piece next", &m.pieceNext)
	state.Ints(w, "piece count", &m.pieceCount)
}

func (m *creatures) walk(w *state.Walk) {
	state.Ints(w, "creature next", &m.creatureNext)
	state.Ints(w, "creature count", &m.creatureCount)
	state.Int(w, "returns", &m.returns)
}

func (t *turnRun) walk(w *state.Walk) {
	state.Int(w, "to", &t.to)
	state.Bool(w, "next", &t.next)
	state.Bool(w, "back", &t.back)
	state.Int(w, "at", &t.at)
	state.Int(w, "first", &t.first)
	state.Int(w, "ends", &t.ends)
}

func (p *pauseRun) walk(w *state.Walk) {
	state.Int(w, "by", &p.by)
	state.Int(w, "since", &p.since)
	state.Int(w, "ends", &p.ends)
	state.Int(w, "resume at", &p.resumeAt)
	state.Int(w, "step to", &p.stepTo)
	state.Bool(w, "waiting", &p.waiting)
	state.List(w, "used", &p.used, func(u *pauseUse) {
		state.Int(w, "of", &u.of)
		state.Int(w, "times", &u.times)
		state.Int(w, "ticks", &u.ticks)
	})
}

// walkNamed walks over values with names. Where players write texts, no hash is made of what a text says.
func (m *acts) walkNamed(w *state.Walk, name string, list *[]step.Named) {
	state.List(w, name, list, func(n *step.Named) {
		state.Text(w, "name", &n.Name)
		sheet.WalkValue(w, &n.Value, m.book.F.Player.Mutes != nil)
	})
}
