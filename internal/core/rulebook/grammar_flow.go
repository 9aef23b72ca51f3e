package rulebook

import "turnvex.example/turnvex/internal/core/sheet"

var ruleObject = &object{
	name: "rule", doc: "What happens by itself. One of `when`, `every` and `on` says when.",
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
		{name: "when", spec: anExpression, doc: "A condition; the rule acts each time it turns from false to true."},
		{name: "every", spec: duration(50, hour), doc: "An interval of play time."},
		{name: "on", spec: eventSpec(), doc: eventDoc()},
		{
			name: "for",
			spec: name.offering(forWords...),
			def:  forMatch,
			doc: "Once for the `match`, for each of the `teams` (as `team`), for each of the `players` (as `me`), for " +
				"each of the `creatures` that have the fields which its conditions read, or for each of one kind of " +
				"them, by its name (as `creature`), or for each of the `zones`, likewise (as `zone`).",
		},
		{name: "if", spec: anExpression, doc: "Act only if this holds too."},
		{
			name: "phases",
			spec: names,
			doc:  "Act only in these phases. With `every`: those with open inputs if it is not given.",
		},
		{name: "do", spec: effects, required: true, doc: "What happens."},
	},
}

var phaseObject = &object{
	name: "phase", doc: "A part of the match.",
	example: `phases:
  ready: {length: 3s, inputs: frozen}
  play:
    title: The harbour is open
    length: 90s
    count: up
    next: over
    enter: [{notice: opened}]
    leave: [{notice: closed}]
    ends:
      - if: teams.exists(t, t.points >= 10)
        next: over
        because: ten points
  over: {length: 2s, inputs: frozen}`,
	keys: []key{
		{name: "title", spec: text(40), doc: "What people read."},
		{
			name: "length",
			spec: timeish,
			doc: "How long it lasts: a duration, or an expression in milliseconds, read when it begins. Without " +
				"one it lasts until something ends it.",
		},
		{
			name: "count",
			spec: countsDown.spec(),
			doc:  "Which way its clock runs: down with a length, up without one, unless it says so.",
		},
		{
			name: "inputs",
			spec: inputsFrozen.spec(),
			def:  inputsFrozen.not,
			doc:  "Whether actions and steering are taken; actions with `also: [frozen]` are taken all the same.",
		},
		{
			name: "next",
			spec: name,
			doc: "The phase that follows, or `end`; the next one in the file if it is not given, and `end` after " +
				"the last.",
		},
		{name: "ends", spec: listOf(obj(phaseEndObject), 16), doc: "What ends it before its time."},
		{name: "enter", spec: effects, doc: "What happens when it begins."},
		{name: "leave", spec: effects, doc: "What happens when it ends."},
	},
}

var phaseEndObject = &object{
	name: "phase end", doc: "A condition that ends the phase.",
	keys: []key{
		{name: "if", spec: anExpression, required: true, doc: "The condition."},
		{name: "next", spec: name, doc: "The phase that follows then; the phase's own next if it is not given."},
		{name: "because", spec: text(80), doc: "The reason that is told."},
	},
}

var roundsObject = &object{
	name: "rounds",
	doc: "A phase that is played several times. Fields that reset at a round do so when it begins; who is first " +
		"in `order` when it ends has won it and gets one on the built-in field `rounds`.",
	oneOf: []string{"number", "first_to", "best_of"},
	example: `rounds:
  phase: play
  best_of: 3
  order: [{most: team.points}]
  tied: overtime`,
	keys: []key{
		{name: "phase", spec: name, required: true, doc: "Each time this phase begins, a round begins."},
		{
			name:    "number",
			spec:    integer(1, 100),
			doc:     "Exactly so many rounds.",
			example: "rounds: {phase: play, number: 3}",
		},
		{
			name:    "first_to",
			spec:    integer(1, 50),
			doc:     "Until somebody has won so many.",
			example: "rounds: {phase: play, first_to: 3, most: 9}",
		},
		{name: "best_of", spec: integer(1, 99), doc: "At most so many; it ends as soon as nobody can catch up."},
		{name: "most", spec: integer(1, 200), def: "50", doc: "With `first_to`: never more rounds than this."},
		{
			name: "order",
			spec: listOf(obj(rankObject), 8),
			doc:  "Who wins a round; the order of `win` if it is not given. A tie wins nobody the round.",
		},
		{
			name: "tied",
			spec: name,
			doc:  "The phase that follows when all rounds are played and nobody is ahead; the end if it is not given.",
		},
	},
}

var rankObject = &object{
	name: "rank", doc: "One step of an order, on `me` or on `team`.", oneOf: []string{"most", "least"},
	keys: []key{
		{name: "most", spec: anExpression, doc: "More is better."},
		{name: "least", spec: anExpression, doc: "Less is better."},
	},
}

var winObject = &object{
	name: "win", doc: "When the match ends early, and who has won.",
	example: `win:
  order: [{most: team.points}, {least: "team.members.sum(p, p.falls)"}]
  by: teams
  last: true
  ends:
    - if: teams.exists(t, t.points >= 10)
      because: ten points
    - {if: match.bell == nobody, winner: noteam}`,
	keys: []key{
		{
			name: "by",
			spec: winByTeams.spec(),
			doc:  "Who wins: teams where there are teams, players otherwise, unless it says so.",
		},
		{
			name: "order",
			spec: listOf(obj(rankObject), 8),
			doc: "Who is first, and how ties are broken, step by step. By rounds won first, where there are " +
				"rounds. A tie that nothing breaks is a draw.",
		},
		{name: "ends", spec: listOf(obj(matchEndObject), 16), doc: "What ends the match early."},
		{
			name: "last",
			spec: flag,
			def:  "false",
			doc: "Whether the match ends when at most one team (or player) is still in: alive or coming back. Who " +
				"is still in stands before who is not.",
		},
	},
}

var matchEndObject = &object{
	name: "match end", doc: "A condition that ends the match.",
	keys: []key{
		{name: "if", spec: anExpression, required: true, doc: "The condition."},
		{name: "because", spec: text(80), doc: "The reason that is told."},
		{
			name: "winner",
			spec: anExpression,
			doc:  "The player or team that has won then, whatever the order says. `nobody`, `noteam` or a team without players: all have lost.",
		},
	},
}

var pauseObject = &object{
	name: "pause", doc: "Stopping play time. Names, readiness, pings, leaving and coming back go on.",
	example: `pause: {who: teams, phases: [play], times: 2, seconds: 60s, longest: 45s, countdown: 3s}`,
	keys: []key{
		{
			name: "who",
			spec: pauseWords.spec(),
			def:  PauseHost.String(),
			doc: "Who may pause: the host, anyone (each with a budget), or any member of a team (with the team's " +
				"budget).",
		},
		{name: "phases", spec: names, doc: "In which phases; all if it is not given."},
		{
			name: "times",
			spec: integer(0, 100),
			def:  "0",
			doc:  "How often in a match, for each budget; 0 without limit.",
		},
		{
			name: "seconds",
			spec: duration(0, hour),
			def:  "0s",
			doc:  "How long in all, for each budget; play goes on when it is used up. 0s without limit.",
		},
		{
			name: "longest",
			spec: duration(0, hour),
			def:  "5m",
			doc:  "How long one pause lasts at most; 0s without limit.",
		},
		{
			name: "countdown",
			spec: duration(0, minute),
			def:  "3s",
			doc:  "The time between the word to go on and play going on.",
		},
	},
}

var endObject = &object{
	name: "end", doc: "What is shown at the end, and what comes after.",
	example: `end:
  show: 8s
  then: lobby
  hints:
    - {for: won, tint: gold, play: bells, say: The harbour is yours, strength: 80, lasts: 3s, hold: 1s, with: {camera: wide}}`,
	keys: []key{
		{
			name: "show",
			spec: duration(0, 10*minute),
			def:  "8s",
			doc:  "How long the result stays before what comes next.",
		},
		{
			name: "then",
			spec: thenWords.spec(),
			def:  ThenLobby.String(),
			doc: "`lobby`: back to it, nobody ready. `again`: the next match at once. `vote`: again if more than " +
				"half of the players are ready by then, otherwise the lobby. `close`: the lobby closes.",
		},
		{
			name: "hints",
			spec: listOf(obj(hintObject), 16),
			doc:  "Hints for the client's show, which the service only carries.",
		},
	},
}

var hintObject = &object{
	name: "hint", doc: "Sent as a notice called `hint` when the match ends.",
	keys: []key{
		{name: "for", spec: hintWords.spec(), def: HintEveryone.String(), doc: "Who gets it."},
		{name: "tint", spec: text(40), doc: "What to tint, or how."},
		{name: "play", spec: text(80), doc: "What to play."},
		{name: "say", spec: text(200), doc: "What to write."},
		{name: "strength", spec: integer(0, 100), def: "100", doc: "How strongly, in per cent."},
		{name: "lasts", spec: duration(0, minute), def: "3s", doc: "For how long."},
		{
			name: "hold",
			spec: duration(0, minute),
			def:  "0s",
			doc:  "How much of that at full strength, before it fades.",
		},
		{name: "with", spec: mapOf(text(80), 16), doc: "Whatever else the client wants to know, by name."},
	},
}

var recordObject = &object{
	name: "record field",
	doc: "Something kept of a player between matches. It is loaded before the player gets control and read as " +
		"`record.NAME`. What effects do to it is kept within `save_every`, and at each round's end; what `of` says is kept at the match's end, " +
		"however it ends, and when the player leaves. A player who is in two lobbies has one record: what both add, " +
		"add up; the best of both stays; each sees what the other has done.",
	example: `record:
  matches: {keep: total, of: 1}
  coins: {min: 0, max: 9999, start: 20, was: [money]}
  best_time: {title: Best time, keep: lowest, of: me.time, if: me.outcome == 'won', see: everyone}
  rank: {type: choice, words: [deckhand, mate, captain], start: deckhand, of: "record.matches > 10 ? 'mate' : 'deckhand'"}`,
	keys: []key{
		{name: "type", spec: word(recordTypes...), def: sheet.Integer.String(), doc: "As of a field."},
		{name: "title", spec: text(40), doc: "What people read."},
		{name: "start", spec: scalar, doc: "What a first-time player has."},
		{name: "min", spec: scalar, doc: "The least value of an integer or number; less becomes this."},
		{name: "max", spec: scalar, doc: "The greatest value; of a text the most characters."},
		{name: "words", spec: names, doc: "The words of a choice."},
		{name: "see", spec: seeSpec, def: sheet.OwnerOnly.String(), doc: "Who sees it."},
		{
			name: "was",
			spec: listOf(name, 8),
			doc: "What the field was called in earlier versions, the newest name first. What was kept under the " +
				"first of its names is this field's, in this version and in those that still have the old name, " +
				"side by side.",
		},
		{
			name: "of",
			spec: anExpression,
			doc:  "What is kept at the end, read with `me`; without it only effects write it.",
		},
		{name: "if", spec: anExpression, doc: "Keep it only if this holds."},
		{
			name: "keep",
			spec: keepWords.spec(KeepLatest, KeepBest, KeepLowest, KeepTotal),
			def:  KeepLatest.String(),
			doc: "How it goes with what was kept before: the `latest` value, the `best` (greatest), the `lowest`, " +
				"or the `total`.",
		},
	},
}

var boardObject = &object{
	name: "board",
	doc: "A leaderboard. What `of` says is posted at the match's end; the effect `post` posts at any moment, and " +
		"clients where they may. A board that is renewed begins empty with each season; a post belongs to the season " +
		"in which it happened, and earlier seasons stay readable. Equal values share a place, and who reached theirs " +
		"first is listed first.",
	example: `boards:
  lanterns: {of: me.lanterns, title: Most lanterns}
  fastest: {of: me.time, order: least, if: me.outcome == 'won', show: clock, renew: week, zone: Europe/Oslo}
  wins: {of: 1, if: me.outcome == 'won', keep: count, renew: dates, dates: [2026-03-01, 2026-06-01]}
  crews: {per: team, of: team.points, keep: total}
  streak: {title: Longest streak}        # posted by the effect post
  guesses: {keep: latest, clients: {min: 0, max: 100, every: 10s}}`,
	keys: []key{
		{name: "title", spec: text(60), doc: "What people read."},
		{
			name: "per",
			spec: perTeam.spec(),
			def:  perTeam.not,
			doc:  "Whose entries stand on it: the players', or those of the sides that `teams` names.",
		},
		{
			name: "of",
			spec: anExpression,
			doc: "The number that is posted at the end, read with `me`, per team with `team`. Without it only the " +
				"effect `post` and clients post.",
		},
		{name: "if", spec: anExpression, doc: "Post at the end only if this holds."},
		{
			name: "keep",
			spec: keepWords.spec(KeepBest, KeepLatest, KeepTotal, KeepCount),
			def:  KeepBest.String(),
			doc: "How it goes with the earlier entry: the `best` of both, the `latest`, the `total`, or the `count` " +
				"of posts, whatever their values.",
		},
		{
			name: "order",
			spec: leastFirst.spec(),
			def:  leastFirst.not,
			doc:  "Whether the greatest or the least is first.",
		},
		{
			name: "show",
			spec: showWords.spec(),
			doc:  "How it is written: as the expression's type, or milliseconds as a `clock`.",
		},
		{
			name: "renew",
			spec: renewWords.spec(),
			def:  RenewNever.String(),
			doc: "When it begins anew: `never`; by an operator's `hand`; each `day`, `week` (on Monday) or `month`, at " +
				"midnight in the `zone`; or on the `dates`.",
		},
		{
			name: "dates",
			spec: listOf(text(10), 64),
			doc: "With `renew: dates`: the days on which a season begins, such as 2026-03-01, in order. What happens " +
				"before the first is not posted.",
		},
		{name: "zone", spec: text(40), def: "UTC", doc: "The time zone in which days begin, such as `Europe/Oslo`."},
		{
			name: "clients",
			spec: obj(boundsObject),
			doc: "Lets clients post too, within these bounds. Without it only the service and service keys " +
				"post.",
		},
	},
}

var boundsObject = &object{
	name: "bounds", doc: "What a client may post, and how often.",
	keys: []key{
		{name: "min", spec: integer(-1<<53, 1<<53), required: true, doc: "The least."},
		{name: "max", spec: integer(-1<<53, 1<<53), required: true, doc: "The greatest."},
		{name: "every", spec: duration(0, day), def: "0s", doc: "The least time between two posts of one player."},
	},
}

// effectObject is the form of an effect; its keys come from effectDecls.
var effectObject = &object{
	name: "effect", doc: "One thing that happens. Effects happen in the order they are written.",
	example: `rules:
  - on: out
    do:
      - add: me.falls
        by: 1
      - if: me.falls >= 3
        then:
          - notice: sunk
            to: team
            of: me
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
      - {bench: me}
      - {unbench: "players.first()"}
      - {if: me.falls > 20, then: [{kick: me}]}
      - {if: match.over, then: [{begin: match}]}
      - each: "me.rivals.filter(p, p.alive)"
        as: rival
        do:
          - each: teams
            as: side
            when: side != rival.team
            do: [{notice: near, with: {who: rival, of: side}}]
      - each: rivals
        when: it.alive
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
