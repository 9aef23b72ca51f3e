package match

import "turnvex.example/turnvex/internal/core/sheet"

// Kind says what an input is.
type Kind uint8

// The kinds of input. All but Intent come from the driver, which has checked
// that whoever asks for them may.
const (
	Tick       Kind = iota // time has come to At; nothing else
	Enter                  // Account, Name and the wish Team want a seat
	Intent                 // a seat asks for something: Verb and what it needs
	Lost                   // the seat's connection is gone
	Back                   // the seat's connection is there again
	Leave                  // the seat is given up
	Loaded                 // the record of the seat is here: Record
	Saved                  // match number N is saved
	Ping                   // the seat's round-trip time is N milliseconds
	Spectators             // N people watch
	RefereeOn              // whether a referee is signed in: N is 1 or 0
	Answer                 // a referee decides: N is the decision's number, Yes its answer
	Finish                 // an operator ends the match: Text is the reason
	Close                  // an operator closes the lobby: Text is the reason
	Field                  // an operator sets a field by hand (practice only)
	Reserve                // places are held for the accounts Names, of the party Text, for N ticks
	Wait                   // Acct and Name stand in line for a seat, on the connection Conn
	Unwait                 // whoever stands in line on the connection Conn does so no longer

	Kinds int = iota
)

var kindNames = [...]string{"tick", "enter", "intent", "lost", "back", "leave", "loaded", "saved", "ping", "spectators",
	"referee", "answer", "finish", "close", "field", "reserve", "wait", "unwait"}

func (k Kind) String() string { return kindNames[k] }

// Verb is what an intent asks for.
type Verb string

// The intents that every rulebook understands.
const (
	VerbAct      Verb = "act"       // use the action Name on Target, or on the point or direction X, Y
	VerbStop     Verb = "stop"      // end the held action Name
	VerbSteer    Verb = "steer"     // move towards X, Y: each in thousandths of the top speed
	VerbClaim    Verb = "claim"     // "I am at X, Y", where the rulebook checks claims
	VerbReady    Verb = "ready"     // ready to play
	VerbUnready  Verb = "unready"   // not ready after all
	VerbRename   Verb = "rename"    // be called Text
	VerbTeam     Verb = "team"      // join the team Name; the host may do it for Target
	VerbStart    Verb = "start"     // the host starts the match
	VerbPause    Verb = "pause"     // stop play time
	VerbResume   Verb = "resume"    // let it go on
	VerbKick     Verb = "kick"      // the host removes Target
	VerbHandOver Verb = "hand-over" // the host makes Target the host
	VerbSettings Verb = "settings"  // the host changes Args: title, capacity, open, listed, watch_most, password, options
	VerbBan      Verb = "ban"       // the host removes Target for good
	VerbUnban    Verb = "unban"     // the host lets the account Text in again
	VerbSwap     Verb = "swap"      // exchange sides with Target, once both have asked for it
	VerbShuffle  Verb = "shuffle"   // the host deals the players out to the teams anew
	VerbSet      Verb = "set"       // practice: the host sets field Name of sheet Target
)

// Verbs lists every verb.
var Verbs = []Verb{VerbAct, VerbStop, VerbSteer, VerbClaim, VerbReady, VerbUnready, VerbRename, VerbTeam, VerbStart,
	VerbPause, VerbResume, VerbKick, VerbHandOver, VerbSettings, VerbBan, VerbUnban, VerbSwap, VerbShuffle, VerbSet}

// Named is a value with a name: an argument of an action, a field of a record.
type Named struct {
	Name  string
	Value sheet.Value
}

// Input is one thing that happens to a lobby. Which parts are used follows from
// Kind and Verb; the others are ignored.
type Input struct {
	At     sheet.Tick // the wall tick at which it happens; never less than the last
	Kind   Kind
	Seat   sheet.ID
	Seq    uint64 // of an intent: the client's number for it, from 1; 0 is not remembered
	Verb   Verb
	Name   string
	Target sheet.ID
	X, Y   int64
	Point  bool // X and Y are given
	Args   []Named
	N      int64
	Yes    bool
	Text   string
	Team   string
	Acct   string
	Pass   string   // of Enter and of settings: the digest of a password
	Names  []string // of Reserve: accounts
	Conn   string   // of Enter: players with the same one share a connection
	Record []Named
	Value  sheet.Value
}
