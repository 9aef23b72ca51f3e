package rulebook

import "turnvex.example/turnvex/internal/core/sheet"

// MaxPlayers is the most seats that a rulebook may ask for.
const MaxPlayers = 200

var topObject = &object{
	name: "rulebook",
	doc:  "The whole file. Only `turnvex`, `name` and `phases` are required.",
	keys: []key{
		{
			name:     "turnvex",
			spec:     integer(1, 1),
			required: true,
			doc:      "The version of this language.",
			example:  "turnvex: 1",
		},
		{
			name:     "name",
			spec:     name,
			required: true,
			doc:      "The rulebook's name in addresses, commands and lists.",
			example:  "name: clash",
		},
		{
			name:    "title",
			spec:    text(80),
			doc:     "The name that people read; the name if it is not given.",
			example: "title: The Clash",
		},
		{
			name:    "about",
			spec:    text(1000),
			doc:     "What the match is about, for lists.",
			example: "about: Two crews ram each other in the harbour.",
		},
		{
			name:    "tick",
			spec:    integer(5, 60),
			def:     "20",
			doc:     "Ticks a second: how often the rules move on.",
			example: "tick: 30",
		},
		{
			name:    "game",
			spec:    name,
			doc:     "The game to which it belongs, whose record and boards it shares with others.",
			example: "game: harbour",
		},
		{
			name: "save_every",
			spec: duration(1000, 60000),
			def:  "5s",
			doc: "How long a change of a record waits at most before it is kept. What rounds, matches and leaving " +
				"bring, " +
				"the effect `save` and certain costs do not wait.",
			example: "save_every: 2s",
		},
		{
			name:    "regions",
			spec:    names,
			doc:     "The regions whose nodes may open lobbies of it; every region if it is not given.",
			example: "regions: [north, south]",
		},
		{
			name: "players",
			spec: obj(playersObject),
			doc:  "How many play, and what happens when they come late, leave or lose their connection.",
		},
		{name: "spectators", spec: obj(spectatorsObject), doc: "Who may watch."},
		{name: "stand_ins", spec: obj(standInsObject), doc: "Seats that the service plays until somebody comes."},
		{
			name: "options",
			spec: mapOf(obj(fieldObject), 32),
			doc: "Fields of the lobby sheet that the host sets when opening the lobby, within their bounds. " +
				"Expressions read them as `lobby.NAME`.",
			example: "options:\n  goal: {type: integer, start: 10, min: 1, max: 50}",
		},
		{name: "start", spec: obj(startObject), doc: "How a match begins."},
		{name: "teams", spec: obj(teamsObject), doc: "The teams. Without this key everyone plays for themselves."},
		{name: "ground", spec: obj(groundObject), doc: "The playing area. Without it there are no positions."},
		{
			name: "arenas",
			spec: obj(arenasObject),
			doc:  "Several grounds for one set of rules, one in each match or round.",
		},
		{
			name: "movement",
			spec: obj(movementObject),
			doc:  "How players move on the ground. Without it they stay where they spawn.",
		},
		{name: "spawn", spec: obj(spawnObject), doc: "Where and when players appear."},
		{
			name: "sheets",
			spec: obj(sheetsObject),
			doc:  "The fields of the match, of each team, of each player and of the lobby.",
		},
		{
			name: "kits",
			spec: mapOf(obj(kitObject), 64),
			doc:  "Named sets of actions. Without any, everybody has all actions.",
		},
		{name: "actions", spec: mapOf(obj(actionObject), 64), doc: "What players may ask for."},
		{
			name: "bearers",
			spec: mapOf(obj(bearerObject), 16),
			doc:  "Things that one player holds. Each becomes a field of the match sheet that refers to the holder.",
		},
		{
			name: "creatures",
			spec: mapOf(obj(creatureObject), 32),
			doc:  "Beings on the ground that the service steers.",
		},
		{name: "zones", spec: mapOf(obj(zoneObject), 32), doc: "Parts of the ground that know who is in them."},
		{name: "pieces", spec: mapOf(obj(pieceObject), 32), doc: "Objects that the rules keep on the ground."},
		{
			name: "rules",
			spec: listOf(obj(ruleObject), 64),
			doc:  "What happens by itself: when a condition comes true, at intervals, or at an event.",
		},
		{
			name:     "phases",
			spec:     mapOf(obj(phaseObject), 32),
			required: true,
			doc: "The phases of a match, in the order in which they follow each other unless they say " +
				"otherwise. The match begins with the first.",
		},
		{
			name: "sealed",
			spec: mapOf(obj(sealedObject), 16),
			doc:  "What everybody chooses in secret, revealed for all at once.",
		},
		{name: "votes", spec: mapOf(obj(voteObject), 16), doc: "What players decide together."},
		{name: "referee", spec: obj(refereeingObject), doc: "What a referee may do of its own accord."},
		{name: "turns", spec: obj(turnsObject), doc: "Who acts when, one after the other."},
		{name: "rounds", spec: obj(roundsObject), doc: "Which phase is a round, how many there are and who wins one."},
		{name: "win", spec: obj(winObject), doc: "When the match ends early, and who has won."},
		{
			name: "promises",
			spec: listOf(obj(promiseObject), 64),
			doc:  "What holds in every match: checked by rehearsals, stories and practice, and nowhere else.",
		},
		{name: "pause", spec: obj(pauseObject), doc: "Who may pause, how often and for how long."},
		{name: "end", spec: obj(endObject), doc: "What is shown at the end, and what comes after."},
		{
			name: "record",
			spec: mapOf(obj(recordObject), 48),
			doc:  "What is kept of a player between matches of this rulebook.",
		},
		{name: "boards", spec: mapOf(obj(boardObject), 16), doc: "Leaderboards that the match posts to."},
	},
}

var playersObject = &object{
	name:    "players",
	doc:     "Seats in the lobby.",
	example: `players: {least: 2, most: 8, late: wait, hold: 45s, gone: forfeit, leavers: lose, host_gone: pass, below: end, local: 2}`,
	keys: []key{
		{name: "least", spec: integer(1, MaxPlayers), def: "1", doc: "A match starts with at least this many."},
		{name: "most", spec: integer(1, MaxPlayers), def: "8", doc: "The most seats a lobby may have."},
		{
			name: "late",
			spec: lateWords.spec(),
			def:  LateWait.String(),
			doc: "Who comes during a match: `seat` plays at once, `wait` sits in the lobby until the next match, " +
				"`refuse` is not let in.",
		},
		{
			name: "hold",
			spec: duration(0, hour),
			def:  "30s",
			doc:  "How long a seat is held for a player whose connection is lost.",
		},
		{
			name: "gone",
			spec: goneWords.spec(),
			def:  GoneRemove.String(),
			doc: "What happens when the hold has run out during a match: `remove` takes the seat away, `forfeit` " +
				"also ends the match as lost for that player's side, `keep` leaves the seat in play until the end, " +
				"`stand-in` lets the next newcomer take it over as it is.",
		},
		{
			name: "leavers",
			spec: leaversWords.spec(),
			def:  LeaversLeft.String(),
			doc: "How those count who leave before the end: as having `left`, without a place; as having lost (`lose`), " +
				"behind all who stayed; or like their `team`, without teams as having lost. " +
				"But for `left`, what they had by then is posted to the boards.",
		},
		{
			name: "host_gone",
			spec: hostGoneWords.spec(),
			def:  HostPasses.String(),
			doc: "When the host's seat is given up: `pass` makes the player the host who has been there longest, " +
				"`close` ends the lobby, and its match with it.",
		},
		{
			name: "below",
			spec: belowWords.spec(),
			def:  BelowEnd.String(),
			doc: "When fewer than the least are left in a match: `end` it, `wait` paused until there are enough, " +
				"or `go-on`.",
		},
		{
			name: "local",
			spec: integer(1, 8),
			def:  "1",
			doc:  "The most seats on one connection, for players who share a screen.",
		},
	},
}

var spectatorsObject = &object{
	name: "spectators", doc: "People who watch. They have no seat and see only what everyone sees, and positions " +
		"beyond anybody's sight. They pass the doors that players pass: a password, a closed lobby, a ban. In a " +
		"match with sight, or with fields that not everyone sees, nobody watches who has a seat in it or had one.",
	example: `spectators: {most: 50, delay: 10s}`,
	keys: []key{
		{name: "most", spec: integer(0, 10000), def: "20", doc: "How many may watch; 0 for none."},
		{
			name: "delay",
			spec: duration(0, 5*minute),
			def:  "0s",
			doc:  "How much later than the players they see everything.",
		},
	},
}

var startObject = &object{
	name: "start", doc: "How a match begins from the lobby.",
	example: `start: {by: ready, countdown: 5s}`,
	keys: []key{
		{
			name: "by",
			spec: startWords.spec(),
			def:  StartReady.String(),
			doc:  "`ready`: when all are ready. `host`: when the host says so. `either`: whichever comes first.",
		},
		{
			name: "countdown",
			spec: duration(0, minute),
			def:  "3s",
			doc:  "The time between that and the match; somebody leaving or no longer ready calls it off.",
		},
	},
}

var teamsObject = &object{
	name: "teams", doc: "Fixed teams by name (`list`), or a number of alike ones (`number`).",
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
		{
			name:    "number",
			spec:    integer(1, 100),
			doc:     "That many teams, called team1, team2 and so on.",
			example: "teams: {number: 4, least: 0, most: 2}",
		},
		{
			name: "least",
			spec: integer(0, MaxPlayers),
			def:  "1",
			doc:  "A match starts when each team has at least this many.",
		},
		{
			name: "most",
			spec: integer(1, MaxPlayers),
			doc:  "The most players of a team; the lobby's capacity if it is not given.",
		},
		{
			name: "newcomers",
			spec: newcomersWords.spec(),
			def:  NewcomersFewest.String(),
			doc: "Where a newcomer goes: to the team with the `fewest` players, to the one of their `choice` (the " +
				"fewest until they choose), or where the `host` puts them (the fewest until then). With `fewest` " +
				"nobody changes sides but by consent.",
		},
		{
			name: "tie",
			spec: tieWords.spec(),
			def:  TieFirst.String(),
			doc: "Among teams with equally few: the `first` in the list, one at `random`, or the `weakest` by " +
				"rounds won and then by the order of `win`.",
		},
		{
			name: "locked",
			spec: lockedWords.spec(),
			def:  LockedMatch.String(),
			doc:  "When nobody may change sides: during the `match`, from the `start` countdown on, or `never`.",
		},
	},
}

var teamObject = &object{
	name: "team", doc: "One team.",
	keys: []key{
		{name: "title", spec: text(40), doc: "The name that people read."},
		{name: "least", spec: integer(0, MaxPlayers), doc: "Instead of the least of all teams."},
		{name: "most", spec: integer(1, MaxPlayers), doc: "Instead of the most of all teams."},
	},
}

var sheetsObject = &object{
	name: "sheets",
	doc: "The declared fields of each kind of sheet. Each field is declared once; its checking, clamping, " +
		"resetting, visibility, sending and saving follow.",
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
		{name: "lobby", spec: mapOf(obj(fieldObject), 32), doc: "Of the lobby; they stay from match to match."},
		{name: "match", spec: mapOf(obj(fieldObject), 64), doc: "Of the match."},
		{name: "team", spec: mapOf(obj(fieldObject), 64), doc: "Of each team."},
		{
			name: "player",
			spec: mapOf(obj(fieldObject), 64),
			doc:  "Of each player. They outlive any body: respawning resets only what says so.",
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
    most_hull: {type: integer, start: 100}
    armour: {type: integer, start: me.most_hull / 2, min: 0, max: me.most_hull}
    left: {type: clock, count: down, runs: wall, start: 30s, rate: 500ms}
    hand: {type: list, of: integer, most: 10, see: owner}
    marks: {type: list, of: choice, words: [star, moon], start: [star, star]}
  match:
    deck: {type: list, of: integer, start: 1..52, see: referees}`,
	keys: []key{
		{
			name:     "type",
			spec:     word(fieldTypes...),
			required: true,
			doc: "`integer`; `number` in thousandths; `text`; `flag`; `choice`, one of `words`; `position` in " +
				"millimetres; `player`, `team` or `creature`, a reference; `clock`; `list`, several of what `of` " +
				"says.",
		},
		{name: "title", spec: text(40), doc: "What people read in place of the name."},
		{
			name: "of",
			spec: word(itemTypes...),
			doc: "Of a list: what its items are. Where not everyone sees the list, everyone sees how many " +
				"there are, as `NAME_size`.",
		},
		{
			name: "most",
			spec: integer(1, sheet.MaxItems),
			doc:  "Of a list: the most items; 50, or as many as it starts with, if it is not given.",
		},
		{
			name: "start",
			spec: spec{shape: anything},
			doc: "The value at first and after a reset: 0, empty, false, the first word, nobody if it is not " +
				"given. A clock's is a duration; a list's is a list, or of integers a range such as `1..52`. On the sheets " +
				"of match, teams and players an integer's, number's, flag's, position's or clock's may be an " +
				"expression, which is read at each reset.",
		},
		{
			name: "min",
			spec: scalar,
			doc: "The least value of an integer or number, or of a list's integers; less becomes this. On the sheets " +
				"of lobby, match, teams and players it may be an expression: the value follows it.",
		},
		{
			name: "max",
			spec: scalar,
			doc: "The greatest value, as `min` is the least; more becomes this. Of a text: the most characters, 64 if " +
				"it is not given.",
		},
		{name: "words", spec: names, doc: "The words of a choice, or of a list of choices."},
		{
			name: "see",
			spec: seeSpec,
			doc: "Who sees it: everyone, the team, its owner or only referees. Of a record: its owner, otherwise " +
				"everyone, if it is not given.",
		},
		{
			name: "show",
			spec: word(sheet.ShowWords()...),
			def:  sheet.ShowAny.String(),
			doc: "How the console and other tools draw it: `bar`, between `min` and `max`; `number`; `time`, of a number " +
				"of milliseconds; `aside`, only where all fields are listed; `any` leaves it to them.",
		},
		{
			name: "reset",
			spec: word(sheet.ResetWords()...),
			def:  sheet.ResetMatch.String(),
			doc: "When it goes back to its start by itself. What resets at a respawn also does at a round, what " +
				"resets at a round also at a match.",
		},
		{
			name: "is",
			spec: anExpression,
			doc: "Makes the field derived: it always holds this expression's value (with `me` on a player sheet, " +
				"`team` on a team sheet) and nothing else may write it.",
		},
		{name: "count", spec: countsDown.spec(), def: countsDown.not, doc: "Which way a clock runs."},
		{
			name: "runs",
			spec: runsOnWall.spec(),
			def:  runsOnWall.not,
			doc:  "Which time a clock follows: `play` stands still in a pause.",
		},
		{
			name: "rate",
			spec: duration(0, 10*second),
			def:  "0s",
			doc:  "Send changes at most this often; the newest value counts. 0s sends each.",
		},
	},
}

var kitObject = &object{
	name: "kit", doc: "A named set of actions.",
	example: `kits:
  skiff: {actions: [ram, patch]}
  keeper: {actions: [ring], start: false}`,
	keys: []key{
		{name: "actions", spec: names, required: true, doc: "The actions in it."},
		{name: "start", spec: flag, def: "true", doc: "Whether every player has it from the start of a match."},
	},
}
