package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// StandIns says which seats the service plays, and how.
type StandIns struct {
	Fill     int
	Gone     bool // seats whose hold has run out in a match are played on
	Names    []string
	Every    sheet.Tick
	Weights  []*expr.Prog // by action; nil for 1
	Steering *expr.Prog   // the weight of steering; nil for as much as all actions together
	Rest     *expr.Prog   // the weight of doing nothing; nil for 0
	Target   *expr.Prog   // whom actions are aimed at; nil for somebody whom they can hit
	Steer    *expr.Prog   // where to; nil for anywhere
	Stray    int          // how many times of a hundred it steers anywhere instead
	Line     int          // where it stands in the file

	Flag  *sheet.Field // of a player: the service plays the seat
	Count *sheet.Field // of the lobby: how many such seats are nobody's
}

var standInsObject = &object{
	name: "stand-ins",
	doc: "Seats that the service plays until somebody comes: free ones, up to `fill`, and those whose player is gone. " +
		"Everybody sees `player.stand_in`, and how many seats are nobody's as `lobby.stand_ins`. A stand-in does what " +
		"players may do, by the same checks; it keeps no record and is on no board. Who comes takes its place: in " +
		"the lobby at once, in a match where `players.late` is `seat`. Rehearsals let their players behave like this " +
		"too.",
	example: `stand_ins:
  fill: 4
  gone: true
  names: [Drifter, Buoy, Tar]
  every: 300ms
  acts: {ram: "me.hull > 30 ? 5 : 1", wave: 0}
  steering: 3
  rest: 2
  target: "me.rivals.filter(p, p.alive).nearest(me.pos)"
  stray: 5
  steer: "me.hull < 20 ? point(1000, 1000) : me.rivals.filter(p, p.alive).nearest(me.pos).pos"
actions:
  ram: {aim: {at: target, reach: 3m}, do: [{add: target.hull, by: -5}]}
  wave: {do: [{notice: waves}]}`,
	keys: []key{
		{
			name: "fill",
			spec: integer(0, MaxPlayers),
			def:  "0",
			doc:  "Up to so many seats are taken, by players and stand-ins together, while there is a player.",
		},
		{
			name: "gone",
			spec: flag,
			def:  "true",
			doc: "Whether the seat of a player whose hold has run out in a match is played, where `players.gone` keeps it " +
				"(`keep` or `stand-in`). What the match keeps at its end is not kept of it then.",
		},
		{name: "names", spec: listOf(text(20), 64), doc: "What those on free seats are called."},
		{
			name: "every",
			spec: duration(50, 10*second),
			def:  "400ms",
			doc:  "How often one does something, on average.",
		},
		{
			name: "acts",
			spec: mapOf(anExpression, 64),
			doc: "How often it does what, beside the rest: weights by action, integer expressions on `me`; 1 for what is " +
				"not named, 0 for never.",
		},
		{
			name: "steering",
			spec: anExpression,
			doc:  "The weight of steering; as much as all actions together if it is not given.",
		},
		{name: "rest", spec: anExpression, doc: "The weight of doing nothing; 0 if it is not given."},
		{
			name: "target",
			spec: anExpression,
			doc:  "Whom it aims at, a player or a creature; somebody whom the action can hit if it is not given.",
		},
		{name: "steer", spec: anExpression, doc: "Where it steers, a position; anywhere if it is not given."},
		{
			name: "stray",
			spec: integer(0, 100),
			def:  "15",
			doc:  "How many times of a hundred it steers anywhere instead, so that no wall holds it for ever.",
		},
	},
}

// AlsoFrozen tells whether some action is taken in phases with frozen inputs.
func (b *Book) AlsoFrozen() bool {
	for _, a := range b.Actions {
		if a.Also&AlsoFrozen != 0 {
			return true
		}
	}
	return false
}

// declareStandIns adds the fields that mark stand-ins.
func (b *binder) declareStandIns() {
	if n := b.top.get("stand_ins"); n != nil {
		b.book.StandIns = &StandIns{Line: n.line, Flag: b.adder(sheet.Player)("stand_in", flagField),
			Count: b.adder(sheet.Lobby)("stand_ins", whole)}
	}
}

func (b *binder) standIns() {
	n, s := b.top.get("stand_ins"), b.book.StandIns
	if s == nil {
		return
	}
	s.Fill, s.Gone, s.Every = int(b.int(n, "fill")), b.flag(n, "gone"), max(b.ticks(n, "every"), 1)
	for _, item := range b.list(n, "names") {
		s.Names = append(s.Names, item.text)
	}
	if len(s.Names) == 0 {
		s.Names = []string{"Stand-in"}
	}
	if s.Fill > b.book.Players.Most {
		b.fail(n.get("fill"), "out-of-range", "at most players.most", "there are %d seats", b.book.Players.Most)
	}
	s.Weights = make([]*expr.Prog, len(b.book.Actions))
	for _, e := range b.entries(n, "acts") {
		a := b.book.ActionNamed[e.key]
		if a == nil {
			p := b.fail(e.value, "unknown-name", "one that is declared", "there is no action %q", e.key)
			p.Line, p.Column, p.Nearest = e.line, e.col, Nearest(e.key, b.mapKeys("actions"))
			continue
		}
		s.Weights[a.No] = b.compile(e.value, scopePlayer, wantMillis)
	}
	s.Steering = b.expr(n, "steering", scopePlayer, wantMillis)
	s.Rest = b.expr(n, "rest", scopePlayer, wantMillis)
	if v := n.get("target"); v != nil {
		s.Target = b.oneOfKinds(v, scopePlayer, sheet.Player, sheet.Creature)
	}
	s.Stray = int(b.int(n, "stray"))
	s.Steer = b.expr(n, "steer", scopePlayer, expr.Want{Type: sheet.Position})
	for _, key := range []string{"steer", "steering"} {
		if v := n.get(key); v != nil && b.book.Movement == nil {
			b.fail(v, "missing-key", "movement", "nobody steers in this rulebook")
		}
	}
}
