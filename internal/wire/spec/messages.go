// Package spec explains the live protocol: docs/protocol.md, its JSON Schema and the vectors that clients are held to
// follow from the types of package wire and from Messages.
package spec

import "turnvex.example/turnvex/internal/wire"

// Message tells of one message of the protocol: docs/protocol.md and the JSON Schema are made from it.
type Message struct {
	Is      string
	From    From
	Type    any    // its zero value
	Purpose string // what it is for
	When    string // who sends it when
	Follows string // what may follow
	Errors  string // what is refused; nothing where nothing is
	Example string // in JSON; the vectors have it in CBOR too
}

// From says who sends a message.
type From uint8

// The senders.
const (
	Client From = iota
	Service
	Both
)

var fromNames = []string{"client", "service", "either side"}

func (f From) String() string { return fromNames[f] }

// Messages lists every message, in the order in which one meets them.
var Messages = []Message{
	{
		Is:   "hello",
		From: Client,
		Type: wire.Hello{},
		Purpose: "Tells the service who you are and which lobby you want to join, as a player, a spectator, an " +
			"operator or a referee.",
		When:    "First, within 10 s of the handshake.",
		Follows: "`welcome` and then a `snapshot` or `delta`; with `list` a `listing`, with `board` a `board`, with `rulebook` a `judging`; `bye` if it is refused.",
		Errors: "`hello-first`, `bad-message`, `too-large`, `no-token`, `bad-token`, `no-such-lobby`, " +
			"`forbidden` (`all`, `as` and `referee` need a service key), and the reasons for not being let into " +
			"a lobby: `lobby-full`, `lobby-closed`, `wrong-password`, `banned`, `wrong-version`, `already-in`, " +
			"`match-running`, `spectators-full`, `too-many-locals`, `bad-name`.",
		Example: `{"is":"hello","token":"eyJ…","lobby":"K7WPQ4","locals":["Little Mara"]}`,
	},
	{
		Is:   "welcome",
		From: Service,
		Type: wire.Welcome{},
		Purpose: "Lists your seats, and everything that is sent only once: the fields of each kind of sheet with " +
			"their numbers, and the rulebook's actions, phases and notices.",
		When:    "In answer to hello, and again when a player in the queue gets a seat.",
		Follows: "A `snapshot`, or with `kept` a `delta` as soon as something changes.",
		Example: `{"is":"welcome","lobby":"K7WPQ4","seats":[{"seat":5,"last":0}],"resume":"YX2…","branch":"Q7RW2MZK","rate":20,"tick":431,"hold":30000,"schema":{"kinds":[[],[],[],[{"no":0,"name":"hull","type":"integer"}],[],[]]},"service":"0.1.0"}`,
	},
	{
		Is:      "snapshot",
		From:    Service,
		Type:    wire.Snapshot{},
		Purpose: "Everything that you may see. It replaces the copy.",
		When: "After welcome, after `whole`, when you changed sides while you were away, and when you have " +
			"fallen too far behind for a delta.",
		Follows: "Deltas on its tick.",
		Example: `{"is":"snapshot","tick":431,"parts":[[0,1,0,0,0,"K7WPQ4"],[0,5,3,5,0,100]]}`,
	},
	{
		Is:      "delta",
		From:    Service,
		Type:    wire.Delta{},
		Purpose: "The changes. It holds only fields that you may see.",
		When: "When something that you see has changed, at most once per tick. A client that has fallen behind " +
			"or come back gets one with everything it missed, each field with its newest value.",
		Follows: "The notices and then the verdicts of that tick.",
		Errors:  "If `on` is not the copy's tick, or a part does not apply, the copy is not reliable: send `whole`.",
		Example: `{"is":"delta","on":431,"tick":432,"parts":[[5,0,75],[-3,1,5,4100,20000,6,55900,20000]]}`,
	},
	{
		Is:      "intent",
		From:    Client,
		Type:    wire.Intent{},
		Purpose: "A request on behalf of a seat. Nothing happens unless the service accepts it.",
		When:    "Any time. At most 60 a second over time for each seat.",
		Follows: "Always its `verdict`, in order. A repeated number is answered again, and nothing is done " +
			"twice. The service remembers the last 32 of each seat and answers older ones with `old-intent`.",
		Errors: "Errors in the request are reported in the verdict. Errors in the message, such as an unknown " +
			"key, end the connection with `bad-message`.",
		Example: `{"is":"intent","seat":5,"n":12,"do":"act","name":"ram","target":6}`,
	},
	{
		Is:      "verdict",
		From:    Service,
		Type:    wire.Verdict{},
		Purpose: "Accepts or refuses an intent, so that a client that showed its effect early can keep it or undo it.",
		When: "After the delta of its tick, so that the copy already holds the effect. After you resume, again " +
			"for intents that you send again.",
		Example: `{"is":"verdict","seat":5,"n":12,"ok":false,"code":"cooldown","reason":"ram is ready again in 0.4 s","tick":440,"left":400}`,
	},
	{
		Is:      "notice",
		From:    Service,
		Type:    wire.Notice{},
		Purpose: "Something that happened, sent once and not kept.",
		When: "After the delta of its tick, to its audience. A client that has fallen behind gets it only if the " +
			"rulebook marks the notice as needed.",
		Example: `{"is":"notice","name":"rammed","tick":432,"with":{"by":5,"whom":6}}`,
	},
	{Is: "still", From: Service, Type: wire.Still{},
		Purpose: "Tells that play stands still, with the reason, or, with over, that it goes on. Meanwhile no tick " +
			"passes, and intents are refused with `not-kept`.",
		When: "At once, when a node may show nothing: its database does not answer and it shows only what is kept, " +
			"or another node may be taking the lobby over. If it cannot go on there, `bye` with `not-kept` and " +
			"`again` follows: connect to another node.",
		Example: `{"is":"still","ms":1040,"why":"the database does not answer: play stands still, and goes on by itself when it does"}`},
	{Is: "missed", From: Service, Type: wire.Missed{},
		Purpose: "Tells how many notices were dropped because the client had fallen behind.",
		When:    "When it has caught up.",
		Example: `{"is":"missed","notices":17}`},
	{
		Is:   "ping",
		From: Both,
		Type: wire.Ping{},
		Purpose: "Keeps the connection alive and measures it. The service shows the round-trip time in the " +
			"roster; a client computes the service's tick from it.",
		When:    "The service every 2 s, a client at any time.",
		Follows: "`pong` with the same number. A connection on which nothing arrives for 15 s is lost.",
		Example: `{"is":"ping","n":3,"tick":440,"part":250}`,
	},
	{Is: "pong", From: Both, Type: wire.Ping{},
		Purpose: "Answers a ping.",
		When:    "At once.",
		Example: `{"is":"pong","n":3}`},
	{Is: "whole", From: Client, Type: wire.Plain{},
		Purpose: "Asks for a snapshot.",
		When:    "When the copy is not reliable.",
		Follows: "A `snapshot`. Ignore deltas that were sent before it: their `on` does not match.",
		Example: `{"is":"whole"}`},
	{Is: "check", From: Service, Type: wire.Check{},
		Purpose: "Asks whether the copy is correct.",
		When:    "After the delta of its tick: every 5 s in practice lobbies, and when an operator asks.",
		Follows: "`hash` from the client, which keeps the copy of that tick until the next check, for `show`.",
		Errors:  "A client that does not know this message may ignore it.",
		Example: `{"is":"check","tick":500}`},
	{Is: "hash", From: Client, Type: wire.Hash{},
		Purpose: "The hash of the copy at the tick of a check.",
		When:    "In answer to check, before any later delta is applied.",
		Follows: "Nothing if it is correct; otherwise `show`.",
		Example: `{"is":"hash","tick":500,"hash":3421780262}`},
	{Is: "show", From: Service, Type: wire.Check{},
		Purpose: "Asks for the whole copy at that tick, because its hash is wrong.",
		When:    "After a hash that is wrong.",
		Follows: "`shown` from the client.",
		Example: `{"is":"show","tick":500}`},
	{Is: "shown", From: Client, Type: wire.Shown{},
		Purpose: "The copy at the tick of the check.",
		When:    "In answer to show. At most 256 KiB.",
		Follows: "`differs` and a `snapshot`.",
		Example: `{"is":"shown","tick":500,"parts":[[0,1,0,0,0,"K7WPQ4"],[0,5,3,5,0,90]]}`},
	{
		Is:      "differs",
		From:    Service,
		Type:    wire.Differs{},
		Purpose: "Lists which fields of which sheets differ.",
		When:    "After shown. The service logs the same.",
		Follows: "A `snapshot`.",
		Example: `{"is":"differs","tick":500,"fields":[{"sheet":5,"kind":"player","field":"hull","want":"75","found":"90"}]}`,
	},
	{Is: "decision", From: Service, Type: wire.Decision{},
		Purpose: "Asks a referee to decide on an action.",
		When:    "When a player uses such an action, and again to a referee who signs in while it is pending.",
		Follows: "`decide`. Without one in time, the rulebook's default applies.",
		Example: `{"is":"decision","no":3,"action":"answer","seat":5,"tell":{"choice":2},"left":2000}`},
	{Is: "decide", From: Client, Type: wire.Decide{},
		Purpose: "A referee's answer to a decision. With several referees, the first answer counts.",
		When:    "After decision.",
		Follows: "`decided`. If the answer counted, the player gets the notice `decided`.",
		Errors:  "`forbidden` ends the connection of a client that is not a referee.",
		Example: `{"is":"decide","no":3,"yes":true}`},
	{
		Is:      "decided",
		From:    Service,
		Type:    wire.Decided{},
		Purpose: "Tells whether a referee's answer counted.",
		When:    "In answer to decide.",
		Example: `{"is":"decided","no":3,"ok":false,"code":"no-such-decision","reason":"no decision with this number is waiting; it may have run out"}`,
	},
	{Is: "rule", From: Client, Type: wire.Rule{},
		Purpose: "Something that a referee does on its own initiative: an act, or a field that it sets, as the " +
			"rulebook's `referee` allows.",
		When:    "Any time.",
		Follows: "`ruled`.",
		Errors:  "`forbidden` ends the connection of a client that is not a referee.",
		Example: `{"is":"rule","n":1,"act":"put","args":{"question":"How many oars?","right":2}}`},
	{Is: "ruled", From: Service, Type: wire.Ruled{},
		Purpose: "Tells whether it was done.",
		When:    "In answer to rule.",
		Example: `{"is":"ruled","n":1,"ok":false,"code":"condition","reason":"The last question is still open"}`},
	{Is: "judging", From: Service, Type: wire.Judging{},
		Purpose: "Confirms that you referee every lobby of a rulebook: decisions and notices for referees come " +
			"from all of them, each with the lobby's code, without a copy.",
		When:    "In answer to a hello with `referee` and `rulebook`.",
		Follows: "`decision`, `notice`, `ping`; the referee sends `decide`, `rule` and `pong`.",
		Example: `{"is":"judging","rulebook":"quiz","lobbies":["K7WPQ4"]}`},
	{Is: "local", From: Client, Type: wire.Local{},
		Purpose: "Adds another player to the connection, for players who share a screen: a guest, or who " +
			"signs in.",
		When:    "Any time, if you have a seat.",
		Follows: "`seated`; if the player got a seat, a `welcome` with all seats, and a `snapshot`.",
		Errors: "As for players with their own connection: `too-many-locals`, `lobby-full` and so on; with a " +
			"token that is not good, `bad-token`.",
		Example: `{"is":"local","n":1,"name":"Little Mara"}`},
	{Is: "seated", From: Service, Type: wire.Seated{},
		Purpose: "Tells whether another local player has a seat.",
		When:    "In answer to local, and to a leave that names a seat that cannot leave on its own.",
		Example: `{"is":"seated","n":1,"ok":true,"seat":7}`},
	{Is: "series", From: Service, Type: wire.SeriesDue{},
		Purpose: "Tells a player about a meeting of a series: whom they play, in which lobby a seat is held, and " +
			"the score. `GET /v1/me/series` returns the same.",
		When:    "When that changes, on every connection of the player.",
		Example: `{"is":"series","id":"0198c2f0-0000-7000-8000-000000000001","name":"harbour_cup","title":"The Harbour Cup","meeting":5,"round":2,"stage":"comes","lobby":"K7WPQ4","against":"Teal crew","until":1790000000000,"wins":0,"lost":0}`},
	{Is: "leave", From: Client, Type: wire.Leave{},
		Purpose: "Gives up the connection's seats, or the seat of one local player. Without it, the seats of a " +
			"lost connection are held for a while.",
		When:    "Any time.",
		Follows: "`bye` with the code `left`; with `seat`, a `welcome` with the remaining seats, and a `snapshot`.",
		Example: `{"is":"leave"}`},
	{Is: "listing", From: Service, Type: wire.Listing{},
		Purpose: "The lobbies that match the filter of a hello with `list`.",
		When: "In answer to such a hello; again in place of everything that was listed, if the node no longer " +
			"knows what has changed.",
		Follows: "`listed` for each change. The client sends nothing but pongs.",
		Example: `{"is":"listing","lobbies":[]}`},
	{Is: "listed", From: Service, Type: wire.Listed{},
		Purpose: "A lobby of the listing that has appeared, changed or gone.",
		When:    "As it happens; several changes of one lobby may be combined.",
		Example: `{"is":"listed","code":"K7WPQ4","gone":true}`},
	{Is: "topic", From: Service, Type: wire.Topic{},
		Purpose: "The rows of the topic of a hello with `topic`.",
		When:    "In answer to such a hello.",
		Follows: "`news` for each change, at most once a second. The client sends nothing but pongs.",
		Errors:  "`forbidden`, `out-of-range`.",
		Example: `{"is":"topic","name":"nodes","rows":[{"key":"node1","row":{"name":"node1","region":"harbour","state":"alive"}}]}`},
	{Is: "news", From: Service, Type: wire.News{},
		Purpose: "The changes in a topic.",
		When:    "As it happens.",
		Example: `{"is":"news","order":["node1"]}`},
	{
		Is:      "board",
		From:    Service,
		Type:    wire.Board{},
		Purpose: "The part of a leaderboard requested by a hello with `board`.",
		When:    "In answer to such a hello, and again when its season ends or another begins.",
		Follows: "`ranked` for what changes in it. The client sends nothing but pongs.",
		Errors:  "`no-such-rulebook`, `no-such-board`, `no-such-season`, `not-on-board`, `out-of-range`.",
		Example: `{"is":"board","page":{"rulebook":"bell","board":"points","title":"Most points","show":"integer","order":"most","season":{"name":"all","begins":"1970-01-01T00:00:00Z","state":"open"},"count":1,"first":1,"rows":[{"place":1,"player":"0190…","name":"Mara Quill","value":41,"posted":"2026-11-26T08:00:00Z"}]}}`,
	},
	{
		Is:      "ranked",
		From:    Service,
		Type:    wire.Ranked{},
		Purpose: "The changes in the watched part of a leaderboard: only rows that differ.",
		When:    "As it happens, at most four times a second.",
		Example: `{"is":"ranked","count":2,"first":1,"rows":2,"set":[{"n":1,"row":{"place":2,"player":"0190…","name":"Joss Fenwick","value":38,"posted":"2026-11-26T08:00:01Z"}}]}`,
	},
	{
		Is:      "bye",
		From:    Service,
		Type:    wire.Bye{},
		Purpose: "Tells why the service ends the connection.",
		When:    "Last. If the connection is too slow to receive it, the next `welcome` with its key has it as `ended`.",
		Errors: "`kicked`, `replaced`, `lobby-gone`, `stopping`, `too-slow`, `too-many-requests`, `too-large`, " +
			"`bad-message`, `left`, and every reason for refusing hello.",
		Example: `{"is":"bye","code":"too-many-requests","reason":"more than 60 intents a second for seat 5","again":false}`,
	},
}
