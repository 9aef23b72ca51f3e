package rulebook

var creatureObject = &object{
	name: "creature",
	doc: "A body on the ground that the service steers: an opponent, a herd, a guard. It has fields, a side, " +
		"ways to move and acts that rules use. Rules apply to one kind (`for: rat`) or to all (`for: " +
		"creatures`), and read it as `creature`. Aims that name it can hit it. Its health, and when it is out, " +
		"are up to the rules, as for players.",
	example: `creatures:
  rat:
    title: Harbour rat
    number: 6
    every: 2s
    radius: 400mm
    fields: {hull: {type: integer, start: 30, min: 0}}
    speed: 3m/s
    walls: round
    moves:
      - {if: "creature.rivals.exists(p, p.alive)", to: "creature.rivals.filter(p, p.alive).nearest(creature.pos).pos", gap: 1m}
      - {wander: 5m}
    acts:
      bite: {cooldown: 1s, aim: {kind: target, reach: 1500mm}, do: [{add: target.hull, by: -5}]}
  guard:
    at: [[10m, 10m]]
    team: teal
    back: 5s
    decides: 500ms
    speed: "match.bell == nobody ? 3m/s : 1500mm/s"
    update: 200ms
    moves: [{along: [[10m, 10m], [20m, 10m]]}]
actions:
  ram: {aim: {kind: area, radius: 3m, hits: [players, rat]}, do: [{add: target.hull, by: -25}]}
rules:
  - every: 20s
    do: [{place: rat, number: 3, with: {hull: 10}, team: team_named('teal')}]
  - every: 500ms
    for: rat
    do: [{use: bite, target: "creature.rivals.filter(p, p.alive).nearest(creature.pos)"}]
  - {when: creature.hull == 0, for: rat, do: [{out: creature}]}
  - {on: out, for: rat, do: [{notice: squeak}]}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "The display name."},
		{name: "radius", spec: length(0, 10*1000), def: "500mm", doc: "The radius of its body."},
		{name: "tall", spec: length(1, 20*1000), def: "1m", doc: "On a tall ground, how tall its body is."},
		{name: "flies", spec: flag, def: "false", doc: "On a tall ground, whether it flies, straight to where it " +
			"goes. " +
			"Otherwise it walks: up what a player could climb by default, and down from anywhere."},
		{
			name: "number",
			spec: integer(0, 500),
			def:  "1",
			doc:  "How many to keep on the ground. With 0, only `place` puts them there.",
		},
		{
			name: "every",
			spec: duration(0, hour),
			def:  "1s",
			doc:  "The time between two that appear by `number`. With 0s all appear at once.",
		},
		{name: "at", spec: listOf(point, 256),
			doc: "The points where it appears, chosen at random. Default: anywhere it fits."},
		{name: "back", spec: duration(0, hour),
			doc: "How long it is out before it appears again. Without this key it is gone for good."},
		{
			name: "team",
			spec: name,
			doc:  "The team it belongs to, read as `creature.team`. Without a team it is everyone's rival.",
		},
		{
			name: "fields",
			spec: mapOf(obj(fieldObject), 32),
			doc: "Its own fields, read as `creature.NAME`; derived ones are expressions on `creature`. Kinds may " +
				"share a field name if they declare it identically.",
		},
		{name: "speed", spec: speed(100 * 1000), def: "3m/s", doc: "The top speed, such as `3m/s` or " +
			"`creature.cold ? 1500mm/s : 3m/s`, from 0 to 100 m/s; evaluated each time it decides."},
		{
			name: "walls",
			spec: wallsRound.spec(),
			def:  wallsRound.not,
			doc: "What it does when a wall is in its way: `stop` slides along it like a player; `round` goes " +
				"around the corner with the shortest way, one wall at a time, so it can get stuck in a dead end " +
				"of several walls; use `along` to lead it there. On tall ground `round` finds the whole way, up " +
				"and down ramps and over edges, while gates count as open.",
		},
		{
			name: "decides",
			spec: duration(50, 10*second),
			def:  "250ms",
			doc:  "How often it decides which of its `moves` applies and where to go.",
		},
		{
			name: "moves",
			spec: listOf(obj(moveObject), 8),
			doc:  "How it moves: the first of these whose `if` holds. Without any, it stands still.",
		},
		{
			name: "acts",
			spec: mapOf(obj(actObject), 16),
			doc:  "What it can do. The effect `use` performs an act, if its conditions hold.",
			example: `creatures:
  crab:
    fields: {grip: {type: integer, start: 3}}
    acts:
      snap:
        title: Snap
        if: creature.grip > 0
        cooldown: 2s
        aim: {kind: area, radius: 2m, hits: [players, creatures, lantern], who: others}
        do: [{add: target.hull, by: -creature.grip}]
        creature: [{remove: target}]
        piece: [{remove: target}]
        miss: [{add: creature.grip, by: 1}]
rules:
  - {every: 1s, for: crab, do: [{use: snap}]}`,
		},
		{
			name: "update",
			spec: duration(0, 10*second),
			def:  "0s",
			doc: "The shortest time between two updates of its position. With 0s every move is sent. The " +
				"ground's `sight` applies to it too.",
		},
	},
}

var moveObject = &object{
	name: "move", doc: "One way in which a creature moves.", oneOf: []string{"to", "along", "wander", "stand"},
	example: `creatures:
  gull:
    moves:
      - {if: match.bell == nobody, stand: true}
      - {if: "distance(match.bell.pos, creature.pos) < 20m", to: match.bell.pos, gap: 4m, speed: 5m/s}
      - {if: creature.pos.x < 30m, along: [[5m, 5m], [25m, 5m], [25m, 25m]], next: back}
      - {wander: 10m}`,
	keys: []key{
		{name: "if", spec: anExpression, doc: "A condition on `creature`."},
		{name: "to", spec: anExpression, doc: "Towards a position."},
		{
			name: "gap",
			spec: length(0, maxSide),
			def:  "0",
			doc: "With `to`: the distance to keep. It comes no closer, and backs off from anything closer than " +
				"90 % of it.",
		},
		{name: "along", spec: listOf(point, 64), doc: "From point to point."},
		{
			name: "next",
			spec: pathWords.spec(),
			def:  PathAgain.String(),
			doc: "With `along`, after the last point: start `again` from the first, go `back` the way it came, " +
				"or `stay`.",
		},
		{name: "wander", spec: length(1, maxSide), doc: "To random places within this distance of where it appeared."},
		{name: "stand", spec: flag, doc: "Nowhere: it stands still."},
		{name: "speed", spec: speed(100 * 1000), doc: "Takes the place of the creature's own speed."},
	},
}

var actObject = &object{
	name: "act", doc: "Something that a creature can do: an action without what is for players alone. Its effects " +
		"read the creature as `creature`, `who` in its aim is relative to the creature's side, without an aim it is used on " +
		"the creature itself, and its cooldown is read as `creature.cool_NAME`.",
	keys: like(actionObject, "title", "if", "cooldown", "aim", "do", "creature", "piece", "miss"),
}

// fuseExample is a shot that falls, bounces and burns down.
const fuseExample = `ground: {width: 40m, height: 30m, tall: 12m}
movement: {speed: 5m/s}
pieces:
  flare:
    number: 0
    radius: 100mm
    tall: 200mm
    lasts: 3s
    shot:
      speed: 12m/s
      hits: []
      walls: bounce
      gravity: 10m/s
      keeps: 60
      fuse: [{each: players, only: "distance(it.pos, piece.pos) < 4m", do: [{add: it.points, by: -1}]}]
actions: {toss: {takes: {way: {type: direction}}, do: [{place: flare, at: me.pos, way: arg.way}]}}`

var shotObject = &object{
	name: "shot",
	doc: "Makes a kind of piece a projectile: `place` sends it `to` a point or some `way`, and it hits what it " +
		"meets on its way, however fast. `touch` is what happens to a player that it hits (`me`), `creature` to " +
		"a creature. `piece.owner` is the player who sent it, `piece.way` the distance it flies per second.",
	example: `pieces:
  bolt:
    number: 0
    radius: 200mm
    lasts: 2s
    shot: {speed: 25m/s, hits: [players, rat], who: rivals, pierce: false, walls: stop, update: 200ms, wall: [{notice: thud, with: {at: piece.pos}}]}
    touch: [{add: me.hull, by: -10}]
    creature: [{add: creature.hull, by: -10}]
creatures: {rat: {fields: {hull: {type: integer, start: 30, min: 0}}}}
actions:
  throw:
    takes: {way: {type: direction}}
    do: [{place: bolt, at: me.pos, way: arg.way}]`,
	keys: []key{
		{name: "speed", spec: speed(1000 * 1000), required: true, doc: "How fast it flies, such as `20m/s` or an " +
			"expression on `piece`, evaluated when it starts."},
		{
			name: "hits",
			spec: names,
			doc:  "What it hits: `players`, `creatures` or kinds of creature; never the sender. Default: players.",
		},
		{name: "who", spec: whoWords.spec(WhoRivals, WhoFriends, WhoOthers), def: WhoRivals.String(),
			doc: "Which of them, relative to the sender."},
		{name: "pierce", spec: flag, def: "false",
			doc: "Whether it flies on through what it hits; otherwise it is gone."},
		{
			name: "walls",
			spec: shotWallWords.spec(),
			def:  ShotStops.String(),
			doc: "What happens when its centre meets a wall or the edge of the ground: it is gone (`stop`), it " +
				"will `bounce`, or it flies over walls to the edge (`ignore`).",
		},
		{name: "wall", spec: effects, doc: "What happens then. `aim.from`, `aim.to` and `aim.dir` are its way in this " +
			"tick, and `aim.met` is what stopped it: a `wall`, a `floor` or the `edge` of the ground."},
		{name: "fuse", spec: effects, example: fuseExample, doc: "What happens when it has lasted its time, before " +
			"it " +
			"is gone."},
		{name: "gravity", spec: speed(100 * 1000), def: "0m/s", example: fuseExample, doc: "On a tall ground, by how " +
			"much it falls faster each second."},
		{name: "keeps", spec: integer(0, 100), def: "100", example: fuseExample, doc: "On a tall ground, how much " +
			"of its " +
			"speed into a wall or a floor it has when it bounces off, in percent."},
		{
			name: "update",
			spec: duration(0, 10*second),
			def:  "0s",
			doc:  "The shortest time between two updates of its position, which clients can compute from `piece.way`.",
		},
	},
}
