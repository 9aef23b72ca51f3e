package rulebook

import "turnvex.example/turnvex/internal/core/sheet"

var movementObject = &object{
	name: "movement", doc: "Players steer; the service decides where they are.",
	example: `movement: {speed: "me.slowed ? 3m/s : 6m/s", radius: 800mm, claims: check, burst: 500ms, update: 100ms}`,
	keys: []key{
		{name: "speed", spec: speed(100 * 1000), required: true, doc: "The top speed of each player, such as `6m/s` " +
			"or `me.slowed ? 3m/s : 6m/s`. With 0 a player cannot move; less counts as 0, and more than 100 m/s as " +
			"that. A client draws its own player without waiting for the service if this, `jump` and `gravity` do not " +
			"vary, or are fields that the player sees, such as `me.pace`."},
		{name: "radius", spec: length(0, 10*1000), def: "500mm", doc: "The radius of a player's body."},
		{name: "tall", spec: length(1, 20*1000), def: "1800mm", doc: "On a tall ground, how tall a player's body is."},
		{name: "eye", spec: length(0, 20*1000), doc: "On a tall ground, how high above the feet a player looks from: " +
			"lines, cones and what blocks them begin there. Default: nine tenths of `tall`."},
		{name: "jump", spec: speed(100 * 1000), def: "0m/s", doc: "On a tall ground, how fast a player who stands " +
			"and " +
			"steers up leaves the floor. With 0 nobody jumps."},
		{name: "gravity", spec: speed(100 * 1000), def: "10m/s", doc: "On a tall ground, by how much falling gets " +
			"faster " +
			"each second."},
		{name: "step", spec: length(0, 10*1000), def: "300mm", doc: "On a tall ground, how much higher a floor may " +
			"be " +
			"that a player steps on in walking."},
		{name: "slope", spec: anExpression, def: "45deg", doc: "On a tall ground, the steepest ramp that a player " +
			"walks " +
			"up, from `0deg` to `89deg`."},
		{name: "update", spec: duration(0, 10*second), def: "0", doc: "How often positions, and where players " +
			"look, are sent, in the same ticks for everybody: `100ms` leaves little more than half of the messages " +
			"to clients at 20 ticks a second. Everything else is sent at once. Clients draw what lies between two " +
			"updates. Default: in each tick."},
		{name: "flies", spec: flag, def: "false", doc: "On a tall ground, whether players fly or swim: they steer " +
			"up and " +
			"down as they do sideways, and nothing makes them fall."},
		{
			name: "claims",
			spec: claimsCheck.spec(),
			def:  claimsCheck.not,
			doc: "What to do with a position that a client claims: `refuse` it, or `check` that the player could " +
				"have got there, and correct it if not. Everybody has an allowance of distance: it grows at their " +
				"present speed, up to `burst`, and is full when they spawn. A claim that " +
				"is accepted uses up its distance, as steering does; one that is refused uses up nothing.",
		},
		{
			name: "burst",
			spec: duration(0, 5000),
			def:  "500ms",
			doc: "With `claims: check`: the most that the allowance holds, as time at the present speed. In any " +
				"time nobody gets farther than they could in that time and this one together. Clients on bad " +
				"networks need at least as much as their claims are late.",
		},
	},
}

var facingObject = &object{
	name: "facing",
	doc: "Each player has a **yaw**, the direction in which they look: 0 to 65,535 in units of 1/65,536 of a turn, " +
		"where 0 is east, 16,384 south, 32,768 west and 49,152 north. Creatures and shots face where they go, and " +
		"creatures keep that when they stand. Expressions read `me.yaw` and `creature.yaw`; " +
		"`angle_to(me, target.pos)` is how far somebody would have to turn to look there, and `ahead(me, 3m)` the " +
		"position in front of them; both take a creature or a shot too. On tall ground there is a **pitch** beside " +
		"it, from -16,384, straight down, to 16,384, straight up, for which `towards: facing` counts too.",
	example: `facing: {follows: intents, fastest: 540deg}
actions:
  beam: {aim: {kind: line, reach: 30m, towards: facing}, do: [{add: target.hull, by: -10}]}
  stab:
    aim: {kind: target, reach: 3m}
    if: "players.exists(p, p != me && distance(me.pos, p.pos) < 3m && angle_to(me, p.pos) < 45deg)"
    do: [{add: target.hull, by: "angle_to(target, me.pos) > 135deg ? -50 : -10"}]
  drop: {do: [{place: lantern, at: "ahead(me, 2m)"}]}`,
	keys: []key{
		{name: "follows", spec: followsSteering.spec(), def: followsSteering.not, doc: "What turns a player: their " +
			"own `intents` (`face`, or a `yaw` with `steer`, `claim` and `act`), or the `steering`: then they look where " +
			"they go, which clients see and are not told."},
		{name: "fastest", spec: anExpression, doc: "The most that a player turns in a second, such as `360deg`, from " +
			"`1deg` to `36000deg`. Whoever wants to look elsewhere turns that way until they do. Default: at once."},
	},
}

var spawnObject = &object{
	name: "spawn", doc: "Where and when players appear.",
	example: `spawn: {pick: far, respawn: true, delay: 3s}`,
	keys: []key{
		{
			name: "pick",
			spec: pickWords.spec(),
			def:  PickTurn.String(),
			doc:  "Which spawn point: in `turn`, at `random`, or the one `far`thest from all rivals.",
		},
		{name: "respawn", spec: flag, def: "true", doc: "Whether players who are out come back."},
		{name: "delay", spec: duration(0, 10*minute), def: "3s", doc: "How long they are out."},
	},
}

var actionObject = &object{
	name: "action", doc: "An intent that players may send: who may send it, what it costs, what it reaches and " +
		"what it does.",
	example: `actions:
  ram:
    title: Ram
    if: me.wind >= 10.0
    refusal: There is too little wind
    cost: {wind: 10}
    cooldown: 2s
    aim: {kind: target, reach: 12m}
    do:
      - add: target.hull
        by: -25
  hook:
    key: h
    phases: [play, overtime]
    needs: {wind: 20}
    aim: {kind: line, reach: 20m, thick: 1m}
    do: [{out: target}]
    miss: [{add: me.wind, by: -5}]
  shield:
    out: false
    lasts: 4s
    held: true
    do: [{set: me.slowed, to: true}]
    end: [{set: me.slowed, to: false}]
  slam:
    windup: 400ms
    aim: {kind: area, radius: 3m}
    do: [{set: target.hull, to: 0, over: 2s}]
  wave:
    also: [pause, frozen, lobby, result]
    do: [{notice: waves, with: {who: me}}]
  buy:
    cost: {gold: 5}
    certain: true
    do: [{add: record.lamps, by: 1}]
record: {gold: {min: 0}, lamps: {}}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "The display name."},
		{name: "key", spec: text(1), doc: "A suggested key for clients."},
		{name: "phases", spec: names, doc: "The phases in which it may be used. Default: those with open inputs."},
		{name: "if", spec: anExpression, doc: "A condition on `me` (and `arg`). If it does not hold, the action " +
			"is refused."},
		{name: "refusal", spec: text(80), doc: "What the player is told if `if` does not hold."},
		{
			name: "also",
			spec: listOf(word(alsoWords...), 4),
			doc: "When else it may be used: in a `pause`, in phases with `frozen` inputs (unless `phases` names " +
				"others), while a `result` is shown, when what it does changes the result no more, and in the " +
				"`lobby` between matches. There, only fields with `reset: never` carry over " +
				"into the match, and players have their starting kits.",
		},
		{name: "needs", spec: amountsOf(),
			doc: "The least that fields of the player or of their record must hold, by field. One of counts is " +
				"written as in `goods.wood`, or in quotes as in `\"goods[arg.ware]\"`."},
		{name: "cost", spec: amountsOf(),
			doc: "What is taken from fields of the player or of their record. If there is less, or if a value comes " +
				"out below zero, the action is refused. An argument that stands here needs a `min` of 0 or more."},
		{name: "certain", spec: flag,
			doc: "The cost is taken from the stored record before the action takes effect, so that a player in two " +
				"lobbies cannot spend it twice. The verdict is sent after that."},
		{
			name: "cooldown",
			spec: atMostAnHour,
			def:  "0s",
			doc: "The time before it may be used again: a duration, or an expression such as " +
				"`me.swift ? 1s : 2s`. The player sees it run down in a field named `cool_` and the action's name.",
		},
		{name: "out", spec: flag, def: "false", doc: "Whether players who are out may use it."},
		{
			name: "turn",
			spec: turnAny.spec(),
			def:  turnAny.not,
			doc:  "With `turns`: whether it may be used only in the player's `own` turn or in `any`.",
		},
		{name: "aim", spec: obj(aimObject), doc: "What it is used on. Default: the player who uses it."},
		{name: "takes", spec: mapOf(obj(argObject), 8), doc: "Values that the client sends, read as `arg.NAME`."},
		{
			name: "do",
			spec: effects,
			doc:  "What it does. With an aim, this happens for each one hit, with `target` as the one hit.",
		},
		{
			name: "creature",
			spec: effects,
			doc:  "With an aim that `hits` creatures: what it does to each (as `target`). Default: `do`.",
		},
		{name: "piece", spec: effects, doc: "The same for pieces."},
		{name: "miss", spec: effects, doc: "What happens if its aim hits nobody; `target` always hits somebody."},
		{
			name: "lasts",
			spec: atMostAnHour,
			def:  "0s",
			doc: "How long it lasts, a duration or an expression, after which `end` happens. With 0s it ends at " +
				"once.",
		},
		{name: "windup", spec: atMostAnHour, def: "0s", doc: "The time between the intent, which is " +
			"checked and paid for at once, and the action itself: only then is the aim taken, from where the player " +
			"is, and `do` carried out. Nothing happens if `if` no longer holds, or if the player has gone out or " +
			"stopped it (`held`); `miss` is carried out if the target is no longer in reach. Meanwhile the field " +
			"`active_` with the action's name runs down."},
		{name: "held", spec: flag, def: "false", doc: "Whether the player may end it before its time."},
		{name: "end", spec: effects,
			doc: "What happens when it ends: in time, by the player, or because the player is out."},
		{name: "referee", spec: obj(refereeObject), doc: "Leaves the decision to a referee."},
	},
}

var aimObject = &object{
	name: "aim",
	doc: "What an action reaches. Its effects and `miss` can read where the aim began, where it stopped and its " +
		"direction as `aim.from`, `aim.to` and `aim.dir` (in thousandths). A line stops at the one it hits, " +
		"at a wall, a floor, the edge of the ground or the end of its reach: `aim.met` is `body`, `wall`, `floor`, " +
		"`edge` or `nothing`. Where sight is limited, neither of them tells of a body that the player does not " +
		"see. An area stops at its centre.",
	example: `actions:
  hook:
    aim: {kind: line, reach: 20m, thick: 1m, who: rivals, walls: ignore}
    do: [{out: target}]
  mend:
    aim: {kind: area, radius: 5m, who: friends, out: true}
    do: [{add: target.hull, by: 10}]
  sweep:
    aim: {kind: area, radius: 5m, who: others, hits: [players, creatures, lantern]}
    do: [{add: target.hull, by: -10}]
    creature: [{out: target}]
    piece: [{remove: target}]
  breath:
    aim: {kind: cone, reach: 8m, angle: 90deg}
    do: [{add: target.hull, by: -10}, {notice: breath, with: {from: aim.from, to: aim.to}}]
  lance:
    aim: {kind: line, reach: 30m, pierce: true}
    do: [{add: target.hull, by: -10}]
    miss: [{notice: missed, with: {at: aim.to, way: aim.dir, wall: aim.met == 'wall'}}]
creatures: {gull: {}}`,
	keys: []key{
		{name: "kind", spec: aimWords.spec(), def: AimSelf.String(), doc: aimDoc()},
		{name: "towards", spec: towardsFacing.spec(), def: towardsFacing.not, doc: "For aims with a direction: " +
			"the one that comes with the intent as its `point`, or the one in which whoever aims is `facing`."},
		{name: "reach", spec: spec{shape: aSpan, max: maxSide}, def: "0",
			doc: "The range, a length or an expression. Written as 0 it means anywhere for a target, and around the " +
				"player for an area."},
		{name: "angle", spec: anExpression, def: "60deg", doc: "For a **cone**, which opens from whoever aims: its angle, from `1deg` to `360deg`."},
		{name: "pierce", spec: flag, def: "false",
			doc: "For a line: whether it passes through the one it hits, to the next."},
		{name: "thick", spec: length(0, 100*1000), def: "0",
			doc: "How far from the line still counts as a hit, in addition to the body's own radius."},
		{name: "radius", spec: length(0, maxSide), def: "1m", doc: "Of the area."},
		{
			name: "who",
			spec: whoWords.spec(),
			def:  WhoRivals.String(),
			doc: "Whom it can hit: `rivals` (without teams: all others), `friends` on the same team, all " +
				"`others`, or `anyone`, including the player who uses it.",
		},
		{
			name: "hits",
			spec: names,
			doc: "What it can hit: `players`, `creatures`, `pieces`, or kinds of creature and piece by name. " +
				"Default: players. Pieces have no side, so `who` does not apply to them.",
		},
		{name: "walls", spec: wallsBlock.spec(), def: wallsBlock.word,
			doc: "Whether a wall between the two centres blocks it."},
		{name: "out", spec: flag, def: "false", doc: "Whether it reaches players who are out."},
	},
}

var argObject = &object{
	name: "argument",
	doc: "A value that the client sends with an action. A `text` is what the player writes: a line of at most `max` " +
		"characters, without control characters and characters that turn the direction of writing, in Unicode's " +
		"normal form NFC. It can only be told, as it is: `arg.NAME` alone stands in the `with` of a notice, or in " +
		"the `tell` of a referee who judges it. Nothing else can depend on it, so that matches play back when its " +
		"writer is deleted. Players mute each other with the intents `mute` and `unmute`, and `mutes` on a player's " +
		"own sheet lists whom they have muted; `turnvex ban -texts` mutes a player for everybody.",
	example: `actions:
  bid:
    takes:
      amount: {type: integer, min: 1, max: 10}
      colour: {type: choice, words: [red, blue]}
      to: {type: player, optional: true}
    if: "arg.to == nobody || arg.to.coins < 100"
    do:
      - {add: me.coins, by: -arg.amount}
      - if: arg.colour == 'red'
        then: [{add: arg.to.coins, by: arg.amount}]
  beacon:
    takes: {at: {type: position, reach: 8m}}
    do: [{place: lantern, at: arg.at}]
  say:
    also: [lobby, result]
    takes: {line: {type: text, max: 200}}
    do: [{notice: said, with: {by: me, line: arg.line}}]
  lay:
    takes: {cards: {type: list, of: integer, most: 4, min: 1, max: 52}}
    do: [{each: arg.cards, as: card, do: [{add: me.points, by: card}]}]
  gust:
    takes: {way: {type: direction}}
    do: [{set: me.pos, to: "point(me.pos.x + arg.way.x, me.pos.y + arg.way.y)"}]`,
	keys: []key{
		{
			name: "type",
			spec: word("integer", "number", "flag", "choice", "player", "team", "position", direction, "text",
				sheet.List.String()),
			required: true,
			doc: "As for a field. A `position` must lie on the ground and is sent as `[x, y]` in millimetres; a " +
				"`direction` is sent in thousandths, each part from -1000 to 1000 and not both 0.",
		},
		{name: "min", spec: scalar, doc: "The least value; smaller ones are refused."},
		{name: "max", spec: scalar,
			doc: "The greatest value; larger ones are refused. For a text: the most characters (default: 64)."},
		{name: "reach", spec: length(0, maxSide), doc: "For a `position`: how far from the player it may be."},
		{name: "of", spec: word(argItems...), doc: "For a `list`: the type of its items."},
		{name: "most", spec: integer(1, sheet.MaxItems), doc: "For a `list`: the most items (default: 50)."},
		{name: "optional", spec: flag, def: "false",
			doc: "Whether it may be left out. It is then 0, false, empty, the first word, nobody or (0, 0)."},
		{name: "words", spec: names, doc: "The words of a choice."},
	},
}

var bearerObject = &object{
	name: "bearer",
	doc:  "Something that one player holds. It is a match field that refers to the player; `give` passes it on.",
	example: `bearers:
  bell: {title: Storm bell, start: random, gone: drop, out: drop, away: keep, piece: fallen_bell}
pieces: {fallen_bell: {number: 0}, lantern: {}}
rules:
  - every: 1s
    if: match.bell != nobody
    do: [{add: match.bell.points, by: 1}]
  - when: match.bell.hull < 10
    do: [{give: bell, to: nobody}]`,
	keys: []key{
		{name: "title", spec: text(40), doc: "The display name."},
		{name: "start", spec: heirWords.spec(HeirRandom, HeirNone), def: HeirRandom.String(),
			doc: "Who has it at the start of each round or, without rounds, of the match."},
		{
			name: "gone",
			spec: heirWords.spec(HeirRandom, HeirNone, HeirDrop),
			def:  HeirRandom.String(),
			doc: "What happens to it when its holder leaves: a `random` player gets it, nobody does (`none`), " +
				"or it is put down (`drop`).",
		},
		{
			name: "out",
			spec: heirWords.spec(),
			def:  HeirKeep.String(),
			doc:  "The same when its holder is put out. `on: out` still sees who held it.",
		},
		{name: "away", spec: heirWords.spec(), def: HeirKeep.String(),
			doc: "The same when its holder's connection is lost."},
		{
			name: "piece",
			spec: name,
			doc: "The kind of piece it becomes on the ground. `give` to `nobody` puts it down, and whoever " +
				"touches it picks it up; the player who put it down must step off it first.",
		},
	},
}

var pieceObject = &object{
	name: "piece", doc: "An object that the rules keep on the ground.",
	example: `pieces:
  lantern:
    title: Lantern
    radius: 500mm
    number: 5
    every: 2s
    apart: 2m
    lasts: 30s
    walls: stop
    fields: {worth: {type: integer, start: 2}, dear: {type: flag, is: piece.worth > 5}}
    if: me.hull > 0
    touch:
      - add: me.lanterns
        by: piece.worth
      - remove: piece
  buoy: {number: 1, every: 0s, at: [[10m, 10m]]}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "The display name."},
		{name: "radius", spec: length(0, 50*1000), def: "500mm", doc: "Its radius."},
		{name: "tall", spec: length(1, 50*1000), def: "500mm", doc: "On a tall ground, how tall it is."},
		like(creatureObject, "number")[0], like(creatureObject, "every")[0], like(creatureObject, "at")[0],
		{name: "apart", spec: length(0, 100*1000), def: "0",
			doc: "The least distance between two of them, in addition to their radii."},
		{name: "lasts", spec: duration(0, hour), def: "0s", doc: "How long each one stays. With 0s it stays forever."},
		{
			name: "fields",
			spec: mapOf(obj(fieldObject), 16),
			doc:  "Its own fields, read as `piece.NAME`; derived ones are expressions on `piece`.",
		},
		{
			name: "if",
			spec: anExpression,
			doc: "Who can touch it: a condition on `me` and `piece`. A player who is already standing on it " +
				"touches it when the condition becomes true.",
		},
		{
			name: "touch",
			spec: effects,
			doc: "What happens when a player's body first reaches it (as `me`), including on the way between two " +
				"ticks, however fast either of them moves.",
		},
		{
			name: "creature",
			spec: effects,
			doc:  "The same for a creature that reaches it (as `creature`); `if` does not apply to it.",
		},
		{name: "shot", spec: obj(shotObject), doc: "Makes it a projectile."},
		{
			name: "walls",
			spec: wallsBlock.spec(),
			def:  wallsBlock.not,
			doc:  "Whether walls stop it when `pos` is set: with `block` it slides along them like a body.",
		},
	},
}
