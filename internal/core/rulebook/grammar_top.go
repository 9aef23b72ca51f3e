package rulebook

import "turnvex.example/turnvex/internal/core/sheet"

// MaxPlayers is the most seats that a rulebook may ask for.
const MaxPlayers = 200

var topObject = &object{
	name: "rulebook",
	doc:  "The whole file. Only `turnvex`, `name` and `phases` are required.",
	keys: []key{
		{name: "turnvex", spec: integer(1, 1), required: true, doc: "The version of this language.",
			example: "turnvex: 1"},
		{name: "name", spec: name, required: true, doc: "The rulebook's name in addresses, commands and lists.",
			example: "name: clash"},
		{name: "title", spec: text(80), doc: "The display name. Defaults to the name.", example: "title: The Clash"},
		{name: "about", spec: text(1000), doc: "What the match is about, for lists.",
			example: "about: Two crews ram each other in the harbour."},
		{name: "tick", spec: integer(5, 60), def: "20", doc: "Ticks per second: how often the rules advance.",
			example: "tick: 30"},
		{name: "game", spec: name, doc: "The game it belongs to. Rulebooks of the same game share a record and boards.",
			example: "game: harbour"},
		{
			name: "save_every",
			spec: duration(1000, 60000),
			def:  "5s",
			doc: "The longest that a change to a record waits before it is saved. Changes at the end of a round " +
				"or match, when a player leaves, by the effect `save` and by a **certain** cost, one that is taken from what is stored before the action happens, are saved at once.",
			example: "save_every: 2s",
		},
		{name: "regions", spec: names, doc: "The regions whose nodes may open its lobbies. Default: every region.",
			example: "regions: [north, south]"},
		{name: "players", spec: obj(playersObject),
			doc: "How many play, and what happens when players join late, leave or lose their connection."},
		{name: "spectators", spec: obj(spectatorsObject), doc: "Who may watch."},
		{name: "stand_ins", spec: obj(standInsObject), doc: "Seats that the service plays until a player takes them."},
		{
			name: "options",
			spec: mapOf(obj(fieldObject), 32),
			doc: "Fields of the lobby sheet that the host sets when opening the lobby, within their bounds. " +
				"Expressions read them as `lobby.NAME`.",
			example: "options:\n  goal: {type: integer, start: 10, min: 1, max: 50}\n  stakes: {type: choice, words: " +
				"[low, high], fixed: true}",
		},
		{name: "host", spec: obj(hostObject), doc: "What the host of a lobby may do."},
		{name: "start", spec: obj(startObject), doc: "How a match begins."},
		{name: "teams", spec: obj(teamsObject), doc: "The teams. Without this key everyone plays for themselves."},
		{name: "ground", spec: obj(groundObject), doc: "The playing area. Without a ground there are no positions."},
		{name: "calendar", spec: obj(calendarObject), doc: "The date and the time of day, for rules that read them."},
		{name: "arenas", spec: obj(arenasObject),
			doc: "Several grounds for one set of rules, one in each match or round."},
		{name: "facing", spec: obj(facingObject),
			doc: "Where players look. Without this key nobody faces anywhere."},
		{name: "movement", spec: obj(movementObject),
			doc: "How players move on the ground. Without this key they stay where they spawn."},
		{name: "spawn", spec: obj(spawnObject), doc: "Where and when players appear."},
		{name: "sheets", spec: obj(sheetsObject),
			doc: "The fields of the match, of each team, of each player and of the lobby."},
		{name: "kits", spec: mapOf(obj(kitObject), 64),
			doc: "Named sets of actions. Without kits, every player has all actions."},
		{name: "actions", spec: mapOf(obj(actionObject), 64), doc: "What players may ask for."},
		{name: "bearers", spec: mapOf(obj(bearerObject), 16),
			doc: "Things that one player holds. Each becomes a field of the match sheet that refers to the holder."},
		{name: "creatures", spec: mapOf(obj(creatureObject), 32), doc: "Bodies on the ground that the service steers."},
		{name: "zones", spec: mapOf(obj(zoneObject), 32), doc: "Parts of the ground that know who is in them."},
		{name: "pieces", spec: mapOf(obj(pieceObject), 32), doc: "Objects that the rules keep on the ground."},
		{name: "define", spec: mapOf(obj(definitionObject), 64),
			doc: "Expressions and lists of effects with a name, written once and used by several parts."},
		{name: "rules", spec: listOf(obj(ruleObject), 64),
			doc: "What happens on its own: when a condition becomes true, at intervals, or on an event."},
		{name: "phases", spec: mapOf(obj(phaseObject), 32), required: true,
			doc: "The phases of a match. They follow each other in this order unless a phase says otherwise. The " +
				"match begins with the first."},
		{name: "sealed", spec: mapOf(obj(sealedObject), 16),
			doc: "What every player chooses in secret, revealed to all at once."},
		{name: "votes", spec: mapOf(obj(voteObject), 16), doc: "What players decide together."},
		{name: "referee", spec: obj(refereeingObject), doc: "What a referee may do on its own initiative."},
		{name: "turns", spec: obj(turnsObject), doc: "Whose turn it is, one player after the other."},
		{name: "rounds", spec: obj(roundsObject), doc: "Which phase is a round, how many there are and who wins one."},
		{name: "win", spec: obj(winObject), doc: "When the match ends early, and who has won."},
		{name: "promises", spec: listOf(obj(promiseObject), 64),
			doc: "Invariants of every match, checked in rehearsals, stories and practice lobbies only."},
		{name: "pause", spec: obj(pauseObject), doc: "Who may pause, how often and for how long."},
		{name: "end", spec: obj(endObject), doc: "What is shown at the end, and what follows."},
		{name: "record", spec: mapOf(obj(recordObject), 48),
			doc: "What is kept for a player between matches of this rulebook."},
		{name: "boards", spec: mapOf(obj(boardObject), 16), doc: "Leaderboards that the match posts to."},
	},
}

var playersObject = &object{
	name:    "players",
	doc:     "Seats in the lobby.",
	example: `players: {least: 2, most: 8, late: wait, hold: 45s, gone: forfeit, leavers: lose, returning: same, below: end, local: 2}`,
	keys: []key{
		{name: "least", spec: integer(1, MaxPlayers), def: "1", doc: "A match starts with at least this many."},
		{name: "most", spec: integer(1, MaxPlayers), def: "8", doc: "The most seats a lobby may have."},
		{
			name: "late",
			spec: lateWords.spec(),
			def:  LateWait.String(),
			doc: "What happens to a player who joins during a match: with `seat` they play at once, with `wait` " +
				"they stay in the lobby until the next match, with `refuse` they are not let in.",
		},
		{name: "hold", spec: duration(0, hour), def: "30s",
			doc: "How long a seat is held for a player whose connection is lost."},
		{
			name: "gone",
			spec: goneWords.spec(),
			def:  GoneRemove.String(),
			doc: "What happens when the hold runs out during a match: `remove` frees the seat, `forfeit` also " +
				"ends the match as lost for that player's side, `keep` leaves the seat in play until the end, " +
				"`stand-in` lets the next newcomer take it over as it is.",
		},
		{
			name: "leavers",
			spec: leaversWords.spec(),
			def:  LeaversLeft.String(),
			doc: "How a player who leaves, and is not back at the end, is counted: as `left`, without a place; " +
				"as lost (`lose`), behind everyone who stayed; or like their `team` (without teams: as lost). " +
				"Records and results say the same. Except with `left`, what they had when they left is posted " +
				"to the boards.",
		},
		{
			name: "returning",
			spec: returningWords.spec(),
			def:  ReturningSame.String(),
			doc: "What a player finds who has left a match, was removed or was cut off beyond the hold, and " +
				"comes back to it: with `same` everything as it was, from their sheet and cooldowns to pauses " +
				"used and votes, in the same team; with `anew` they start as a newcomer; with `refuse` they " +
				"cannot come back until it is over. It comes before `late`. Nobody counts twice for one match.",
		},
		{
			name: "below",
			spec: belowWords.spec(),
			def:  BelowEnd.String(),
			doc: "What happens when fewer than `least` are left in a match: `end` it, `wait` (paused) until " +
				"there are enough, or `go-on`.",
		},
		{name: "local", spec: integer(1, 8), def: "1",
			doc: "The most seats on one connection, for players who share a screen."},
	},
}

var spectatorsObject = &object{
	name: "spectators", doc: "People who watch. They have no seat and see only what everyone sees, and all " +
		"positions. Passwords, closed lobbies and bans apply to them as to players. In a match with sight, or " +
		"with fields that not everyone sees, a player who has or had a seat cannot watch.",
	example: `spectators: {most: 50, delay: 10s}`,
	keys: []key{
		{name: "most", spec: integer(0, 10000),
			doc: "How many may watch; 0 for none. Default: 20; in a match with sight, or with fields that not " +
				"everyone sees, 0. `turnvex check` says what spectators see."},
		{name: "delay", spec: duration(0, 5*minute), def: "0s", doc: "How far behind the players they see everything."},
	},
}

var startObject = &object{
	name: "start", doc: "How a match begins from the lobby.",
	example: `start: {countdown: 5s}`,
	keys: []key{
		{name: "ready", spec: flag, def: "true", doc: "Whether a match starts as soon as everyone is ready. With " +
			"`false` only the host starts it, whom [`host`](#host) must then give that power everywhere. In lobbies " +
			"of a series, which have no host, it starts when everyone is ready."},
		{name: "countdown", spec: duration(0, minute), def: "3s",
			doc: "The time between that and the match. It is cancelled if a player leaves or is no longer ready."},
	},
}

var teamsObject = &object{
	name: "teams", doc: "Fixed teams by name (`list`), or a number of identical ones (`number`).",
	example: `teams:
  list:
    amber: {title: Amber, least: 1, most: 4}
    teal: {title: Teal, least: 1, most: 4}
  newcomers: choice
  tie: random
  locked: start`,
	oneOf: []string{"list", "number"},
	keys: []key{
		{name: "list", spec: mapOf(obj(teamObject), 32), doc: "The teams by name."},
		{name: "number", spec: integer(1, 100), doc: "That many teams, called team1, team2 and so on.",
			example: "teams: {number: 4, least: 0, most: 2}"},
		{name: "least", spec: integer(0, MaxPlayers), def: "1",
			doc: "A match starts when each team has at least this many."},
		{name: "most", spec: integer(1, MaxPlayers), doc: "The most players on a team. Default: the lobby's capacity."},
		{
			name: "newcomers",
			spec: newcomersWords.spec(),
			def:  NewcomersFewest.String(),
			doc: "Where a newcomer goes: to the team with the `fewest` players, or to the one of their `choice`. " +
				"With `fewest`, changing sides needs the consent of another player, or the host: see " +
				"[`host`](#host).",
		},
		{
			name: "tie",
			spec: tieWords.spec(),
			def:  TieFirst.String(),
			doc: "Which of several teams with equally few players: the `first` in the list, one at `random`, or " +
				"the `weakest` by rounds won and then by the order in `win`.",
		},
		{
			name: "locked",
			spec: lockedWords.spec(),
			def:  LockedMatch.String(),
			doc:  "When sides are locked: during the `match`, from the `start` countdown on, or `never`.",
		},
	},
}

var teamObject = &object{
	name: "team", doc: "One team.",
	keys: []key{
		{name: "title", spec: text(40), doc: "The display name."},
		{name: "least", spec: integer(0, MaxPlayers), doc: "Overrides `least` of all teams."},
		{name: "most", spec: integer(0, MaxPlayers), doc: "Overrides `most` of all teams. With 0 it is a team of " +
			"creatures alone, which nobody joins and which may win."},
	},
}

var sheetsObject = &object{
	name: "sheets",
	doc: "The declared fields of each kind of sheet. Each field is declared once; checks, clamping, resets, " +
		"visibility, sending and saving all follow from that.",
	example: `sheets:
  player:
    hull: {type: integer, start: 100, min: 0, max: 100, reset: respawn}
    share: {type: number, is: double(me.hull) / 100.0}
  team:
    points: {type: integer, is: "team.members.sum(p, p.points)"}
  match:
    storm: {type: flag}
  lobby:
    played: {type: integer, reset: never}`,
	keys: []key{
		{name: "lobby", spec: mapOf(obj(fieldObject), 32), doc: "Fields of the lobby, which carry over from " +
			"match to match."},
		{name: "match", spec: mapOf(obj(fieldObject), 64), doc: "Fields of the match."},
		{name: "team", spec: mapOf(obj(fieldObject), 64), doc: "Fields of each team."},
		{
			name: "player",
			spec: mapOf(obj(fieldObject), 64),
			doc:  "Fields of each player. They outlive any body: respawning resets only those with `reset: respawn`.",
		},
	},
}

var fieldObject = &object{
	name: "field", doc: "One declared value.",
	example: `sheets:
  player:
    wind: {type: number, start: 50, min: 0, max: 50, see: owner, title: Wind, show: bar}
    mood: {type: choice, words: [calm, cross], show: aside}
    lap: {type: clock, count: up}
    until: {type: duration, start: 3s, min: 0, max: 1h}
    far: {type: length, start: 12m}
    most_hull: {type: integer, start: 100}
    armour: {type: integer, start: me.most_hull / 2, min: 0, max: me.most_hull}
    left: {type: clock, count: down, runs: wall, start: 30s, update: 500ms}
    hand: {type: list, of: integer, most: 10, see: owner}
    marks: {type: list, of: choice, words: [star, moon], start: [star, star]}
    cells: {type: list, of: integer, start: {fill: 0, times: 64}}
    wares: {type: counts, words: [wood, fish], start: {wood: 5}, min: 0}
  match:
    deck: {type: list, of: integer, start: 1..52, see: referees}
    spies: {type: list, of: player, see: match.spies}
    password: {type: text, see: match.spies}`,
	keys: []key{
		{
			name:     "type",
			spec:     word(fieldTypes...),
			required: true,
			doc: "`integer`; `duration`, `length`, `speed` and `angle`, integers of milliseconds, millimetres, " +
				"millimetres a second and degrees; `number` in thousandths; `text`; `flag`; `choice`, one of `words`; `position` in " +
				"millimetres; `player`, `team` or `creature`, a reference; `clock`; `list`, several values of " +
				"the type in `of`; `counts`, an integer for each of `words`, read as `me.NAME.WORD` or " +
				"`me.NAME[…]` with a choice in the brackets (clients get a field `NAME_WORD` for each).",
		},
		{name: "title", spec: text(40), doc: "The display name."},
		{
			name: "of",
			spec: word(itemTypes...),
			doc: "For a list: the type of its items. If not everyone sees the list, everyone still sees its " +
				"length, as `NAME_size`.",
		},
		{name: "most", spec: integer(1, sheet.MaxItems),
			doc: "For a list: the most items. Default: 50, or as many as it starts with."},
		{
			name: "start",
			spec: spec{shape: anything},
			doc: "The value at the start and after a reset. Default: 0, empty, false, the first word or nobody. " +
				"For a clock it is a duration; for a list, a list or (of integers) a range such as `1..52`, or `{fill: ITEM, times: MANY}`; for counts, " +
				"one number, or one for each word. The start " +
				"of an integer, number, flag, position or clock may be an expression, evaluated at each reset " +
				"(not on lobby sheets, in records or for options).",
		},
		{name: "min", spec: scalar,
			doc: "The least value of an integer or number, or of a list's integers; smaller values are raised to it. " +
				"It may be an expression, and the value follows it (not in records or for options)."},
		{
			name: "max",
			spec: scalar,
			doc:  "The greatest value; see `min`. For a text: the most characters (default: 64).",
		},
		{name: "words", spec: spec{shape: aParameter, words: []string{arenasWord}, max: countsMost},
			doc: "The words of a choice or of a list of choices, or of counts; `arenas` stands for the names of the arenas."},
		{name: "see", spec: aField.offering(sheet.AudienceWords()...),
			doc: "Who sees it: `everyone`, its `team`, its `owner`, only `referees`, or a group: the players in a " +
				"list of the match, as in `match.spies`, from the moment they are in it. At most 16 lists are " +
				"groups. Default: `everyone`."},
		{
			name: "show",
			spec: word(sheet.ShowWords()...),
			def:  sheet.ShowAny.String(),
			doc: "How the console and other tools display it: as a `bar` between `min` and `max`, a `number`, a " +
				"`time` (from milliseconds), or only where all fields are listed (`aside`). With `any` the tool " +
				"decides.",
		},
		{name: "reset", spec: word(sheet.ResetWords()...), def: sheet.ResetMatch.String(),
			doc: "When it goes back to its start. A field that resets at a respawn also resets at each round, and " +
				"one that resets at a round also resets at each match."},
		{
			name: "is",
			spec: anExpression,
			doc: "Makes the field derived: it always holds the value of this expression (with `me` on a player " +
				"sheet, `team` on a team sheet), and nothing else may write it.",
		},
		{name: "count", spec: countsDown.spec(), def: countsDown.not, doc: "Which way a clock runs."},
		{
			name: "runs",
			spec: runsOnWall.spec(),
			def:  runsOnWall.not,
			doc:  "The time a clock follows: `play` stops during a pause.",
		},
		{name: "update", spec: duration(0, 10*second), def: "0s",
			doc: "The shortest time between two updates to clients, who get the newest value. With 0s every change " +
				"is sent."},
		{name: "fixed", spec: flag, def: "false", doc: "Of an option: whether it stays what the lobby was opened " +
			"with, so that nobody changes it afterwards."},
	},
}

var kitObject = &object{
	name: "kit", doc: "A named set of actions.",
	example: `kits:
  skiff: {actions: [ram, patch]}
  keeper: {actions: [ring], start: false}
rules: [{on: start, do: [{grant: keeper, to: players.first()}]}]`,
	keys: []key{
		{name: "actions", spec: names, required: true, doc: "The actions in it."},
		{name: "start", spec: flag, def: "true", doc: "Whether every player has it at the start of a match."},
	},
}
