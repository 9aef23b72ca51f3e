package rulebook

var creatureObject = &object{
	name: "creature",
	doc: "A being on the ground that the service steers: an opponent, a herd, a guard. It has a body, fields, a " +
		"side, ways to move and acts that rules use. Rules are written for one kind (`for: rat`) or for all " +
		"(`for: creatures`), and read it as `creature`. Aims and areas that say so hit it, and what its health is, and " +
		"when it is out, the rules say as they do for players.",
	example: `creatures:
  rat:
    title: Harbour rat
    keep: 6
    every: 2s
    radius: 400mm
    fields: {hull: {type: integer, start: 30, min: 0}}
    speed: 3m
    walls: round
    moves:
      - {if: "creature.rivals.exists(p, p.alive)", to: "creature.rivals.filter(p, p.alive).nearest(creature.pos).pos", gap: 1m}
      - {wander: 5m}
    acts:
      bite: {cooldown: 1s, aim: {at: target, reach: 1500mm}, do: [{add: target.hull, by: -5}]}
  guard:
    at: [[10m, 10m]]
    side: teal
    back: 5s
    decides: 500ms
    factor: "match.bell == nobody ? 1.0 : 0.5"
    tell: 200ms
    moves: [{along: [[10m, 10m], [20m, 10m]]}]
actions:
  ram: {aim: {at: area, radius: 3m, hits: [players, rat]}, do: [{add: target.hull, by: -25}]}
rules:
  - every: 20s
    do: [{place: rat, times: 3, with: {hull: 10}, side: team_named('teal')}]
  - every: 500ms
    for: rat
    do: [{use: bite, on: "creature.rivals.filter(p, p.alive).nearest(creature.pos)"}]
  - {when: creature.hull == 0, for: rat, do: [{out: creature}]}
  - {on: out, for: rat, do: [{notice: squeak}]}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "What people read."},
		{name: "radius", spec: length(0, 10*1000), def: "500mm", doc: "How far its body reaches."},
		{
			name: "keep",
			spec: integer(0, 500),
			def:  "1",
			doc:  "How many to keep on the ground; 0: only `place` puts them there.",
		},
		{
			name: "every",
			spec: duration(0, hour),
			def:  "1s",
			doc: "The time between one that comes by `keep` and the next; " +
				"0s lets all come at once.",
		},
		{
			name: "at",
			spec: listOf(point, 256),
			doc: "Where it appears, one of these points at random; anywhere it fits " +
				"if it is not given.",
		},
		{
			name: "back",
			spec: duration(0, hour),
			doc: "How long it is out before it appears again. Without it, who is out " +
				"is gone.",
		},
		{
			name: "side",
			spec: name,
			doc:  "The team it belongs to, read as `creature.team`. Without it, it is everybody's rival.",
		},
		{
			name: "fields",
			spec: mapOf(obj(fieldObject), 32),
			doc: "Its own fields, read as `creature.NAME`; a derived one is " +
				"an expression on `creature`. Kinds may share a name where they declare it alike.",
		},
		{name: "speed", spec: length(1, 100*1000), def: "3m", doc: "The top speed, a second."},
		{
			name: "factor",
			spec: anExpression,
			doc: "A share of the top speed, such as `creature.cold ? 0.5 : 1.0`, held " +
				"between 0 and 4; read each time it decides.",
		},
		{
			name: "walls",
			spec: wallsRound.spec(),
			def:  wallsRound.not,
			doc: "What it does where a wall is in its way: `stop` " +
				"slides along it as a player does; `round` goes past the corner that makes the way shortest, one wall at a time: in a dead end of several walls it may stay. `along` is the way to lead it there.",
		},
		{
			name: "decides",
			spec: duration(50, 10*second),
			def:  "250ms",
			doc: "How often it looks which of its `moves` holds " +
				"and where that leads.",
		},
		{
			name: "moves",
			spec: listOf(obj(moveObject), 8),
			doc: "How it moves: the first of these whose `if` holds. Without " +
				"any it stands still.",
		},
		{
			name: "acts",
			spec: mapOf(obj(actObject), 16),
			doc: "What it can do. The effect `use` does it, if everything that " +
				"it needs holds.",
		},
		{
			name: "tell",
			spec: duration(0, 10*second),
			def:  "0s",
			doc: "Clients are told where it is at most this often; 0s: " +
				"each time it moves. The ground's `sight` holds for it too.",
		},
	},
}

var moveObject = &object{
	name: "move", doc: "One way in which a creature moves.", oneOf: []string{"to", "along", "wander", "stand"},
	example: `creatures:
  gull:
    moves:
      - {if: match.bell == nobody, stand: true}
      - {if: "distance(match.bell.pos, creature.pos) < 20000", to: match.bell.pos, gap: 4m, speed: 5m}
      - {if: creature.pos.x < 30000, along: [[5m, 5m], [25m, 5m], [25m, 25m]], then: back}
      - {wander: 10m}`,
	keys: []key{
		{name: "if", spec: anExpression, doc: "Only while this holds; a condition on `creature`."},
		{name: "to", spec: anExpression, doc: "Towards a position."},
		{
			name: "gap",
			spec: length(0, maxSide),
			def:  "0",
			doc: "With `to`: the distance to keep. It comes no nearer, and " +
				"backs off from what comes nearer than nine tenths of it.",
		},
		{name: "along", spec: listOf(point, 64), doc: "From point to point."},
		{
			name: "then",
			spec: pathWords.spec(),
			def:  PathAgain.String(),
			doc: "With `along`, after the last point: from the " +
				"first `again`, `back` the way it came, or it will `stay`.",
		},
		{name: "wander", spec: length(1, maxSide), doc: "To random places, at most this far from where it appeared."},
		{name: "stand", spec: flag, doc: "Nowhere: it stands still."},
		{name: "speed", spec: length(1, 100*1000), doc: "Instead of the creature's own."},
	},
}

var actObject = &object{
	name: "act",
	doc:  "Something that a creature can do. Its effects read it as `creature` and whom it hits as `target`.",
	example: `creatures:
  crab:
    fields: {grip: {type: integer, start: 3}}
    acts:
      snap:
        title: Snap
        if: creature.grip > 0
        cooldown: 2s
        aim: {at: area, radius: 2m, hits: [players, creatures, lantern], who: others}
        do: [{add: target.hull, by: -creature.grip}]
        creature: [{remove: target}]
        piece: [{remove: target}]
        miss: [{add: creature.grip, by: 1}]
rules:
  - {every: 1s, for: crab, do: [{use: snap}]}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "What people read."},
		{name: "if", spec: anExpression, doc: "A condition on `creature`."},
		{name: "cooldown", spec: duration(0, hour), def: "0s", doc: "How long before it may do so again, read as " +
			"`creature.cool_NAME`."},
		{
			name: "aim",
			spec: obj(aimObject),
			doc:  "What it works on; itself if it is not given. `who` is seen from its side.",
		},
		{name: "do", spec: effects, doc: "What it does. With an aim, this happens for each one hit."},
		{
			name: "creature",
			spec: effects,
			doc:  "What it does to a creature that it hits; what `do` says if it is not given.",
		},
		{name: "piece", spec: effects, doc: "What it does to a piece that it hits; what `do` says if it is not given."},
		{name: "miss", spec: effects, doc: "What happens when a line, a cone or an area hits nobody."},
	},
}

var shotObject = &object{
	name: "shot",
	doc: "Makes a kind of piece one that flies: `place` sends it off `to` a point or some `way`, and what it meets on " +
		"its way, however fast, is what it hits. `touch` is what happens to a player whom it hits (`me`), `creature` to a " +
		"creature. `piece.owner` is the player who sent it, `piece.way` how far it flies in a second.",
	example: `pieces:
  bolt:
    keep: 0
    radius: 200mm
    lasts: 2s
    shot: {speed: 25m, hits: [players, rat], who: rivals, pierce: false, walls: stop, tell: 200ms, wall: [{notice: thud, with: {at: piece.pos}}]}
    touch: [{add: me.hull, by: -10}]
    creature: [{add: creature.hull, by: -10}]
creatures: {rat: {fields: {hull: {type: integer, start: 30, min: 0}}}}
actions:
  throw:
    takes: {way: {type: direction}}
    do: [{place: bolt, at: me.pos, way: arg.way}]`,
	keys: []key{
		{name: "speed", spec: length(1, 1000*1000), required: true, doc: "How far it flies in a second."},
		{
			name: "hits",
			spec: names,
			doc: "Whom it hits: `players`, `creatures` or kinds of creature; players if it is not " +
				"given. Never whoever sent it.",
		},
		{
			name: "who",
			spec: whoWords.spec(WhoRivals, WhoFriends, WhoOthers),
			def:  WhoRivals.String(),
			doc: "Which of them, " +
				"seen from who sent it.",
		},
		{
			name: "pierce",
			spec: flag,
			def:  "false",
			doc:  "Whether it flies on through whom it has hit; otherwise it is gone.",
		},
		{
			name: "walls",
			spec: shotWallWords.spec(),
			def:  ShotStops.String(),
			doc: "Where its centre meets a wall or the " +
				"ground's edge: it will `stop` and is gone, `bounce`, or fly on over walls (`ignore`) to the edge.",
		},
		{name: "wall", spec: effects, doc: "What happens then."},
		{
			name: "tell",
			spec: duration(0, 10*second),
			def:  "0s",
			doc: "Clients are told where it is at most this often; they " +
				"can reckon it themselves from `piece.way`.",
		},
	},
}
