// Package code holds the stable codes with which Turnvex refuses something, and what each means. The page
// docs/errors.md is written from it.
package code

// Code is a stable word for the reason of a refusal. It never changes its meaning; the text beside it may.
type Code string

// Entry explains one code.
type Entry struct {
	Code    Code
	Status  int    // the HTTP status it goes with
	Meaning string // what was wrong and what to do
}

// What a match or a lobby refuses.
const (
	OK            Code = ""
	NotNow        Code = "not-now"
	Frozen        Code = "inputs-frozen"
	Paused        Code = "paused"
	NoSeat        Code = "no-such-seat"
	NotYours      Code = "not-your-seat"
	NotHost       Code = "not-the-host"
	NoPower       Code = "not-a-power"
	NoAction      Code = "no-such-action"
	NoVerb        Code = "no-such-intent"
	NotYourTurn   Code = "not-your-turn"
	NoKit         Code = "no-kit"
	Out           Code = "you-are-out"
	TargetOut     Code = "target-is-out"
	Condition     Code = "condition"
	TooLittle     Code = "too-little"
	Cooldown      Code = "cooldown"
	Active        Code = "still-active"
	NoTarget      Code = "no-target"
	WrongTarget   Code = "wrong-target"
	OutOfReach    Code = "out-of-reach"
	Blocked       Code = "blocked"
	BadArgument   Code = "bad-argument"
	NotPlaying    Code = "not-playing"
	Benched       Code = "on-the-bench"
	Stunned       Code = "held-back"
	Loading       Code = "still-loading"
	NoMovement    Code = "no-movement"
	PauseNobody   Code = "pause-not-allowed"
	PauseSpent    Code = "pause-spent"
	PauseAlready  Code = "already-paused"
	NotPaused     Code = "not-paused"
	TooFew        Code = "too-few-players"
	TeamFull      Code = "team-full"
	TeamChoice    Code = "team-not-your-choice"
	NoTeam        Code = "no-such-team"
	NoVote        Code = "no-such-vote"
	VoteOpen      Code = "vote-under-way"
	NotVoter      Code = "not-a-voter"
	LobbyFull     Code = "lobby-full"
	LobbyClosed   Code = "lobby-closed"
	LobbyGone     Code = "lobby-gone"
	Late          Code = "match-running"
	AlreadyIn     Code = "already-in"
	Banned        Code = "banned"
	WrongPassword Code = "wrong-password"
	WrongVersion  Code = "wrong-version"
	NameTaken     Code = "name-taken"
	IDUsed        Code = "id-used"
	ChangedSince  Code = "changed-since"
	ChangesKept   Code = "changes-kept"
	WrongLogin    Code = "wrong-login"
	WeakPassword  Code = "weak-password"
	NoKeyNamed    Code = "no-such-key"
	BadName       Code = "bad-name"
	NotPractice   Code = "not-practice"
	NoField       Code = "no-such-field"
	OutOfRange    Code = "out-of-range"
	NoReferee     Code = "no-referee"
	RefusedByRef  Code = "refused-by-referee"
	NoDecision    Code = "no-such-decision"
	OldIntent     Code = "old-intent"
	Merged        Code = "merged"
	TooManyLocals Code = "too-many-locals"
	NoWatching    Code = "spectators-full"
	NotKept       Code = "not-kept"
	Charging      Code = "charging"
)

// What the doors of the service refuse.
const (
	BadRequest     Code = "bad-request"
	TooLarge       Code = "too-large"
	UnknownField   Code = "unknown-field"
	NotFound       Code = "not-found"
	NoToken        Code = "no-token"
	BadToken       Code = "bad-token"
	BadPass        Code = "bad-pass"
	SlowBody       Code = "slow-request"
	Forbidden      Code = "forbidden"
	BadRulebook    Code = "bad-rulebook"
	NoRulebook     Code = "no-such-rulebook"
	NoSeries       Code = "no-such-series"
	BadSeries      Code = "bad-series"
	NoLobby        Code = "no-such-lobby"
	NoBoard        Code = "no-such-board"
	NoPlayer       Code = "no-such-player"
	NoMatch        Code = "no-such-match"
	BoardClosed    Code = "board-closed"
	NoSeason       Code = "no-such-season"
	SeasonClosed   Code = "season-closed"
	Barred         Code = "barred"
	NotOnBoard     Code = "not-on-board"
	TooSoon        Code = "too-soon"
	TooMany        Code = "too-many-requests"
	WrongRegion    Code = "wrong-region"
	BadOption      Code = "bad-option"
	BadMessage     Code = "bad-message"
	HelloFirst     Code = "hello-first"
	Slow           Code = "too-slow"
	Replaced       Code = "replaced"
	Kicked         Code = "kicked"
	Stopping       Code = "stopping"
	Overloaded     Code = "overloaded"
	Moved          Code = "moved"
	NoNode         Code = "no-such-node"
	Method         Code = "method-not-allowed"
	Internal       Code = "internal"
	NoSuchHost     Code = "wrong-host"
	MediaType      Code = "media-type"
	ShutOut        Code = "shut-out"
	Muted          Code = "muted"
	NoDevice       Code = "no-such-device"
	TooManyDevices Code = "too-many-devices"
	LastWay        Code = "last-way-in"
	BadDevice      Code = "bad-device-key"
	BadCursor      Code = "bad-cursor"
	NotUpgradeable Code = "websocket-needed"
)

// All explains every code.
var All = []Entry{
	{NotNow, 409, "This cannot be done in the current state of the lobby or match. The text says when it can."},
	{Frozen, 409, "The current phase accepts no actions and no steering."},
	{Paused, 409, "Play is paused."},
	{NoSeat, 404, "There is no such seat in this lobby."},
	{NotYours, 403, "The seat belongs to another connection."},
	{NotHost, 403, "Only the host of the lobby may do this."},
	{NoPower, 403, "The rulebook does not give the host this power in this lobby now. The text says where it does."},
	{NoAction, 404, "The rulebook declares no such action."},
	{NoVerb, 400, "There is no such intent. The protocol page lists them."},
	{NotYourTurn, 409, "The action may be used only in the player's own turn, and it is somebody else's."},
	{NoKit, 403, "The player has no kit with this action."},
	{Out, 409, "The player is out and cannot use this action."},
	{TargetOut, 409, "The target is out, and this action does not reach players who are out."},
	{Condition, 409, "The action's own condition does not hold."},
	{TooLittle, 409, "The player has less of a field than the action needs or costs."},
	{Cooldown, 409, "The action may not be used again yet. The text says how long is left."},
	{Active, 409, "The action is still in progress."},
	{NoTarget, 400, "The action needs a target, a point or a direction, and none was given or it does not exist."},
	{WrongTarget, 409, "The action does not work on this target (a friend, a rival or the player)."},
	{OutOfReach, 409, "The target is beyond the action's reach."},
	{Blocked, 409, "A wall is in the way."},
	{BadArgument, 400, "An argument of the action is missing, has the wrong type or is out of bounds."},
	{NotPlaying, 409, "The seat takes no part in the current match."},
	{Benched, 409, "The player is on the bench until the rules bring them back."},
	{Stunned, 409, "A rule blocks this player's inputs for a while; the field frozen shows the time left."},
	{Loading, 409, "The player's record is still being loaded; it takes a moment."},
	{NoMovement, 409, "The rulebook declares no movement, or does not accept positions from clients."},
	{PauseNobody, 403, "The rulebook does not let this player pause, or not in this phase."},
	{PauseSpent, 409, "The pauses that the rulebook grants are used up."},
	{PauseAlready, 409, "Play is already paused."},
	{NotPaused, 409, "Play is not paused."},
	{TooFew, 409, "There are fewer players, or fewer on a team, than the match needs."},
	{TeamFull, 409, "The team has no room left."},
	{TeamChoice, 403, "The rulebook or the current state does not let this player choose a team."},
	{NoTeam, 404, "There is no such team."},
	{NoVote, 404, "The rulebook declares no such vote."},
	{VoteOpen, 409, "Another vote is open; there is only one at a time."},
	{NotVoter, 403, "This player may not vote in the open vote."},
	{LobbyFull, 409, "The lobby has no seat left."},
	{LobbyClosed, 409, "The lobby is closed to newcomers."},
	{LobbyGone, 410, "The lobby has closed."},
	{Late, 409, "A match is running, and the rulebook lets nobody in during it."},
	{AlreadyIn, 409, "The player already has a seat in this lobby."},
	{Banned, 403, "The player is banned from this lobby."},
	{WrongPassword, 403, "The lobby has a password, and the one given is wrong."},
	{WrongVersion, 409, "The lobby runs a different version of the rulebook."},
	{NameTaken, 409, "The login name is taken, or the account already has one."},
	{ChangedSince, 409, "What you want to change has changed since you read it: read it again, and decide anew."},
	{ChangesKept, 409, "With this version of a rulebook, what is kept of players, or stands on leaderboards, would " +
		"read otherwise; findings lists how. Nothing was published: send accept=yes if that is what you want."},
	{IDUsed, 409, "This id was used before, with other contents; the reason says for what."},
	{WrongLogin, 401, "There is no account with this login name and password."},
	{WeakPassword, 400, "A password has 10 to 200 characters and must not be a common one."},
	{NoKeyNamed, 404, "There is no service key with this name."},
	{BadName, 400, "The name is empty, too long or contains characters that are not allowed."},
	{NotPractice, 403, "Fields can be set by hand only in practice lobbies."},
	{NoField, 404, "The sheet has no such field, or the field cannot be set by hand."},
	{OutOfRange, 400, "The value is out of range. The text gives the range."},
	{NoReferee, 409, "No referee is signed in to decide this."},
	{RefusedByRef, 409, "The referee said no, or gave no answer in time."},
	{NoDecision, 404, "No decision with this number is pending."},
	{OldIntent, 409, "The intent's number is older than those the service remembers; it was answered before."},
	{Merged, 429, "Too many moves came at once: a later one of the same player took this one's place."},
	{TooManyLocals, 409, "The rulebook does not let this many players share one connection."},
	{NoWatching, 409, "No place for spectators is left, or the rulebook has none."},
	{NotKept, 503, "The database does not answer: the cost of the action could not be taken from the record, or, on " +
		"a node that shows only what is kept, play stands still. Nothing was taken. Try again in a moment, or when " +
		"play goes on."},
	{Charging, 409, "The cost of the action is being taken from the record. Clients never see this code: the " +
		"verdict follows."},
	{MediaType, 415, "The media type of the request body is not supported by the route."},
	{ShutOut, 403, "The player is banned from the service. The text says until when, and why."},
	{Muted, 403, "The player is muted: what they write is not delivered. The text says until when, and why."},
	{NoDevice, 404, "The player has no such device."},
	{TooManyDevices, 409, "The player has the most devices allowed: remove one first."},
	{LastWay, 409, "This is the only way to sign in as the player: make an account, or sign in with another " +
		"device, first."},
	{BadRequest, 400, "The request cannot be read. The text says what is wrong with it."},
	{TooLarge, 413, "The request, the message or a value in it is too large."},
	{UnknownField, 400, "The request has an unknown field. The text names the nearest known one."},
	{NotFound, 404, "There is nothing at this address."},
	{NoToken, 401, "The request needs a token: sign in first."},
	{SlowBody, 408, "The request came too slowly to be waited for."},
	{BadPass, 400, "A pass of a party is not valid or has expired. The player who comes along makes another."},
	{BadToken, 401, "The token is not valid or has expired: sign in again."},
	{Forbidden, 403, "The token does not allow this."},
	{BadRulebook, 400, "The rulebook has errors. Each is given with its line and column."},
	{NoRulebook, 404, "No rulebook of this name is loaded."},
	{NoSeries, 404, "There is no series with this ID."},
	{BadSeries, 409, "The series or its entrants do not allow this; the text says why."},
	{NoLobby, 404, "There is no lobby with this code."},
	{NoBoard, 404, "The rulebook declares no such board."},
	{NoPlayer, 404, "There is no such player."},
	{NoMatch, 404, "There is no result with this ID."},
	{
		BoardClosed,
		403,
		"Only the service posts to this board. To open it to clients, give it the key clients with bounds in the " +
			"rulebook.",
	},
	{NoSeason, 404, "The board has no season of this name, or none yet."},
	{SeasonClosed, 409, "The season is closed and accepts no more posts."},
	{Barred, 403, "An operator has barred the player from this board."},
	{NotOnBoard, 404, "This player or team has no entry on the board in this season."},
	{TooSoon, 429, "The board limits how often a player may post. Retry-After says when to try again."},
	{TooMany, 429, "Too many requests. Retry-After says when to try again."},
	{WrongRegion, 409, "The rulebook may not be played in this node's region."},
	{BadOption, 400, "The rulebook has no such option, or the value is not allowed."},
	{BadMessage, 400, "The message is unknown or malformed."},
	{HelloFirst, 400, "The first message on a connection must be hello."},
	{Slow, 429, "The connection read messages too slowly for too long."},
	{Replaced, 409, "Another connection has taken over the seat."},
	{Kicked, 403, "The host, a rule or a vote has removed the player from the lobby."},
	{Stopping, 503, "The service is stopping or temporarily unavailable; try again in a moment."},
	{Overloaded, 503, "The nodes that may open the lobby have more to do than they can do in time. Running matches " +
		"go on. Retry-After says when to try again."},
	{Moved, 421, "The lobby is on another node: connect to the address given with this error."},
	{NoNode, 404, "No node with this name is alive."},
	{Method, 405, "The address is right, but not with this method."},
	{Internal, 500, "Something went wrong inside the service. It was logged with the request's number."},
	{NoSuchHost, 403, "The page that opened the connection has an origin that is not allowed."},
	{BadDevice, 400, "The device key is not 24 to 128 printable characters."},
	{BadCursor, 400, "The cursor does not come from this list."},
	{NotUpgradeable, 426, "This address speaks WebSocket only."},
}

var status = func() map[Code]int {
	m := make(map[Code]int, len(All))
	for _, e := range All {
		m[e.Code] = e.Status
	}
	return m
}()

// Status returns the HTTP status that goes with a code.
func Status(c Code) int {
	if s := status[c]; s != 0 {
		return s
	}
	return 500
}
