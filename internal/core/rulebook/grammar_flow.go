package rulebook

import "turnvex.example/turnvex/internal/core/sheet"

var ruleObject = &object{
	name: "rule", doc: "What happens on its own. One of `when`, `every` and `on` says when.",
	oneOf: []string{"when", "every", "on"},
	example: `rules:
  - when: me.hull == 0
    for: players
    do: [{out: me}]
  - every: 1s
    for: players
    if: me.alive
    phases: [play]
    do: [{add: me.wind, by: 2}]
  - on: start
    do: [{reset: match.bell.points}]`,
	keys: []key{
		{name: "when", spec: anExpression, doc: "A condition. The rule acts each time it changes from false to true."},
		{name: "every", spec: spec{shape: aTime, min: 50, max: hour},
			doc: "An interval of play time: a duration, or an expression, evaluated whenever an interval begins."},
		{name: "on", spec: eventSpec(), doc: eventDoc()},
		{
			name: "for",
			spec: name.offering(forWords...),
			def:  forMatch,
			doc: "Whether the rule acts once for the `match`, or for each of the `teams` (as `team`), `players` (as " +
				"`me`), `creatures` (as `creature`) or `zones` (as `zone`), or for each of one kind of creature or " +
				"zone, by name. Creatures and zones without the fields that its conditions read are skipped.",
		},
		{name: "if", spec: anExpression, doc: "A further condition."},
		{
			name: "phases",
			spec: names,
			doc:  "The phases in which it acts. Default: all; with `every`, those with open inputs.",
		},
		{name: "do", spec: effects, required: true, doc: "What happens."},
	},
}

var phaseObject = &object{
	name: "phase", doc: "A part of the match.",
	example: `phases:
  ready: {lasts: 3s, inputs: frozen}
  play:
    title: The harbour is open
    lasts: 90s
    count: up
    next: over
    enter: [{notice: opened}]
    leave: [{notice: closed}]
    ends:
      - if: teams.exists(t, t.points >= 10)
        next: over
        because: ten points
  over: {lasts: 2s, inputs: frozen}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "The display name."},
		{name: "lasts", spec: timeish,
			doc: "How long it lasts: a duration, or an expression in milliseconds that is evaluated when it begins. " +
				"Without it the phase lasts until something ends it."},
		{name: "count", spec: countsDown.spec(),
			doc: "Which way its clock runs. Default: down where it `lasts` a time, up otherwise."},
		{
			name: "inputs",
			spec: inputsFrozen.spec(),
			def:  inputsFrozen.not,
			doc:  "Whether actions and steering are accepted. Actions with `also: [frozen]` are accepted either way.",
		},
		{
			name: "next",
			spec: anExpression,
			doc: "The phase that follows, or `end`: a name, or an expression that gives one. Default: the next one in " +
				"the file, and `end` after the last.",
		},
		{name: "ends", spec: listOf(obj(phaseEndObject), 16), doc: "What ends it early."},
		{name: "enter", spec: effects, doc: "What happens when it begins."},
		{name: "leave", spec: effects, doc: "What happens when it ends."},
	},
}

var phaseEndObject = &object{
	name: "phase end", doc: "A condition that ends the phase.",
	keys: []key{
		{name: "if", spec: anExpression, required: true, doc: "The condition."},
		{name: "next", spec: anExpression, doc: "The phase that follows then. Default: the phase's own `next`."},
		{name: "because", spec: text(80), doc: "The reason that players see."},
	},
}

var roundsObject = &object{
	name: "rounds",
	doc: "A phase that is played several times. Fields with `reset: round` reset when it begins. Whoever is " +
		"first in `order` when it ends has won the round, and their built-in field `rounds` goes up by one.",
	oneOf: []string{"number", "first_to", "best_of"},
	example: `rounds:
  phase: play
  best_of: 3
  order: [{highest: team.points}]
  tied: overtime
phases:
  play: {lasts: 90s, next: play}
  overtime: {lasts: 30s, next: play}`,
	keys: []key{
		{name: "phase", spec: name, required: true, doc: "The phase that is a round."},
		{name: "number", spec: integer(1, 100), doc: "Play exactly this many rounds.",
			example: "rounds: {phase: play, number: 3}\nphases: {play: {lasts: 60s, next: play}}"},
		{name: "first_to", spec: integer(1, 50), doc: "Play until somebody has won this many.",
			example: "rounds: {phase: play, first_to: 3, most: 9}\n" +
				"phases: {deal: {lasts: 5s}, play: {lasts: 60s, next: deal}}"},
		{name: "best_of", spec: integer(1, 99), doc: "Play at most this many; the match ends as soon as nobody " +
			"can catch up."},
		{name: "most", spec: integer(1, 200), def: "50", doc: "With `first_to`: the most rounds to play."},
		{
			name: "order",
			spec: listOf(obj(rankObject), 8),
			doc:  "Who wins a round. Default: the order in `win`. Nobody wins a tied round.",
		},
		{name: "tied", spec: name,
			doc: "The phase that follows if nobody is ahead after all rounds. Default: the end."},
	},
}

var rankObject = &object{
	name: "rank", doc: "One step of an order, on `me` or on `team`.", oneOf: []string{"highest", "lowest"},
	keys: []key{{name: "highest", spec: anExpression, doc: "More is better."},
		{name: "lowest", spec: anExpression, doc: "Less is better."}},
}

var winObject = &object{
	name: "win", doc: "When the match ends early, and who has won.",
	example: `win:
  order: [{highest: team.points}, {lowest: "team.members.sum(p, p.falls)"}]
  for: teams
  who: team.size > 0
  last: true
  ends:
    - if: teams.exists(t, t.points >= 10)
      because: ten points
    - {if: match.bell == nobody, winner: noteam}`,
	keys: []key{
		{name: "for", spec: byTeams.spec(), doc: "Whether players or teams win. Default: teams, if there are any."},
		{name: "who", spec: anExpression, doc: "Who competes: a condition on `me`, or on `team` where teams win, such " +
			"as `me != match.master`. The others take part without a place or an outcome. Default: everyone."},
		{name: "order", spec: listOf(obj(rankObject), 8),
			doc: "Who is first, and how ties are broken, step by step. If there are rounds, rounds won come first. A " +
				"tie that nothing breaks is a draw."},
		{name: "ends", spec: listOf(obj(matchEndObject), 16), doc: "What ends the match early."},
		{name: "last", spec: flag, def: "false",
			doc: "Whether the match ends when at most one team (or player) is left: alive, coming back or benched. " +
				"Those who are left are placed ahead of those who are not."},
	},
}

var matchEndObject = &object{
	name: "match end", doc: "A condition that ends the match.",
	keys: []key{
		{name: "if", spec: anExpression, required: true, doc: "The condition."},
		{name: "because", spec: text(80), doc: "The reason that players see."},
		{
			name: "winner",
			spec: anExpression,
			doc: "The player or team that has won, regardless of the order. With `nobody`, `noteam` or a team " +
				"without players, everyone has lost.",
		},
	},
}

var pauseObject = &object{
	name: "pause", doc: "Stops play time. Renaming, readiness, pings, leaving and coming back still work.",
	example: `pause: {who: teams, phases: [play], times: 2, seconds: 60s, longest: 45s, countdown: 3s}`,
	keys: []key{
		{name: "who", spec: pauseWords.spec(), def: PauseNobody.String(),
			doc: "Who may pause: anyone (each with a budget), any member of a team (with the team's budget), or " +
				"`nobody` but the host, whose power to do so is declared in [`host`](#host)."},
		{name: "phases", spec: names, doc: "The phases in which it is allowed. Default: all."},
		{name: "times", spec: integer(0, 100), def: "0",
			doc: "How often per match, for each budget. 0 means no limit."},
		{name: "seconds", spec: duration(0, hour), def: "0s",
			doc: "How long in total, for each budget; when it is used up, play resumes. 0s means no limit."},
		{name: "longest", spec: duration(0, hour), def: "5m",
			doc: "The longest a single pause may last. 0s means no limit."},
		{name: "countdown", spec: duration(0, minute), def: "3s", doc: "The countdown before play resumes."},
	},
}

var endObject = &object{
	name: "end", doc: "What is shown at the end, and what follows.",
	example: `end:
  lasts: 8s
  next: lobby
  hints:
    - {for: won, tint: gold, play: bells, say: The harbour is yours, strength: 80, lasts: 3s, full: 1s, with: {camera: wide}}`,
	keys: []key{
		{name: "lasts", spec: duration(0, 10*minute), def: "8s", doc: "How long the result is shown."},
		{
			name: "next",
			spec: thenWords.spec(),
			def:  ThenLobby.String(),
			doc: "`lobby`: back to the lobby, with nobody ready. `again`: the next match at once. `vote`: the " +
				"next match if more than half of the players are ready by then, otherwise the lobby. `close`: " +
				"the lobby closes.",
		},
		{name: "hints", spec: listOf(obj(hintObject), 16),
			doc: "Each **hint** tells clients how to show something; the service only passes it on."},
	},
}

var hintObject = &object{
	name: "hint", doc: "Sent as a notice named `hint` when the match ends.",
	keys: []key{
		{name: "for", spec: hintWords.spec(), def: HintEveryone.String(), doc: "Who gets it."},
		{name: "tint", spec: text(40), doc: "What to tint, or how."},
		{name: "play", spec: text(80), doc: "What to play."},
		{name: "say", spec: text(200), doc: "What to write."},
		{name: "strength", spec: integer(0, 100), def: "100", doc: "The strength, in percent."},
		{name: "lasts", spec: duration(0, minute), def: "3s", doc: "For how long."},
		{name: "full", spec: duration(0, minute), def: "0s",
			doc: "How much of that time is at full strength, before it fades."},
		{name: "with", spec: mapOf(text(80), 16), doc: "Anything else for the client, by name."},
	},
}

var recordObject = &object{
	name: "record field",
	doc: "Something kept for a player between matches. It is loaded before the player gets control and read as " +
		"`record.NAME`. Changes by effects are saved within `save_every` and at the end of each round; `value` is saved " +
		"at the end of the match, however it ends, for those who left it too. A player in two lobbies has one " +
		"record: what both add is added up, the best of both is kept, and each lobby sees the changes of the other.",
	example: `record:
  matches: {keep: total, value: 1}
  coins: {min: 0, max: 9999, start: 20, was: [money]}
  owned: {type: counts, words: [hat, cape], start: 0}
  best_time: {type: duration, title: Best time, keep: lowest, value: me.time, if: me.outcome == 'won', see: everyone}
  rank: {type: choice, words: [deckhand, mate, captain], start: deckhand, value: "record.matches > 10 ? 'mate' : 'deckhand'"}`,
	keys: []key{
		like(fieldObject, "type")[0].as(word(recordTypes...), sheet.Integer.String()),
		like(fieldObject, "see")[0].as(seeSpec, sheet.OwnerOnly.String()),
		like(fieldObject, "title")[0], like(fieldObject, "start")[0], like(fieldObject, "min")[0],
		like(fieldObject, "max")[0], like(fieldObject, "words")[0],
		{name: "was", spec: listOf(name, 8),
			doc: "Former names of the field, the newest first. Values saved under a former name belong to this " +
				"field, both in this version and in older versions that run beside it."},
		{
			name: "value",
			spec: anExpression,
			doc:  "What is saved at the end, with `me` as the player. Without it only effects write the field.",
		},
		{name: "if", spec: anExpression, doc: "Save it only if this holds."},
		{name: "renew", spec: renewWords.spec(RenewNever, RenewDaily, RenewWeekly), def: RenewNever.String(),
			doc: "Whether it goes back to its start with each new `day` or `week` of the [calendar](#calendar), when " +
				"the player is here or comes next."},
		{
			name: "keep",
			spec: keepWords.spec(KeepLatest, KeepBest, KeepLowest, KeepTotal),
			def:  KeepLatest.String(),
			doc: "How it combines with the saved value: keep the `latest`, the `best` (greatest), the `lowest` " +
				"or the `total`.",
		},
	},
}

var boardObject = &object{
	name: "board",
	doc: "A leaderboard. `value` is posted at the end of the match; the effect `post` posts at any time, and so do " +
		"clients if they are allowed to. A board with seasons starts each one empty; a post counts for the " +
		"season in which it happened, and earlier seasons stay readable. Equal values share a place, and whoever " +
		"reached theirs first is listed first.",
	example: `boards:
  lanterns: {value: me.lanterns, title: Most lanterns, at_entry: true}
  fastest: {value: me.time, order: least, if: me.outcome == 'won', show: clock, renew: week, time_zone: Europe/Oslo}
  wins: {value: 1, if: me.outcome == 'won', keep: count, renew: dates, dates: [2026-03-01, 2026-06-01]}
  crews: {for: teams, value: team.points, keep: total}
  streak: {title: Longest streak}        # posted by the effect post
  guesses: {keep: latest, clients: {min: 0, max: 100, every: 10s}}
rules: [{on: out, for: players, do: [{post: streak, value: 1}]}]`,
	keys: []key{
		{name: "title", spec: text(60), doc: "The display name."},
		{name: "arenas", spec: flag, def: "false", doc: "Whether each arena has a board of its own, called by this " +
			"board's name, `_` and the arena's, as in `fastest_mole`. Matches post to that of their arena."},
		{
			name: "for",
			spec: byTeams.spec(),
			def:  byTeams.not,
			doc:  "Whose entries it has: those of players, or of the teams named in `teams`.",
		},
		{
			name: "value",
			spec: anExpression,
			doc: "The number posted at the end, as an expression on `me` or, per team, on `team`. Without it " +
				"only the effect `post` and clients post.",
		},
		{name: "if", spec: anExpression, doc: "Post at the end only if this holds."},
		{
			name: "keep",
			spec: keepWords.spec(KeepBest, KeepLatest, KeepTotal, KeepCount),
			def:  KeepBest.String(),
			doc: "How a post combines with the earlier entry: keep the `best`, the `latest`, the `total`, or the " +
				"`count` of posts regardless of their values.",
		},
		{name: "order", spec: leastFirst.spec(), def: leastFirst.not,
			doc: "Whether the greatest or the least value is first."},
		{
			name: "show",
			spec: showWords.spec(),
			doc: "How values are displayed. Default: by the type of the expression; `clock` shows milliseconds " +
				"as a time.",
		},
		{
			name: "renew",
			spec: renewWords.spec(),
			def:  RenewNever.String(),
			doc: "When a new season begins: `never`; when an operator starts it (`hand`); each `day`, `week` (on " +
				"Monday) or `month`, at midnight in the `time_zone`; or on the `dates`.",
		},
		{
			name: "dates",
			spec: listOf(text(10), 64),
			doc: "With `renew: dates`: the days on which seasons begin, such as 2026-03-01, in order. Nothing is " +
				"posted before the first.",
		},
		{name: "time_zone", spec: text(40), def: "UTC", doc: "The time zone of these days, such as `Europe/Oslo`."},
		{name: "at_entry", spec: flag, def: "false", doc: "Whether players bring their own place and value on it, as " +
			"they are when they enter: `record.NAME_place` and `record.NAME_value`, 0 without an entry in the present " +
			"season."},
		{name: "clients", spec: obj(boundsObject),
			doc: "Lets clients post too, within these bounds. Without it only the service and service keys post."},
	},
}

var boundsObject = &object{
	name: "bounds", doc: "What a client may post, and how often.",
	keys: []key{
		{name: "min", spec: integer(-1<<53, 1<<53), required: true, doc: "The least."},
		{name: "max", spec: integer(-1<<53, 1<<53), required: true, doc: "The greatest."},
		{name: "every", spec: duration(0, day), def: "0s", doc: "The shortest time between two posts by one player."},
	},
}

// effectObject is the form of an effect; its keys come from effectDecls.
var effectObject = &object{
	name: "effect", doc: "One thing that happens. Effects take place in the order in which they are written.",
	example: `rules:
  - on: out
    do:
      - add: me.falls
        by: 1
      - if: me.falls >= 3
        then:
          - notice: sunk
            to: me.team
            with: {who: me}
            needed: true
        else:
          - {set: me.wind, to: 25}
          - {reset: me.coins}
      - {clock: me.time, do: split, into: me.half}
      - {clock: me.time, do: restart, from: 10s}
      - {give: bell, to: me}
      - {place: lantern, at: me.pos}
      - {grant: keeper, to: me}
      - {withdraw: keeper}
      - {save: me}
      - {post: streak, value: me.points}
      - {shuffle: match.pile}
      - {take: match.pile, many: 2, into: me.hand}
      - {take: me.hand, item: 7}
      - {take: me.hand, nth: 1, into: me.coins}
      - {put: match.pile, item: me.coins, where: first}
      - {empty: me.hand}
      - {join: me, to: team_named('teal')}
      - {sides: balance}
      - {freeze: me, lasts: 2s}
      - {push: me, to: "point(0mm, 0mm)", speed: -8m/s, lasts: 300ms}
      - {bench: me}
      - {unbench: "players.first()"}
      - {if: me.falls > 20, then: [{kick: me}]}
      - {if: match.over, then: [{begin: match}]}
      - each: "me.rivals.filter(p, p.alive)"
        as: rival
        do:
          - each: teams
            as: side
            only: side != rival.team
            do: [{notice: near, with: {who: rival, of: side}}]
      - each: rivals
        only: it.alive
        do: [{add: it.points, by: 1}]
  - when: players.count(p, p.alive) == 0
    do: [{go: overtime}]
  - when: players.exists(p, p.points >= 30)
    do:
      - {finish: thirty points, winner: match.bell.team}
  - every: 30s
    for: players
    if: "!me.alive"
    do: [{spawn: me}]
kits:
  all: {actions: [ram, patch]}
  keeper: {actions: [ring], start: false}
boards: {streak: {}}
sheets:
  player: {hand: {type: list, of: integer, see: owner}}
  match: {pile: {type: list, of: integer, start: 1..40, see: referees}}`,
}
