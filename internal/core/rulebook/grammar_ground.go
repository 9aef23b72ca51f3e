package rulebook

import "turnvex.example/turnvex/internal/core/ground"

// maxHeight is the most that a ground is tall, in millimetres.
const maxHeight = 200 * 1000

// tallExample shows what tall grounds have.
const tallExample = `ground:
  width: 40m
  height: 30m
  tall: 12m
  floor: false
  walls:
    - {box: [0m, 0m, 40m, 14m], tall: 1m}
    - {box: [20m, 4m, 30m, 10m], bottom: 1m, tall: 3m}
    - {box: [14m, 4m, 20m, 7m], bottom: 1m, tall: 3m, rises: east}
  spawns: [{at: [5m, 7m, 1m]}]
movement: {speed: 6m/s, tall: 1700mm, eye: 1500mm, jump: 5m/s, gravity: 12m/s, step: 250mm, slope: 40deg, flies: false}
creatures: {gull: {number: 1, tall: 400mm, flies: true}}
pieces: {lantern: {tall: 300mm}}
zones: {deck: {box: [20m, 4m, 30m, 10m], bottom: 4m, tall: 3m}}
rules:
  - {on: land, for: players, if: me.landed > 9m/s, do: [{out: me}]}
  - {on: fall, for: players, do: [{out: me}]}`

var groundObject = &object{
	name: "ground", doc: "The playing area, from (0, 0) to (width, height), in millimetres.",
	example: `ground:
  width: 60m
  height: 40m
  walls:
    - box: [28m, 10m, 32m, 30m]
    - circle: [10m, 10m, 2m]
    - {box: [0m, 18m, 28m, 19m], while: barred}
  spawns:
    - {at: [5m, 20m], team: amber}
    - {at: [55m, 20m], team: teal}
  sight: {near: 20m, far: 40m, update: 500ms}
sheets: {match: {barred: {type: flag, is: match.play < 10s}}}`,
	keys: []key{
		{name: "width", spec: length(1000, maxSide), required: true, doc: "East to west."},
		{name: "height", spec: length(1000, maxSide), required: true, doc: "North to south."},
		{name: "tall", spec: length(1000, maxHeight), example: tallExample, doc: "How high the ground goes. With " +
			"this " +
			"key it is **tall ground** and the rulebook three-dimensional: every position has a third length, `z`, which is up from 0, " +
			"so points are `[x, y, z]` and expressions write `point(x, y, z)` and `me.pos.z`. All bodies, pieces and " +
			"projectiles are then upright cylinders, `pos` is the middle of their feet, and distances, aims, sight, " +
			"zones and touches count the height. Either all arenas are tall or none."},
		{name: "floor", spec: flag, def: "true", doc: "On a tall ground, whether there is a floor at 0. Without one, " +
			"whoever leaves the walls that they stand on falls: see the event `fall`."},
		{name: "walls", spec: listOf(obj(wallObject), 256), doc: "What nobody can move or shoot through."},
		{name: "spawns", spec: listOf(obj(spawnPointObject), 256),
			doc: "Where players appear. Default: the middle of the ground."},
		{name: "sight", spec: obj(sightObject),
			doc: "How far players see. Without this key every client gets every position."},
	},
}

const sightExample = `ground:
  width: 80m
  height: 60m
  sight: {near: 20m, far: 40m, angle: 110deg}
facing: {fastest: 360deg}`

var sightObject = &object{
	name: "sight",
	doc: "For large grounds: clients get positions only of players and pieces near one of their own players. What " +
		"leaves their sight is withdrawn from their copies. Spectators, referees and operators see everything.",
	keys: []key{
		{name: "near", spec: length(1, 2*maxSide), required: true, doc: "Within this distance every change is sent."},
		{name: "far", spec: length(1, 2*maxSide), required: true,
			doc: "Beyond this distance nothing is sent. What is already in sight stays in sight until it is 10 % " +
				"farther away."},
		{name: "update", spec: duration(0, 10*second), def: "500ms",
			doc: "Between the two, the shortest time between two updates of a position."},
		{name: "angle", spec: anExpression, example: sightExample, doc: "Players see only what is at most half " +
			"of this angle off where they " +
			"look, up and down too: what is behind them is withdrawn. What is in sight stays until it is out of an " +
			"angle 10 % wider. From `1deg` to `360deg`; it needs `facing` with `fastest`, since nobody may look " +
			"everywhere at once. Default: all around."},
	},
}

var wallObject = &object{
	name: "wall", doc: "A box or a circle. On a tall ground it goes from its `bottom` to its top, and players stand and " +
		"walk on tops: a wall that is not tall is a platform. A wall holds bodies off by their radius, and a floor " +
		"holds the middle of a body.", oneOf: []string{"box", "circle"},
	keys: []key{
		{name: "box", spec: listOf(length(0, maxSide), 4), doc: "[left, top, right, bottom]."},
		{name: "circle", spec: listOf(length(0, maxSide), 3), doc: "[x, y, radius]."},
		{name: "bottom", spec: length(0, maxHeight), def: "0", doc: "On a tall ground, how far above 0 it begins."},
		{name: "tall", spec: length(1, maxHeight), doc: "On a tall ground, how tall it is. Default: up to the top of " +
			"the ground."},
		{name: "rises", spec: risesWords.spec(), def: risesWords.of(ground.RiseNot), doc: "On a tall ground, makes a " +
			"**ramp** of a box: its top rises from `bottom` to `tall` above it, towards the `east`, `south`, `west` or " +
			"`north`. A ramp holds the middle of a body, not its radius."},
		{name: "while", spec: name, doc: "A flag of the match sheet that everyone sees, derived or set by effects: " +
			"the wall is a **gate**, there only while it holds. Whoever stands in a wall when it " +
			"comes may walk out of it. At most 16 of a ground's walls have one."},
	},
}

var spawnPointObject = &object{
	name: "spawn point", doc: "A place where players appear.",
	keys: []key{
		{name: "at", spec: point, required: true, doc: "Where."},
		{name: "team", spec: name, doc: "Only for that team."},
		{name: "if", spec: anExpression, doc: "Only for players who meet this condition, such as `me.role == " +
			"'keeper'`."},
	},
}
