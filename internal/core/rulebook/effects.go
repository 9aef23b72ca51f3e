package rulebook

import (
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Verb is what an effect does.
type Verb uint8

// The verbs. Several of them are spoken with one key, such as clock.
const (
	Add Verb = iota
	Set
	ResetField
	ClockStart
	ClockStop
	ClockReset
	ClockRestart
	ClockSplit
	Out
	SpawnNow
	Give
	Tell
	Place
	Remove
	Grant
	Withdraw
	Each
	If
	Go
	Finish
	Save
	PostNow
	Use
	PassTurn
	Put
	Take
	ShuffleList
	Empty
	JoinTeam
	Sides
	Bench
	Unbench
	Freeze
	Push
	KickOut
	StartNext
	NextArena
	RunDefined

	Verbs int = iota
)

// String is the word of the effect that the verb belongs to; "" for one of none.
func (v Verb) String() string {
	for i := range effectDecls {
		if slices.Contains(effectDecls[i].verbs, v) {
			return effectDecls[i].key.name
		}
	}
	return ""
}

// Effect is one thing that happens. Which parts are set follows from Verb.
type Effect struct {
	Verb   Verb
	Line   int        // where it stands in the file
	Path   *expr.Path // Add, Set, ResetField and the clock verbs
	Into   *expr.Path // ClockSplit
	Value  *expr.Prog // Add, Set: the amount; Out, SpawnNow, Give, Remove, Grant, Withdraw, Place: what or where
	Cond   *expr.Prog // Each, If
	List   *expr.List // Each: what to go through, nil for what Walk says
	As     int        // Each: the place of its name in Env.Named, AsIt for none
	Walk   Walk       // Each
	Then   []Effect   // Each, If
	Else   []Effect   // If
	No     int        // Give: bearer; Place: piece; Grant, Withdraw: kit
	Go     *Lead      // Go: the phase
	Notice *Notice    // Tell
	To     sheet.Audience
	Of     *expr.Prog   // PostNow: whose entry
	Who    *expr.Who    // Tell: the players or teams; Grant, Withdraw: to whom
	With   []*expr.Prog // Tell: in the notice's order
	Wrote  bool         // Tell: it says what the player has written
	Reason string       // Finish
	Winner *expr.Who    // Finish: nil leaves it to the order
	Place  *Placing     // Place: what else is said of it
	Name   string       // Use: the act
	Team   *expr.Prog   // JoinTeam: the team
	Lasts  *expr.Prog   // Freeze, Set: in milliseconds
	Nth    *expr.Prog   // Take: which, from 1; nil for what Where or Value says
	Many   *expr.Prog   // Take: how many; nil for one
	Where  Where        // Put, Take
	Being  bool         // Place: No is a kind of creature
	Run    *Run         // RunDefined
	Push   *Pushing     // Push
	Whole  *expr.Whole  // Set, of a list: all that it holds
}

// Placing is what is said of a piece or creature that is placed, beside where.
type Placing struct {
	Fields []*sheet.Field // that are set
	Values []*expr.Prog   // to these
	Side   *expr.Prog     // the team of a creature
	To     *expr.Prog     // of a shot: the point that it flies to
	Way    *expr.Prog     // or the direction
	Times  *expr.Prog     // how many; nil for one
}

// Pushing is where somebody is pushed, and how fast.
type Pushing struct {
	To, Way *expr.Prog // one of them
	Speed   *expr.Prog // in millimetres a second; less than 0 for away
}

// effectDecl is all that is known of one kind of effect before anybody plays: the key that names it, the keys that go
// with it, their forms and documentation, and how it is bound. What it does is in package match, by verb.
type effectDecl struct {
	key   key
	verbs []Verb // that bind may give it
	with  []key
	bind  func(b *doer, n, v *node, scope expr.Scope, e *Effect)
}

// effectDecls is filled in at the start, because effects contain effects.
var effectDecls []effectDecl

func init() {
	nested := listOf(obj(effectObject), 64)
	expression := func(name, doc string) key { return key{name: name, spec: anExpression, doc: doc} }
	effectDecls = []effectDecl{
		{key{name: "add", spec: aField, doc: "The field to add to."}, []Verb{Add},
			[]key{expression("by", "With `add`: how much; it may be negative.")}, effectAdd},
		{key{name: "set", spec: aField, doc: "The field to set."}, []Verb{Set},
			[]key{{name: "to", spec: spec{shape: anExpr, listed: true}, doc: "With `set`: the value; for a list all that it holds, as in `[1, 2]` or " +
				"`me.hand.filter(c, c > 3)`."},
				{name: "over", spec: timeish, doc: "With `set` and an integer or number: the play time in which it moves " +
					"there, a little at each tick. Until then `add` adds to where it is, and another `set` ends it."},
				expression("nth", "With `set` and a list: the place whose item is set, from 1; there must be one.")},
			effectSet},
		{
			key{name: "reset", spec: aField, doc: "The field to reset to its start."},
			[]Verb{ResetField},
			nil,
			effectReset,
		},
		{
			key{name: "clock", spec: aField, doc: "The clock to work on."},
			[]Verb{ClockStart, ClockStop, ClockReset, ClockRestart, ClockSplit},
			[]key{
				{
					name: "do",
					spec: word(clockWords...),
					doc:  "With `clock`: `start`, `stop`, `reset` (to its start, stopped), `restart` or `split`.",
				},
				{
					name: "into",
					spec: aField,
					doc:  "With `clock` and `split`: the integer field that gets the milliseconds.",
				},
				{
					name: "from",
					spec: timeish,
					doc: "With `clock` and `start`, `restart` or `reset`: the value to begin from instead of the " +
						"start: a duration, or an expression in milliseconds.",
				},
			},
			effectClock,
		},
		{expression("out", "The player or creature to put out."), []Verb{Out}, nil, effectOut},
		{expression("spawn", "The player or creature to spawn now."), []Verb{SpawnNow}, nil, effectSpawn},
		{key{name: "give", spec: name, doc: "The bearer to pass on."}, []Verb{Give},
			[]key{expression("to", "With `give`: the player.")}, effectGive},
		{
			key{name: "notice", spec: name, doc: "The name of a notice to send."},
			[]Verb{Tell},
			[]key{
				{name: "to", spec: anExpression.offering(noticeWords...),
					doc: "With `notice`: who gets it: `everyone` (the default), `referees`, or an expression that gives " +
						"a player, a team or a list of either, such as `me`, `target.team` or `match.spies`."},
				{name: "with", spec: mapOf(anExpression, 16), doc: "With `notice`: its contents, by name."},
				{
					name: "needed",
					spec: flag,
					doc: "With `notice`: it is sent even to a client that has fallen behind. Other notices are " +
						"only for show and are dropped first.",
				},
			},
			effectNotice,
		},
		{
			key{name: "place", spec: name, doc: "The kind of piece or creature to place now."},
			[]Verb{Place},
			[]key{
				expression("at", "With `place`: where. Default: where this kind appears."),
				{name: "with", spec: mapOf(anExpression, 16), doc: "With `place`: the values of its fields, by name."},
				expression("team", "With `place` and a creature: the team it belongs to."),
				expression("to", "With `place` and a shot: the point that it flies to."),
				expression("way", "With `place` and a shot: the direction it flies in, as a position."),
				expression("number", "With `place`: how many, up to 100."),
			},
			effectPlace,
		},
		{expression("remove", "The piece or creature to take away."), []Verb{Remove}, nil, effectRemove},
		{
			key{name: "grant", spec: name, doc: "The kit to grant."},
			[]Verb{Grant},
			[]key{expression("to", "With `grant`: the player or players. Default: `me`.")},
			effectKit,
		},
		{key{name: "withdraw", spec: name, doc: "The kit to take away."}, []Verb{Withdraw},
			[]key{expression("to", "With `withdraw`: the player or players. Default: `me`.")}, effectKit},
		{
			key{
				name: "each",
				spec: anExpression.offering(walkWords()...),
				doc: "The list to loop over: `players`, `teams`, `pieces`, `creatures`, `zones`, a player's " +
					"`rivals`, `friends` or `others`, a team's `members`, or any other list, such as `match.queue`, " +
					"`me.hand` or `players.filter(p, p.alive)`. Effects read each item as `it`, or by the name in " +
					"`as`.",
			},
			[]Verb{Each},
			[]key{
				{
					name: "as",
					spec: name,
					doc:  "With `each`: the name of each item, so that loops can be nested.",
				},
				expression("only", "With `each`: only for items that meet this condition."),
				{name: "do", spec: nested, doc: "With `each`: the effects."},
			},
			effectEach,
		},
		{
			expression("if", "Do `then` if this holds, `else` otherwise."),
			[]Verb{If},
			[]key{{name: "then", spec: nested, doc: "With `if`: what happens if it holds."},
				{name: "else", spec: nested, doc: "With `if`: what happens if it does not."}},
			effectIf,
		},
		{
			key{name: "go", spec: anExpression,
				doc: "The phase to go to once this tick has settled, or `end`: a name, or an expression that gives one, " +
					"such as `match.n > 3 ? 'final' : 'play'`."},
			[]Verb{Go},
			nil,
			effectGo,
		},
		{
			key{
				name: "use",
				spec: name,
				doc:  "The act that the creature in question (`creature`) performs, if its conditions hold.",
			},
			[]Verb{Use},
			[]key{expression("target", "With `use`: the target, or the position to aim at.")},
			effectUse,
		},
		{
			key{name: "put", spec: aField, doc: "The list to add an item to; a full list stays as it is."},
			[]Verb{Put},
			[]key{expression("item", "With `put`: the item."), {
				name: "where",
				spec: whereWords.spec(WhereFirst, WhereLast, WhereRandom),
				doc:  "With `put`: in the `first`, `last` (default) or a `random` place.",
			}},
			effectPut,
		},
		{
			key{name: "take", spec: aField, doc: "The list to take items from; items that are not there are skipped."},
			[]Verb{Take},
			[]key{
				expression("item", "With `take`: the first one that is equal to this."),
				expression("nth", "With `take`: the item at this place, from 1."),
				expression("many", "With `take`: how many, one after the other."),
				{name: "where", spec: whereWords.spec(WhereFirst, WhereLast, WhereRandom),
					doc: "With `take`: which one. Default: the first."},
				{
					name: "into",
					spec: aField,
					doc: "With `take`: the list, or the field, that gets it; a list that is full gets " +
						"nothing, and nothing is taken.",
				},
			},
			effectTake,
		},
		{key{name: "shuffle", spec: aField, doc: "The list to shuffle."}, []Verb{ShuffleList}, nil,
			effectShuffle},
		{key{name: "empty", spec: aField, doc: "The list to clear."}, []Verb{Empty}, nil, effectEmpty},
		{expression("join", "The player to move to the team in `to`, if it has room, regardless of `teams`."),
			[]Verb{JoinTeam}, []key{expression("to", "With `join`: the team.")}, effectJoin},
		{
			key{
				name: "sides",
				spec: word(sidesWords...),
				doc: "Moves players between teams: `swap` everyone to the next team in the list, `balance` until " +
					"the teams are equal, or `shuffle` at random.",
			},
			[]Verb{Sides},
			nil,
			effectSides,
		},
		{
			expression("bench", "The player to take off the ground until `unbench`: not out, but not in play either."),
			[]Verb{Bench},
			nil,
			effectOnPlayer,
		},
		{expression("unbench", "The player to bring back into play."), []Verb{Unbench}, nil, effectOnPlayer},
		{expression("freeze", "The player whose inputs are ignored for a while."), []Verb{Freeze},
			[]key{{name: "lasts", spec: atMostAnHour, doc: "With `freeze`: how long, a duration or an expression; 0s ends it."}},
			effectFreeze},
		{expression("push", "The player to push: beside what they do themselves they move that way for a while, up to "+
			"walls and bounds. A later push takes the place of an earlier one, and nobody is pushed any more when "+
			"they are out. Their client sees it in `push` and `push_left`."), []Verb{Push},
			[]key{
				expression("to", "With `push`: the point towards which; with a `speed` below 0, away from it."),
				expression("way", "With `push`: the direction, as a position, such as `aim.dir`."),
				{name: "speed", spec: speed(100 * 1000), doc: "With `push`: how fast, up to 100 m/s."},
				{name: "lasts", spec: spec{shape: aTime, max: 5 * second}, doc: "With `push`: for how long, up to 5s."},
			}, effectPush},
		{expression("kick", "The player to remove from the lobby."), []Verb{KickOut}, nil, effectOnPlayer},
		{
			key{name: "begin", spec: word("match"),
				doc: "Begins the next match: at once while a result is shown, with the countdown in the lobby, if " +
					"there are enough players."},
			[]Verb{StartNext},
			nil,
			func(*doer, *node, *node, expr.Scope, *Effect) {},
		},
		{expression("arena", "The arena of the next match, or of the next round if each round has its own."),
			[]Verb{NextArena}, nil, effectArena},
		{expression("turn", "Passes the turn on once this tick has settled: to the `next`, `again` to the same "+
			"one, or to a player or team. `reverse` reverses the order and passes nothing on."),
			[]Verb{PassTurn}, nil, effectTurn},
		{expression("run", "The effects with a name to carry out, called as in `pay(me, 10)`; see `define`."),
			[]Verb{RunDefined}, nil, effectRun},
		{expression("save", "The player whose record is saved now, regardless of the interval."), []Verb{Save}, nil,
			effectOnPlayer},
		{key{name: "post", spec: name, doc: "The board to post to now."}, []Verb{PostNow},
			[]key{
				expression("value", "With `post`: the number. Default: the board's `value`."),
				expression("to", "With `post`: whose entry, a player or, of a board per team, a team; `me` or `team` "+
					"if it is not given."),
			}, effectPost},
		{
			key{name: "finish", spec: text(80), doc: "Ends the match, with this reason."},
			[]Verb{Finish},
			[]key{
				expression(
					"winner",
					"With `finish`: the player or team that has won, regardless of the order; with `nobody` or "+
						"`noteam` everyone has lost. If several are named in one tick, the order decides; those of a "+
						"list, such as `players.filter(p, p.alive)`, have won together.",
				),
			},
			effectFinish,
		},
	}
	for i := range effectDecls {
		d := &effectDecls[i]
		effectObject.oneOf = append(effectObject.oneOf, d.key.name)
		for _, k := range append([]key{d.key}, d.with...) {
			effectObject.join(k)
		}
	}
}

// join adds a key; one of that name that is there already gets the documentation of both, and where they take other
// values, what fits is checked when it is bound.
func (o *object) join(k key) {
	old := o.key(k.name)
	if old == nil {
		o.keys = append(o.keys, k)
		return
	}
	old.doc = strings.TrimSpace(old.doc + " " + k.doc)
	if old.spec.shape != k.spec.shape {
		old.spec = spec{shape: anything}
	}
}
