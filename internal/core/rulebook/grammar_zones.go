package rulebook

var zoneObject = &object{
	name: "zone",
	doc: "A part of the ground that knows who is in it. Each zone is a match field, read as `match.NAME`: " +
		"`match.quay.inside` lists the players whose centre is in it, `within(creature.pos, match.quay)` tests " +
		"any position. Its own effects, and rules with `for: zones`, read it as `zone`.",
	oneOf: []string{"circle", "box"},
	example: `zones:
  quay:
    title: The quay
    circle: [30m, 20m, 6m]
    fields: {worth: {type: integer, start: 2}}
    capture: {time: 5s, fades: 10s, crowd: 3, stays: true}
    taken: [{notice: taken, with: {by: zone.holder}}]
    lost: [{notice: lost}]
  light:
    circle: [10m, 10m, 15m]
    at: "match.bell.pos"
    radius: max(15m - match.play / 10ms * 1mm, 2m)
    update: 200ms
    if: me.alive && me.hull > 0
    enter: [{add: me.points, by: 1}]
    leave: [{set: me.slowed, to: false}]
  pen: {box: [40m, 5m, 55m, 15m]}
rules:
  - every: 1s
    for: zones
    if: zone.holder != noteam && !zone.contested
    do: [{each: players, only: it.team == zone.holder, do: [{add: it.points, by: zone.worth}]}]
  - {when: match.pen.inside.size() >= 3, do: [{finish: the pen is full}]}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "The display name."},
		like(shapeObject, "circle")[0], like(shapeObject, "box")[0], like(shapeObject, "bottom")[0],
		like(shapeObject, "tall")[0],
		{name: "at", spec: anExpression, doc: "Its centre, as a position; evaluated at each tick of play."},
		{name: "radius", spec: anExpression, doc: "A circle's radius in millimetres; evaluated at each tick of play."},
		{name: "update", spec: duration(0, 10*second), def: "100ms",
			doc: "The shortest time between two updates of its place, size and progress."},
		{name: "fields", spec: mapOf(obj(fieldObject), 16), doc: "Its own fields, read as `zone.NAME`."},
		{
			name: "if",
			spec: anExpression,
			doc:  "Who counts as inside: a condition on `me` and `zone`. Default: players who are in play.",
		},
		{name: "enter", spec: effects, doc: "What happens when a player enters it (as `me`)."},
		{name: "leave", spec: effects, doc: "What happens when a player leaves it (as `me`)."},
		{name: "capture", spec: obj(captureObject), doc: "Lets sides capture it."},
		{name: "taken", spec: effects, doc: "What happens when a side has captured it (`zone.holder`)."},
		{name: "lost", spec: effects, doc: "What happens when its holder has lost it, before another side has it."},
	},
}

var captureObject = &object{
	name: "capture",
	doc: "How a zone is captured: by a team or, without teams, by a player. A side that is alone in it captures " +
		"it while `zone.progress` goes from 0 to 1 (`zone.taker` is that side). While several sides are in it, " +
		"it is `zone.contested` and progress stops.",
	keys: []key{
		{name: "time", spec: duration(0, hour), def: "5s", doc: "How long one player needs to capture it. With " +
			"0s it is captured at once."},
		{name: "crowd", spec: integer(1, 200), def: "1",
			doc: "The most players of a side that count: two capture it twice as fast, and so on up to this number."},
		{name: "fades", spec: duration(0, hour), def: "5s", doc: "How long full progress takes to fade after the " +
			"side has left or the holder is back. With 0s it is lost at once."},
		{name: "stays", spec: flag, def: "true", doc: "Whether the holder keeps it with nobody in it."},
	},
}
