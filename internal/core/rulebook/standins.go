package rulebook

import (
	"slices"

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
	Sends    [][]Sent     // by action: the values of arguments; others are at random
	Steering *expr.Prog   // the weight of steering; nil for as much as all actions together
	Rest     *expr.Prog   // the weight of doing nothing; nil for 0
	Target   *expr.Who    // whom actions are aimed at; nil for somebody whom they can hit
	Steer    *expr.Prog   // where to; nil for anywhere
	Stray    int          // how many times of a hundred it steers anywhere instead
	Line     int          // where it stands in the file

	Flag  *sheet.Field // of a player: the service plays the seat
	Count *sheet.Field // of the lobby: how many such seats are nobody's
}

// Sent is what stand-ins send as an argument: a value, or a whole list.
type Sent struct {
	Name  string
	Is    *expr.Prog
	Whole *expr.Whole
}

// Value evaluates it; a fault is kept in e.Fault.
func (s *Sent) Value(e *expr.Env, f *sheet.Field) sheet.Value {
	if s.Whole != nil {
		return sheet.Value{Type: sheet.List, S: s.Whole.Value(e)}
	}
	return s.Is.Value(e, f.Type)
}

var standInsObject = &object{
	name: "stand-ins",
	doc: "Seats that the service plays until a player takes them: free ones, up to `fill`, and those whose player is " +
		"gone. Everyone sees `player.stand_in`, and `lobby.stand_ins` counts them. A stand-in may do what players " +
		"may do, under the same checks; it has no record and appears on no board. A newcomer takes its place: in the " +
		"lobby at once, in a match if `players.late` is `seat`. Rehearsals use the same behaviour for their players.",
	example: `stand_ins:
  fill: 4
  gone: true
  names: [Drifter, Buoy, Tar]
  every: 300ms
  weights: {ram: "me.hull > 30 ? 5 : 1", wave: 0}
  sends: {ram: {force: "min(me.hull, 3)"}}
  steering: 3
  rest: 2
  target: "me.rivals.filter(p, p.alive)"
  stray: 5
  steer: "me.hull < 20 ? point(1m, 1m) : me.rivals.filter(p, p.alive).nearest(me.pos).pos"
actions:
  ram: {aim: {kind: target, reach: 3m}, takes: {force: {type: integer, min: 0, max: 5}}, do: [{add: target.hull, by: -arg.force}]}
  wave: {do: [{notice: waves}]}`,
	keys: []key{
		{name: "fill", spec: integer(0, MaxPlayers), def: "0",
			doc: "While there is a player, stand-ins fill seats up to this total of players and stand-ins."},
		{
			name: "gone",
			spec: flag,
			def:  "true",
			doc: "Whether a stand-in plays the seat of a player whose hold has run out in a match, if `players.gone` " +
				"keeps the seat (`keep` or `stand-in`). Nothing is then saved for that player at the end of the match.",
		},
		{name: "names", spec: listOf(text(20), 64), doc: "Names for those on free seats."},
		{name: "every", spec: duration(50, 10*second), def: "400ms",
			doc: "How often a stand-in does something, on average."},
		{
			name: "weights",
			spec: mapOf(anExpression, 64),
			doc: "How often it uses each action: weights by action, as integer expressions on `me`. Actions that " +
				"are not named weigh 1; 0 means never.",
		},
		{name: "sends", spec: mapOf(mapOf(spec{shape: anExpr, listed: true}, 8), 64),
			doc: "What it sends along with each action, by argument, as expressions on `me`. Arguments that are not " +
				"named are chosen among what is declared: words, players, values within bounds, items of its own " +
				"lists. Most of the time it looks for a choice that the rules would accept."},
		{name: "steering", spec: anExpression,
			doc: "The weight of steering. Default: as much as all actions together."},
		{name: "rest", spec: anExpression, doc: "The weight of doing nothing. Default: 0."},
		{name: "target", spec: anExpression,
			doc: "The player or creature it aims at, or a list of either, of which it picks one. Default: one that " +
				"the action can hit."},
		{name: "steer", spec: anExpression, doc: "The position it steers for. Default: anywhere."},
		{name: "stray", spec: integer(0, 100), def: "15",
			doc: "The percentage of times it steers anywhere instead, so that no wall traps it forever."},
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
func (b *declarer) declareStandIns() {
	if n := b.top.get("stand_ins"); n != nil {
		b.book.StandIns = &StandIns{Line: n.line, Flag: b.adder(sheet.Player)("stand_in", flagField),
			Count: b.adder(sheet.Lobby)("stand_ins", whole)}
	}
}

func (b *director) standIns() {
	n, s := b.top.get("stand_ins"), b.book.StandIns
	if s == nil {
		return
	}
	s.Fill, s.Gone, s.Every = int(n.num("fill")), n.on("gone"), max(b.ticks(n, "every"), 1)
	for _, item := range n.list("names") {
		s.Names = append(s.Names, item.text)
	}
	if len(s.Names) == 0 {
		s.Names = []string{"Stand-in"}
	}
	if s.Fill > b.book.Players.Most {
		b.fail(n.get("fill"), "out-of-range", "at most players.most", "there are %d seats", b.book.Players.Most)
	}
	s.Weights = make([]*expr.Prog, len(b.book.Actions))
	for _, e := range n.fields("weights") {
		a := b.book.ActionNamed[e.key]
		if a == nil {
			p := b.fail(e.value, "unknown-name", "one that is declared", "there is no action %q", e.key)
			p.Line, p.Column, p.Nearest = e.line, e.col, Nearest(e.key, b.mapKeys("actions"))
			continue
		}
		s.Weights[a.No] = b.compile(e.value, scopePlayer, wantMillis)
	}
	s.Sends = make([][]Sent, len(b.book.Actions))
	for _, e := range n.fields("sends") {
		sendsOf(b.terms, e)
	}
	s.Steering = b.expr(n, "steering", scopePlayer, wantMillis)
	s.Rest = b.expr(n, "rest", scopePlayer, wantMillis)
	if v := n.get("target"); v != nil {
		s.Target = whoOf(b.terms, v, scopePlayer, sheet.Player, sheet.Creature)
	}
	s.Stray = int(n.num("stray"))
	s.Steer = b.expr(n, "steer", scopePlayer, expr.Want{Type: sheet.Position})
	for _, key := range []string{"steer", "steering"} {
		if v := n.get(key); v != nil && b.book.Movement == nil {
			b.fail(v, "missing-key", "movement", "nobody steers in this rulebook")
		}
	}
}

// sendsOf binds the arguments of an action.
func sendsOf(b *terms, e entry) {
	a := b.book.ActionNamed[e.key]
	if a == nil {
		p := b.fail(e.value, "unknown-name", "one that is declared", "there is no action %q", e.key)
		p.Line, p.Column, p.Nearest = e.line, e.col, Nearest(e.key, b.mapKeys("actions"))
		return
	}
	for _, arg := range e.value.entries {
		i := slices.IndexFunc(a.Takes, func(f *sheet.Field) bool { return f.Name == arg.key })
		if i < 0 {
			b.failEntry(arg, "unknown-name", "%s takes nothing called %q", e.key, arg.key)
			continue
		}
		sent, scope := Sent{Name: arg.key}, with(scopePlayer, expr.Random)
		if f := a.Takes[i]; f.Type == sheet.List {
			sent.Whole = wholeOf(b, arg.value, f, scope)
		} else {
			sent.Is = b.compile(arg.value, scope, expr.Want{Field: f})
		}
		if s := b.book.StandIns; sent.Is != nil || sent.Whole != nil {
			s.Sends[a.No] = append(s.Sends[a.No], sent)
		}
	}
}
