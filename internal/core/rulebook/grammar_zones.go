package rulebook

var zoneObject = &object{
	name: "zone",
	doc: "A part of the ground that knows who is in it. Each is a field of the match, read as `match.NAME`: " +
		"`match.quay.inside` are the players whose middle is in it, `within(creature.pos, match.quay)` asks for any " +
		"position. Its own rules, and rules with `for: zones`, read it as `zone`.",
	oneOf: []string{"circle", "box"},
	example: `zones:
  quay:
    title: The quay
    circle: [30m, 20m, 6m]
    fields: {worth: {type: integer, start: 2}}
    hold: {takes: 5s, fades: 10s, crowd: 3, stays: true}
    taken: [{notice: taken, with: {by: zone.holder}}]
    lost: [{notice: lost}]
  light:
    circle: [10m, 10m, 15m]
    at: "match.bell.pos"
    radius: max(15000 - match.play / 10, 2000)
    tell: 200ms
    if: me.alive && me.hull > 0
    enter: [{add: me.points, by: 1}]
    leave: [{set: me.slowed, to: false}]
  pen: {box: [40m, 5m, 55m, 15m]}
rules:
  - every: 1s
    for: zones
    if: zone.holder != noteam && !zone.contested
    do: [{each: players, when: it.team == zone.holder, do: [{add: it.points, by: zone.worth}]}]
  - {when: match.pen.inside.size() >= 3, do: [{finish: the pen is full}]}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "What people read."},
		{name: "circle", spec: listOf(length(0, maxSide), 3), doc: "[x, y, radius]."},
		{name: "box", spec: listOf(length(0, maxSide), 4), doc: "[left, top, right, bottom]."},
		{name: "at", spec: anExpression, doc: "Where its middle is, as a position; read at each tick of play."},
		{name: "radius", spec: anExpression, doc: "A circle's radius in millimetres; read at each tick of play."},
		{
			name: "tell",
			spec: duration(0, 10*second),
			def:  "100ms",
			doc: "Clients are told where it is, how large, and how " +
				"far its taking is at most this often.",
		},
		{name: "fields", spec: mapOf(obj(fieldObject), 16), doc: "Its own fields, read as `zone.NAME`."},
		{
			name: "if",
			spec: anExpression,
			doc: "Who counts: a condition on `me` and `zone`; who is in play if it is not " +
				"given.",
		},
		{name: "enter", spec: effects, doc: "What happens when a player comes in (as `me`)."},
		{name: "leave", spec: effects, doc: "What happens when a player is in it no longer (as `me`)."},
		{name: "hold", spec: obj(holdObject), doc: "Lets a side take it."},
		{name: "taken", spec: effects, doc: "What happens when a side has taken it (`zone.holder`)."},
		{name: "lost", spec: effects, doc: "What happens when its holder has lost it, before another has it."},
	},
}

var holdObject = &object{
	name: "hold",
	doc: "How a zone is taken: by a team, or by a player where there are no teams. The only side in it takes it, " +
		"while `zone.progress` goes from 0 to 1 and `zone.taker` says who; while several are in it, it is " +
		"`zone.contested` and the taking stands still.",
	keys: []key{
		{name: "takes", spec: duration(0, hour), def: "5s", doc: "How long that takes one player; 0s: at once."},
		{
			name: "crowd",
			spec: integer(1, 200),
			def:  "1",
			doc: "So many times as fast at most, by how many of the side " +
				"are in it.",
		},
		{name: "fades", spec: duration(0, hour), def: "5s", doc: "How long it takes until what somebody had begun is " +
			"forgotten, when they are gone or the holder is back; 0s: at once."},
		{name: "stays", spec: flag, def: "true", doc: "Whether it stays its holder's when none of them is in it."},
	},
}
