package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Turns says who acts when, one after the other.
type Turns struct {
	Teams   bool // teams take turns, not players
	Random  bool // the order is drawn by lot
	Passes  bool // each round begins with the one behind who began the last
	Out     bool // who is out has turns too
	Away    bool // and whose connection is lost
	Phases  uint64
	Length  sheet.Tick // of a turn at most, 0 without limit
	Clock   sheet.Tick // of each one's own clock for all turns, 0 without one
	Gain    sheet.Tick // what it gains at each turn's end
	Begin   []Effect
	End     []Effect
	Late    []Effect
	Of      sheet.Kind // Player or Team
	At      *sheet.Field
	OwnTime *sheet.Field // nil without own clocks
}

// The turns that the effect of that name leads to, beside somebody's.
const (
	TurnNext = iota
	TurnAgain
	TurnReverse
)

var turnWords = []string{"next", "again", "reverse"}

var turnsObject = &object{
	name: "turns",
	doc: "Players or teams act one after the other. `match.turn` is whose turn it is; actions may be used only " +
		"in the player's own turn, unless they say `turn: any`. The effect `turn` passes it on; players who are " +
		"out or away are skipped.",
	example: `turns:
  for: players
  order: random
  rounds: next
  skip: [away]
  phases: [play, overtime]
  lasts: 30s
  clock: 5m
  gain: 2s
  begin: [{notice: your_turn, to: me}]
  end: [{add: me.wind, by: 5}]
  timeout: [{add: me.points, by: -1}]
actions:
  ram: {do: [{add: me.points, by: 1}, {turn: next}]}
  skip: {do: [{turn: reverse}, {turn: next}]}
  double: {do: [{turn: again}]}
  call: {aim: {kind: target}, do: [{turn: target}]}
  wave: {turn: any, do: [{notice: waves, with: {who: me}}]}`,
	keys: []key{
		{name: "for", spec: byTeams.spec(), def: byTeams.not, doc: "Who takes turns."},
		{
			name: "order",
			spec: orderRandom.spec(),
			def:  orderRandom.not,
			doc:  "In the order of `seats` (teams: as they are listed), or drawn at `random` for each match.",
		},
		{
			name: "rounds",
			spec: roundsNext.spec(),
			def:  roundsNext.not,
			doc: "Who begins a new round: always the `first` in the order, or the `next` after the one who began " +
				"the last round.",
		},
		{
			name: "skip",
			spec: listOf(word(skipWords...), 2),
			doc: "Who is skipped: players who are `out`, players who are `away`. Default: both. A team is " +
				"skipped if this applies to all of its members.",
		},
		{name: "phases", spec: names, doc: "The phases with turns. Default: those with open inputs."},
		{
			name: "lasts",
			spec: duration(0, day),
			def:  "0s",
			doc:  "The longest a turn may last, shown as `match.turn_left`. 0s means no limit.",
		},
		{
			name: "clock",
			spec: duration(0, day),
			def:  "0s",
			doc: "A clock for each player or team that runs only during their turns, shown as their field " +
				"`turn_clock`. 0s means none.",
		},
		{name: "gain", spec: duration(0, hour), def: "0s",
			doc: "What that clock gains at the end of each of their turns."},
		{name: "begin", spec: effects, doc: "What happens when a turn begins (for `me`, or `team`)."},
		{name: "end", spec: effects, doc: "What happens when it ends."},
		{name: "timeout", spec: effects, doc: "What happens if its time runs out, before it passes on."},
	},
}

var (
	orderRandom = either{"seats", "random"}
	roundsNext  = either{"first", "next"}
	turnAny     = either{"own", "any"}
	skipWords   = []string{"out", "away"}
)

// TurnFields are the built-in fields of turns on the match's sheet; nil without turns.
type TurnFields struct {
	Turn, Number, Left *sheet.Field
}

// declareTurns adds the built-in fields of turns, where there are any.
func (b *declarer) declareTurns() {
	n := b.top.get("turns")
	if n == nil {
		return
	}
	t := &Turns{Teams: byTeams.is(n, "for"), Of: sheet.Player}
	side := playerRef
	if t.Teams {
		t.Of, side = sheet.Team, teamRef
	}
	b.book.Turns = t
	mat := b.adder(sheet.Match)
	b.book.F.Turns = TurnFields{Turn: mat("turn", side), Number: mat("turn_no", whole),
		Left: mat("turn_left", clock(true))}
	own := b.adder(t.Of)
	t.At = own("turn_at", resets(whole))
	if ms := n.millis("clock"); ms > 0 {
		f := resets(clock(true))
		f.Reset = sheet.ResetRound
		f.Start.N[0] = sheet.Ticks(ms, b.book.Rate)
		t.OwnTime = own("turn_clock", f)
	}
}

func (b *director) turns() {
	n, t := b.top.get("turns"), b.book.Turns
	if t == nil {
		return
	}
	if t.Teams && len(b.book.Teams.List) == 0 {
		b.fail(n.get("for"), "not-here", "players", "there are no teams in this rulebook")
	}
	scope := scopePlayer
	if t.Teams {
		scope = scopeTeam
	}
	scope = with(scope, expr.Random)
	t.Random, t.Passes = orderRandom.is(n, "order"), roundsNext.is(n, "rounds")
	if skip := n.get("skip"); skip != nil {
		t.Out, t.Away = true, true
		for _, item := range skip.items {
			t.Out, t.Away = t.Out && item.text != "out", t.Away && item.text != "away"
		}
	}
	t.Phases = b.phaseMask(n, "phases", b.openPhases())
	t.Length, t.Clock, t.Gain = b.ticks(n, "lasts"), b.ticks(n, "clock"), b.ticks(n, "gain")
	t.Begin, t.End = b.does.effects(n, "begin", scope), b.does.effects(n, "end", scope)
	t.Late = b.does.effects(n, "timeout", scope)
	if late := n.get("timeout"); late != nil && t.Length == 0 && t.Clock == 0 {
		b.fail(late, "missing-key", "lasts or clock", "the time of a turn is never up")
	}
	if gain := n.get("gain"); gain != nil && !gain.implied && t.Clock == 0 {
		b.fail(gain, "missing-key", "clock: a duration", "without a clock of one's own nothing is gained")
	}
}

func effectTurn(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	t := b.book.Turns
	if t == nil {
		b.fail(v, "not-here", "turns: who takes turns", "this rulebook has no turns")
		return
	}
	b.uses.passes = true
	for i, w := range turnWords {
		if v.text == w {
			e.No = i
			return
		}
	}
	e.Value = b.compile(v, scope, expr.Want{Type: sheet.Ref, Ref: t.Of})
}
