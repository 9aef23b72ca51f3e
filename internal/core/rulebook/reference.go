package rulebook

import (
	"fmt"
	"slices"
	"strings"
)

// exampleBase is the rulebook that the reference's examples stand on: the keys of an example take the place of its
// keys.
const exampleBase = `turnvex: 1
name: example
players: {least: 2, most: 8}
teams: {list: {amber: {title: Amber}, teal: {title: Teal}}}
ground: {width: 60m, height: 40m}
movement: {speed: 6m/s}
sheets:
  player:
    hull: {type: integer, start: 100, min: 0, max: 100, reset: respawn}
    wind: {type: number, start: 50, min: 0, max: 50}
    points: {type: integer}
    lanterns: {type: integer}
    falls: {type: integer}
    coins: {type: integer, start: 10, min: 0}
    time: {type: clock}
    half: {type: integer}
    slowed: {type: flag}
  team:
    points: {type: integer, is: "team.members.sum(p, p.points)"}
actions:
  ram: {aim: {kind: target, reach: 12m}, do: [{add: target.hull, by: -25}]}
  patch: {do: [{add: me.hull, by: 10}]}
  ring: {do: [{add: me.points, by: 1}]}
bearers: {bell: {}}
pieces: {lantern: {touch: [{add: me.lanterns, by: 1}, {remove: piece}]}}
phases:
  ready: {lasts: 3s, inputs: frozen}
  play: {lasts: 90s}
  overtime: {lasts: 30s}
win: {order: [{highest: team.points}, {lowest: "team.members.sum(p, p.falls)"}]}
`

// objects lists every object of the grammar, each after the one that names it.
func objects() []*object {
	var out []*object
	var walk func(o *object)
	var visit func(s *spec)
	seen := map[*object]bool{}
	visit = func(s *spec) {
		if s.object != nil {
			walk(s.object)
		}
		if s.elem != nil {
			visit(s.elem)
		}
	}
	walk = func(o *object) {
		if seen[o] {
			return
		}
		seen[o] = true
		out = append(out, o)
		for i := range o.keys {
			visit(&o.keys[i].spec)
		}
	}
	walk(topObject)
	walk(gameObject)
	walk(arenaFile)
	walk(seriesObject)
	return out
}

// chapter is a part of the reference: what one needs for something, in the order in which one needs it.
type chapter struct {
	title string
	of    []*object
	after string // what stands behind the objects
}

// chapters are the parts of the reference: first what every match has, last what few need.
func chapters() []chapter {
	return []chapter{
		{"The match", []*object{topObject, sheetsObject, fieldObject, actionObject, argObject, aimObject, effectObject,
			ruleObject, phaseObject, phaseEndObject, winObject, rankObject, matchEndObject, roundsObject, turnsObject,
			kitObject, bearerObject, sealedObject, definitionObject, promiseObject}, referenceExpressions},
		{"People and lobbies", []*object{playersObject, spectatorsObject, standInsObject, hostObject, startObject,
			teamsObject, teamObject, pauseObject, voteObject, refereeObject, refereeingObject, refereeActObject,
			endObject, hintObject}, ""},
		{"The ground", []*object{groundObject, wallObject, spawnPointObject, sightObject, movementObject,
			facingObject, spawnObject, pieceObject, shotObject, creatureObject, moveObject, actObject,
			zoneObject, captureObject, arenasObject, arenaObject, shapeObject, arenaFile}, ""},
		{"Between matches", []*object{recordObject, boardObject, boundsObject, calendarObject, gameObject, sharedField,
			sharedBoard}, ""},
		{"Series", []*object{seriesObject, seriesPoints}, ""},
	}
}

// Reference writes the rulebook reference, docs/rulebook.md, from the grammar.
func Reference() string {
	var b strings.Builder
	b.WriteString(referenceIntro)
	fmt.Fprintf(&b, "```yaml\n%s```\n", exampleBase)
	b.WriteString("\n## Contents\n\n")
	for _, c := range chapters() {
		var links []string
		for _, o := range c.of {
			links = append(links, link(o))
		}
		if c.after != "" {
			links = append(links, "[expressions](#expressions)", "[built-in fields](#built-in-fields)",
				"[how a match starts](#how-a-match-starts)", "[how a tick settles](#how-a-tick-settles)")
		}
		fmt.Fprintf(&b, "- %s: %s\n", c.title, strings.Join(links, ", "))
	}
	for _, c := range chapters() {
		for _, o := range c.of {
			writeObject(&b, o)
		}
		b.WriteString(c.after)
	}
	return b.String()
}

func writeObject(b *strings.Builder, o *object) {
	fmt.Fprintf(b, "\n## %s\n\n%s\n", strings.ToUpper(o.name[:1])+o.name[1:], o.doc)
	if len(o.oneOf) > 0 {
		fmt.Fprintf(b, "\nExactly one of `%s` is required.\n", strings.Join(o.oneOf, "`, `"))
	}
	if o == effectObject {
		for i := range effectDecls {
			writeEffect(b, &effectDecls[i])
		}
	} else if !o.part() {
		b.WriteString(tableHead)
		for i := range o.keys {
			if k := &o.keys[i]; k.of == nil {
				writeKey(b, o.name, k, k.doc)
			}
		}
	}
	writeLike(b, o)
	if o == hostObject {
		b.WriteString(powersTable())
	}
	parts := []string{o.example}
	for i := range o.keys {
		parts = append(parts, o.keys[i].example)
	}
	for _, example := range parts {
		if example != "" {
			fmt.Fprintf(b, "\n```yaml\n%s\n```\n", example)
		}
	}
}

const tableHead = "\n| key | type | default | what it does |\n|---|---|---|---|\n"

// writeKey writes a key's row of a table, with where it is seen at work.
func writeKey(b *strings.Builder, of string, k *key, doc string) {
	def := ""
	switch {
	case k.required:
		def = "required"
	case k.def != "":
		def = "`" + k.def + "`"
	}
	fmt.Fprintf(b, "| [`%s`](keys.md#%s) | %s | %s | %s |\n", k.name, anchors.Replace(of), strings.ReplaceAll(typeText(&k.spec), "|", "\\|"), def,
		strings.ReplaceAll(doc, "|", "\\|"))
}

// writeEffect writes the table of one effect: its own key, and those that go with it.
func writeEffect(b *strings.Builder, d *effectDecl) {
	fmt.Fprintf(b, "\n### The effect `%s`\n%s", d.key.name, tableHead)
	of := "effect " + d.key.name
	writeKey(b, of, &d.key, d.key.doc)
	for _, k := range d.with {
		doc := k.doc
		if own, is := strings.CutPrefix(doc, "With `"+d.key.name+"`: "); is {
			doc = strings.ToUpper(own[:1]) + own[1:]
		}
		writeKey(b, of, &k, doc)
	}
}

// writeLike says which keys of other objects an object has too, and where they differ.
func writeLike(b *strings.Builder, o *object) {
	var from []*object
	says := map[*object][]string{}
	for i := range o.keys {
		k := &o.keys[i]
		if k.of == nil {
			continue
		}
		if says[k.of] == nil {
			from = append(from, k.of)
		}
		text, there := "`"+k.name+"`", k.of.key(k.name)
		var differs []string
		if k.spec.shape == aWord && !slices.Equal(k.spec.words, there.spec.words) {
			differs = append(differs, typeText(&k.spec))
		}
		if k.def != there.def {
			differs = append(differs, "default `"+k.def+"`")
		}
		if len(differs) > 0 {
			text += " (" + strings.Join(differs, "; ") + ")"
		}
		says[k.of] = append(says[k.of], text)
	}
	for _, other := range from {
		fmt.Fprintf(b, "\nAs in %s: %s.\n", link(other), strings.Join(says[other], ", "))
	}
}

var anchors = strings.NewReplacer(" ", "-", "'", "")

func link(o *object) string {
	return fmt.Sprintf("[%s](#%s)", o.name, anchors.Replace(o.name))
}

// typeText is a key's type and range as the reference writes it.
func typeText(s *spec) string {
	switch s.shape {
	case anObject:
		return link(s.object)
	case aMap:
		return fmt.Sprintf("map from names to %s, at most %d", several(s.elem), s.max)
	case aList:
		return fmt.Sprintf("list of %s, at most %d", several(s.elem), s.max)
	case aWord:
		return "`" + strings.Join(s.words, "`, `") + "`"
	case aName:
		return "name"
	case aParameter:
		return "`" + strings.Join(s.words, "`, `") + "`, or a list of words"
	case aText:
		return fmt.Sprintf("text, at most %d characters", s.max)
	case anInt:
		return fmt.Sprintf("integer, %d to %d", s.min, s.max)
	case aFlag:
		return "`true` or `false`"
	case aDuration:
		return fmt.Sprintf("duration, %s to %s", showDuration(s.min), showDuration(s.max))
	case aLength:
		return fmt.Sprintf("length, %s to %s", showLength(s.min), showLength(s.max))
	case aPoint:
		return "point"
	case anExpr:
		return "expression"
	case aPath:
		if len(s.words) > 0 {
			return "`" + strings.Join(s.words, "`, `") + "`, or field"
		}
		return "field"
	case aTime:
		return "duration, or expression in milliseconds"
	case aSpeed:
		return "speed, or expression in millimetres per second"
	case aSpan:
		return "length, or expression in millimetres"
	case anything:
		return "see right"
	}
	return "single value"
}

// several is typeText for more than one of them.
func several(s *spec) string {
	if s.shape == aWord {
		return typeText(s)
	}
	if s.shape == aMap {
		return fmt.Sprintf("maps from names to %s, each at most %d", several(s.elem), s.max)
	}
	what, bounds, bounded := strings.Cut(typeText(s), ", ")
	if bounded {
		bounds = ", each " + bounds
	}
	return what + "s" + bounds
}

const referenceIntro = `# The rulebook

<!-- Written by ./dev docs from internal/core/rulebook; change it there. -->

A **rulebook** is one YAML file (JSON is the same document) that declares one kind of
**match**: who plays, what each player has, what they may do, how the match unfolds
and who wins. ` + "`turnvex check FILE`" + ` reports every error in one,
` + "`turnvex new FILE`" + ` writes a small one to start from, and the JSON Schema for
editors is at ` + "`/v1/rulebooks/schema`" + ` of a service or from ` + "`turnvex schema`" + `.

## Words

People gather in a **lobby**, which outlives its matches. Each player has a **seat** in it, which is kept for a while
if their connection is lost; a **stand-in** is a seat that the service plays until somebody takes it. A **party** is
players who came together. One player is the **host**, with the powers that the rulebook grants over the lobby. A
**spectator** watches without a seat, a **referee** is a program that you trust with every **decision** that a rulebook
leaves open, and an **operator** runs the service. Programs sign in with a **service key**. A **public lobby** is one
that strangers may have joined; in a **practice** lobby values are set by hand and nothing is kept. A **region** says
where the nodes of a service are.

A **sheet** is the state of one thing, copied to every client that may see it: the lobby, the match, each team, each
player, each player's **record** (what is kept for them between matches), and each thing on the **ground**, which is
where bodies are. A **field** is one value on a sheet. Its **audience** is who sees it: everybody, a team, its owner, the
referees, or a **group**, which is the players in a list on the match's sheet. **Counts** are a field that has an integer
for each of several words, and what an integer is a number of, such as metres, is what it **measures**.

A match advances in **tick**s, equal steps of time. It goes through **phase**s, each with its own clock; a phase may be
played several times, as rounds, and within it players may take **turn**s. **Wall time** always goes on; **play time**
stops while play is paused.

An **intent** is what a player asks for, and the **verdict** is the answer: accepted, or refused with a reason. An
**action** is an intent that the rulebook declares, and a **kit** is a set of actions that it grants to somebody. A rule
is what happens on its own. Both do **effect**s, each of which does one thing: it changes a field, puts somebody
somewhere else, or sends a **notice**, which is told once and not kept. A **definition** gives an expression or a list of
effects a name. In a **sealed choice** everybody chooses in secret, in a **vote** all decide together, and a **bearer**
is something that one player holds at a time. A **promise** is what holds in every match, whatever happens.

An **arena** is one of several grounds. On a ground are players and **piece**s, which are objects that the rules put
there. A **shot** is a piece that flies. A **creature** is a body that the service steers, by
**move**s, the ways in which it goes, and **act**s, which are its actions. A **zone** is a part of the ground that knows
who is in it, and a **capture** is a team taking one. **Sight** is how far somebody sees on a large ground.

Between matches there are records and **board**s, which are leaderboards; to **post** is to send a value to one, and a
**season** is a board from one renewal to the next. A **calendar** lets rules read the date. A **game** is several
rulebooks with one record, and a **series** is several matches that belong together: an **entrant** is a player or party
that takes part, and a **meeting** is two of them against each other.

## Notation

- a **name** is a lower-case letter, then letters, digits or ` + "`_`" + `, at most 32 in all;
- a **duration** is ` + "`90s`, `1m30s`, `250ms`, `1.5h`" + `;
- a **length** is ` + "`12m`, `1.5m`" + ` or ` + "`500mm`" + `; 0 needs no unit;
- a **point** is two lengths, ` + "`[5m, 20m]`" + `, from the ground's upper left corner;
- an **expression** is [CEL](#expressions); quote it where YAML would read it differently;
- a **field** is a sheet's field as expressions name it: ` + "`me.hull`, `match.bell.points`" + `.

Limits: 1 MiB, 32 levels of nesting, 20,000 values, 20,000 comments, 1,000 keys in one map, no anchors
or aliases, one document per file; an expression has at most 4,096 characters, and all of
them together 64 KiB, where each expression counts for 20 characters more than its length and
repetitions of the same text count once.

Keys have a default wherever there is an obvious one. The examples below build
on this rulebook: an example's keys replace its keys, and its fields
are added to its sheets:

`

const referenceExpressions = `
## Expressions

Conditions and amounts are written in CEL, an open expression language. They are
checked when the rulebook is loaded, and evaluated exactly: an ` + "`integer`" + ` is a CEL
int of 64 bits; a ` + "`number`" + ` is a CEL double kept in whole thousandths, its products
and quotients rounded half away from zero. Integers and numbers are compared
freely, but arithmetic does not mix them: write ` + "`double(me.hull) / 2.0`" + `.
A division by zero or an overflow makes a condition false and leaves a field as
it is; ` + "`&&` and `||`" + ` absorb it if the other side decides.

| name | what it is | where |
|---|---|---|
| ` + "`match`, `lobby`" + ` | their sheets | everywhere |
| ` + "`me`" + ` | the player concerned | actions, rules for players, touches, records, boards of players, orders of players |
| ` + "`team`" + ` | the player's team, or the team concerned | where me is, and rules for teams, orders of teams |
| ` + "`record`" + ` | the player's record; ` + "`p.record`" + ` for another's | where me is |
| ` + "`target`" + ` | the one hit: a player, a creature or a piece | effects of an action with an aim |
| ` + "`aim`" + ` | the way of an aim: ` + "`aim.from`, `aim.to`, `aim.dir`, `aim.met`" + ` | what an action with an aim does, and its miss; what a shot does at a wall |
| ` + "`piece`" + ` | the piece touched | a piece's if and touch |
| ` + "`creature`" + ` | the creature concerned | rules for creatures, their moves and acts |
| ` + "`zone`" + ` | the zone concerned | a zone's own rules, rules for zones |
| ` + "`it`" + `, or a name of your own | the current item of the loop | within each |
| ` + "`arg`" + ` | the values sent with the action, or that a definition is called with | where the action or the definition takes values |
| ` + "`players`, `teams`, `pieces`, `creatures`, `zones`" + ` | lists; players are those in the match | everywhere |
| ` + "`team.members`, `p.rivals`, `p.friends`, `p.others`, `zone.inside`" + ` | lists of players | everywhere |
| ` + "`nobody`, `noteam`, `nocreature`" + ` | no player, no team, no creature; their fields read as zero | everywhere |

Lists take ` + "`exists(p, …)`, `all(p, …)`, `exists_one(p, …)`, `count(p, …)`, `sum(p, integer)`, `sum_number(p, number)`, `most(p, integer)`, `least(p, integer)` and `size()`" + `.
` + "`filter(p, condition)`" + ` gives a shorter list, and these pick one of it, or nobody: ` + "`first()`, `nth(2)`" + `,
` + "`nearest(position)`, `highest(p, amount)`, `lowest(p, amount)`" + ` (of equals the first), and, in what an effect does,
` + "`pick()`" + ` at random. A field that is a list of values takes ` + "`size()`, `7 in me.hand`, `first()`, `nth(2)`" + `,
` + "`exists`, `all`, `count`, `sum`, `most`, `least`" + ` and ` + "`filter`" + `; one of references all that lists take.
[Counts](#field) are read by a word, ` + "`me.goods.wood`" + `, or by a choice, ` + "`me.goods[arg.ware]`" + `, and take ` + "`exists`, `all`, `count`, `sum`, `most`" + ` and
` + "`least`" + ` over their words: ` + "`me.goods.sum(w, me.goods[w])`" + `. [Definitions](#definition) are called like functions: ` + "`can_pay(me, 5)`" + `.
Functions: ` + "`distance(a, b)`" + ` in millimetres, ` + "`point(x, y)`, `within(position, zone)`" + `,
` + "`running(clock)`" + ` (it moves: a countdown that has run down does not), ` + "`over(countdown)`" + ` (nothing is left of it: it has
run down, or was never given any time), ` + "`team_named('amber')`, `min`, `max`, `abs`, `int`, `double`, `size(text)`, `string(n)`" + ` and, in
what an effect writes, ` + "`random(least, most)`" + `. A choice is compared with its words
(` + "`match.phase == 'play'`, `me.mood in ['calm', 'merry']`" + `); a clock reads as milliseconds;
a position has ` + "`.x` and `.y`" + ` in millimetres.

Write times, lengths and speeds with their units: ` + "`match.play > 30s`, `distance(me.pos, it.pos) < 2.5m`, `match.round * 1s`, `me.slow ? 2m/s : 6m/s`" + `.
The units are ` + "`ms`, `s`, `min`, `h`, `mm`, `m`, `mm/s`, `m/s` and `deg`" + `; ` + "`2m`" + ` in an expression is two metres. A number
with a unit is a duration, a length, a speed or an angle. So are fields of these types; clocks and play time are durations,
distances and the parts of positions are lengths; every other field is a number. Only what measures the same can be added and
compared. A number scales it, as in ` + "`match.round * 1s`" + `, and its like divides it into a number, as in ` + "`match.play / 1s`" + `. Where a
duration, a length or an angle is wanted, a number alone is an error. A field of type ` + "`integer`" + ` takes any of them, with a warning, and forgets
the unit.

### Built-in fields

| sheet | fields |
|---|---|
| lobby | ` + "`code`, `title`, `host`, `capacity`, `seats`, `spectators`, `state` (gathering, starting, playing, results, closed), `rulebook`, `region`, `practice`, `open`, `public` (see [host](#host)), `listed`, `password` (whether one is asked for), `reserved`, `waiting`, `watch_most`, `countdown`, `kept` (the number of the newest match of which all is saved), `unkept` (a stopwatch that runs while the database takes nothing, and nothing that happens is kept; 0 otherwise)" + `, and the rulebook's options |
| match | ` + "`number`, `phase`, `round`, `clock` (the phase's), `play` (play time, from 0 in each match), `paused` (no, yes, resuming), `pauser`, `resume`, `over`, `because`, `saved`, `after` (what follows the result: lobby, again, vote, close), `until` (when), `pause_who`, `pause_until` (when a pause ends by itself), `pause_why` (the reason that was given)" + `, and each bearer; where pauses have limits also ` + "`pauses_left` and `pause_left` (milliseconds)" + `, on the sheet of whoever has the budget: match (the host's), team or player |
| team | ` + "`name`, `title`, `size`, `rounds` (won), `place`, `outcome` (none, won, lost, drawn)" + ` |
| player | ` + "`name`, `account`, `team`, `ready`, `away`, `ping`, `loaded`, `playing`, `alive`, `respawn`, `rounds`, `place`, `outcome` (and left), `kits`, `pos`, `cool_ACTION`, `active_ACTION`" + `, and to its owner ` + "`steer`" + ` (the direction that holds, in thousandths); where something does that also ` + "`benched`, `frozen` (a clock)" + `; where players write texts ` + "`mutes`" + ` (whose texts they have muted) |
| record | ` + "`first` (nothing was kept before this visit)" + `, and its own fields |
| piece | ` + "`kind`, `pos`" + `, of a shot also ` + "`way`, `owner`" + `, and its own fields |
| creature | ` + "`kind`, `pos`, `alive`, `respawn`, `team`, `cool_ACT`" + `, and its own fields |
| zone | ` + "`kind`, `pos`, `size` (half its sides; of a circle the radius and 0), `crowd` (how many are in it), `contested`, `holder`, `taker`, `progress`" + `, and its own fields |

Three words for players in a match. **Alive**: on the ground and in play; ` + "`alive`" + ` is true. **Out**: put out by the
effect ` + "`out`" + ` until they come back, as ` + "`spawn`" + ` says or when a round begins; ` + "`alive`" + ` is false. **Benched**: taken off
the ground by ` + "`bench`" + ` until ` + "`unbench`" + `, and not out; ` + "`alive`" + ` is false and ` + "`benched`" + ` is true.

With turns the match has ` + "`turn`, `turn_no`, `turn_left`" + ` and players or teams ` + "`turn_at`, `turn_clock`" + `. With votes
the lobby has ` + "`vote`, `vote_by`, `vote_on`, `vote_left`, `vote_yes`, `vote_no`, `vote_needs`, `vote_tally`" + ` and
players ` + "`voted`, `vote_cast`" + `. Each zone is a field of the match. Where not everyone sees a list,
everyone sees how many it holds as ` + "`LIST_size`" + `.

### How a match starts

A match starts in these steps:

1. Fields of the lobby and the teams that reset at a match are reset.
2. Players enter the match in the order of their seats, with reset fields and their starting kits.
3. Bearers are handed out.
4. Players spawn, in the same order.
5. The first phase begins.

When a phase begins, ` + "`match.phase`" + ` is set. If it is the phase of the rounds, the round
counter goes up; from the second round on, fields that reset at a round are reset, players
respawn, pieces and creatures are removed, zones lose their holders, turns start over and
bearers are handed out again. Then the clock of the phase starts and its ` + "`enter`" + ` happens.
Last, rules that wait for events act, in the order ` + "`spawn`" + ` (for each player),
` + "`start`, `round`, `phase`" + `, and then rules that wait for conditions.

### How a tick settles

Within a tick, things happen in this order: players move, creatures decide and move, shots
fly, zones check who is in them, touches, lasting actions end, overdue decisions, respawns,
creatures that come back, rules at intervals (in the order of the file), pieces and creatures
that appear or expire, the end of a turn's time, the end of the phase's time.

After each input and each tick the state settles: first derived fields, then events in the
order in which they occurred, then conditions that have become true, in the order of the
file. This repeats until nothing changes, at most 32 times. Then the match or the phase may
end, or the turn may pass on; last, the lobby does what rules ask of it. If a rulebook does
not settle, its match is stopped without an outcome and reported; nothing else is affected.
`
