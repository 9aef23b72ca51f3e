package rulebook

import "slices"

// words are the words of a policy, in the order of its constants. Grammar, schema, reference, binder and whatever shows
// a policy read them from here alone.
type words[T ~uint8] []string

// of returns the word of a value.
func (w words[T]) of(v T) string { return w[v] }

// named returns the value of a word that the grammar has let through.
func (w words[T]) named(word string) T { return T(max(slices.Index(w, word), 0)) }

// spec is the form of a key that takes the words, or some of them.
func (w words[T]) spec(some ...T) spec {
	if len(some) == 0 {
		return word(w...)
	}
	var list []string
	for _, v := range some {
		list = append(list, w.of(v))
	}
	return word(list...)
}

// either is a choice between two words, of which the second is the one to ask for.
type either struct{ not, word string }

func (e either) spec() spec { return word(e.not, e.word) }

// is tells whether the second word stands under a key.
func (e either) is(n *node, key string) bool { return n.is(key, e.word) }

// The choices between two words.
var (
	inputsFrozen    = either{"open", "frozen"}
	countsDown      = either{"up", "down"}
	runsOnWall      = either{"play", "wall"}
	wallsBlock      = either{"ignore", "stop"}
	alsoWords       = []string{"pause", "frozen", "lobby", "result"} // in the order of Also's bits
	saysAccept      = either{"refuse", "accept"}
	claimsCheck     = either{"refuse", "check"}
	leastFirst      = either{"most", "least"}
	followsSteering = either{"intents", "steering"}
	towardsFacing   = either{"point", "facing"}
	byTeams         = either{"players", "teams"}
	wallsRound      = either{"stop", "round"}
	eachRound       = either{"match", "round"}
)

// Late says what happens to who comes during a match.
type Late uint8

// The policies for latecomers.
const (
	LateSeat Late = iota
	LateWait
	LateRefuse
)

var lateWords = words[Late]{"seat", "wait", "refuse"}

func (p Late) String() string { return lateWords.of(p) }

// Gone says what happens when the hold of a lost player has run out in a match.
type Gone uint8

// The policies for players who are gone.
const (
	GoneRemove Gone = iota
	GoneForfeit
	GoneKeep
	GoneStandIn
)

var goneWords = words[Gone]{"remove", "forfeit", "keep", "stand-in"}

func (p Gone) String() string { return goneWords.of(p) }

// Returning says what somebody finds who has left a match and comes back to it.
type Returning uint8

// The policies for those who come back.
const (
	ReturningSame Returning = iota
	ReturningAnew
	ReturningRefused
)

var returningWords = words[Returning]{"same", "anew", "refuse"}

func (p Returning) String() string { return returningWords.of(p) }

// Leavers says how those count who leave a match before its end.
type Leavers uint8

// The policies for leavers.
const (
	LeaversLeft Leavers = iota
	LeaversLose
	LeaversTeam
)

var leaversWords = words[Leavers]{"left", "lose", "team"}

func (p Leavers) String() string { return leaversWords.of(p) }

// Words are the words of the times in a set.
func (a Also) Words() (list []string) {
	for i, w := range alsoWords {
		if a&(1<<i) != 0 {
			list = append(list, w)
		}
	}
	return list
}

// HostGone says what happens when the host's seat is given up.
type HostGone uint8

// The policies for a host who is gone.
const (
	HostPasses HostGone = iota
	HostCloses
)

var hostGoneWords = words[HostGone]{"pass", "close"}

func (h HostGone) String() string { return hostGoneWords.of(h) }

// Below says what happens when fewer than the least are left in a match.
type Below uint8

// The policies for too few players.
const (
	BelowEnd Below = iota
	BelowWait
	BelowGoOn
)

var belowWords = words[Below]{"end", "wait", "go-on"}

func (p Below) String() string { return belowWords.of(p) }

// Newcomers says which team a newcomer goes to.
type Newcomers uint8

// The policies for newcomers' teams.
const (
	NewcomersFewest Newcomers = iota
	NewcomersChoice
)

var newcomersWords = words[Newcomers]{"fewest", "choice"}

func (p Newcomers) String() string { return newcomersWords.of(p) }

// Tie says which of several teams with equally few players takes a newcomer.
type Tie uint8

// The ways to break such a tie.
const (
	TieFirst Tie = iota
	TieRandom
	TieWeakest
)

var tieWords = words[Tie]{"first", "random", "weakest"}

func (p Tie) String() string { return tieWords.of(p) }

// Locked says when nobody may change sides.
type Locked uint8

// The times at which teams are locked.
const (
	LockedMatch Locked = iota
	LockedStart
	LockedNever
)

var lockedWords = words[Locked]{"match", "start", "never"}

func (p Locked) String() string { return lockedWords.of(p) }

// Pick says which spawn point a player appears at.
type Pick uint8

// The ways to pick a spawn point.
const (
	PickTurn Pick = iota
	PickRandom
	PickFar
)

var pickWords = words[Pick]{"turn", "random", "far"}

func (p Pick) String() string { return pickWords.of(p) }

// Who says whom an aim can hit.
type Who uint8

// Whom an aim can hit.
const (
	WhoRivals Who = iota
	WhoFriends
	WhoOthers
	WhoAnyone
)

var whoWords = words[Who]{"rivals", "friends", "others", "anyone"}

func (p Who) String() string { return whoWords.of(p) }

// Heir says who gets what one player holds.
type Heir uint8

// Who gets a bearer.
const (
	HeirKeep Heir = iota
	HeirRandom
	HeirNone
	HeirDrop
)

var heirWords = words[Heir]{"keep", "random", "none", "drop"}

func (p Heir) String() string { return heirWords.of(p) }

// PauseWho says who may pause beside the host, and whose budget that uses.
type PauseWho uint8

// Who may pause.
const (
	PauseNobody PauseWho = iota
	PauseAnyone
	PauseTeams
)

var pauseWords = words[PauseWho]{"nobody", "anyone", "teams"}

func (p PauseWho) String() string { return pauseWords.of(p) }

// Then says what comes after a match.
type Then uint8

// What comes after a match.
const (
	ThenLobby Then = iota
	ThenAgain
	ThenVote
	ThenClose
)

var thenWords = words[Then]{"lobby", "again", "vote", "close"}

func (p Then) String() string { return thenWords.of(p) }

// HintFor says who gets a hint.
type HintFor uint8

// Who gets a hint.
const (
	HintEveryone HintFor = iota
	HintWon
	HintLost
	HintDrawn
)

var hintWords = words[HintFor]{"everyone", outcomeWords[Won], outcomeWords[Lost], outcomeWords[Drawn]}

func (p HintFor) String() string { return hintWords.of(p) }

// Keep says how a new value goes with the kept one.
type Keep uint8

// The ways to keep.
const (
	KeepLatest Keep = iota
	KeepBest
	KeepLowest
	KeepTotal
	KeepCount
)

var keepWords = words[Keep]{"latest", "best", "lowest", "total", "count"}

func (k Keep) String() string { return keepWords.of(k) }

// Show says how a board's values are written.
type Show uint8

// The ways to write a board's values.
const (
	ShowInteger Show = iota
	ShowNumber
	ShowClock
)

var showWords = words[Show]{"integer", "number", "clock"}

func (s Show) String() string { return showWords.of(s) }

// Renew says when a board begins anew.
type Renew uint8

// The ways to begin a board anew.
const (
	RenewNever Renew = iota
	RenewByHand
	RenewDaily
	RenewWeekly
	RenewMonthly
	RenewOnDates
)

var renewWords = words[Renew]{"never", "hand", "day", "week", "month", "dates"}

func (r Renew) String() string { return renewWords.of(r) }

// The words that say for whom a rule acts; kinds of creature do too.
const (
	forMatch     = "match"
	forTeams     = "teams"
	forPlayers   = "players"
	forCreatures = "creatures"
	forZones     = "zones"
)

var forWords = []string{forMatch, forTeams, forPlayers, forCreatures, forZones}

// Where says which end of a list is meant.
type Where uint8

// The places of a list.
const (
	WhereUsual Where = iota
	WhereFirst
	WhereLast
	WhereRandom
)

var whereWords = words[Where]{"", "first", "last", "random"}

// PathThen says what a creature does after the last point of a path.
type PathThen uint8

// What comes after a path.
const (
	PathAgain PathThen = iota
	PathBack
	PathStay
)

var pathWords = words[PathThen]{"again", "back", "stay"}

func (p PathThen) String() string { return pathWords.of(p) }

// ShotWalls says what walls do to a shot.
type ShotWalls uint8

// What walls do to shots.
const (
	ShotStops ShotWalls = iota
	ShotBounces
	ShotIgnores
)

var shotWallWords = words[ShotWalls]{"stop", "bounce", "ignore"}

func (s ShotWalls) String() string { return shotWallWords.of(s) }
