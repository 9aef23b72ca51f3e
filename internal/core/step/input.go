package step

import "turnvex.example/turnvex/internal/core/sheet"

// Kind says what an input is.
type Kind uint8

// The kinds of input. All but Intent come from the driver, which has checked that whoever asks for them may. Journals
// hold their numbers: a new one is the last.
const (
	Tick       Kind = iota // time has come to At; nothing else
	Enter                  // Acct, Name and the wish Team want a seat
	Intent                 // a seat asks for something: Verb and what it needs
	Lost                   // the seat's connection is gone; N: hold it for so many ticks at least
	Back                   // the seat's connection is there again
	Leave                  // the seat is given up
	Loaded                 // the record of the seat is here: Record; Yes says that it is a first visit
	Saved                  // match number N is saved
	Ping                   // the seat's round-trip time is N milliseconds
	Spectators             // N people watch
	RefereeOn              // whether a referee is signed in: N is 1 or 0
	Answer                 // a referee decides: N is the decision's number, Yes its answer
	Finish                 // an operator ends the match: Text is the reason
	Close                  // an operator closes the lobby: Text is the reason
	Field                  // an operator does Set or, with that Verb, Advance (practice only)
	Reserve                // places are held for the accounts Names, of the party Text, for N ticks; see X
	Wait                   // Acct and Name stand in line for a seat, on the connection Conn
	Unwait                 // whoever stands in line on the connection Conn does so no longer
	Called                 // the seat's player is called Text now, as was decided elsewhere
	Kept                   // the record of the seat stands so now where it is kept: Record
	RefereeAct             // a referee does what the rulebook calls Name, with Args
	RefereeSet             // a referee sets the field Name of the sheet Target to Value
	Unkept                 // with Yes, nothing of what happens has been kept for N ms; without, all of it is
	Full                   // with Yes, no more of what is to be kept can wait to be; without, it can again
	Calendar               // it is day N, X ms after its midnight; see rulebook.Calendar

	Kinds int = iota
)

var kindNames = [...]string{"tick", "enter", "intent", "lost", "back", "leave", "loaded", "saved", "ping", "spectators",
	"referee", "answer", "finish", "close", "field", "reserve", "wait", "unwait", "called", "kept", "referee-act",
	"referee-set", "unkept", "full", "calendar"}

func (k Kind) String() string { return kindNames[k] }

// Answered tells whether an input of the kind is answered with a verdict: exactly one then, and none otherwise.
func (k Kind) Answered() bool {
	switch k {
	case Enter, Intent, Answer, Field, Reserve, Wait, RefereeAct, RefereeSet:
		return true
	}
	return false
}

// Verb is what an intent asks for.
type Verb string

// The intents that every rulebook understands.
const (
	Act      Verb = "act"       // use the action Name on Target, or on the point or direction X, Y
	Stop     Verb = "stop"      // end the held action Name
	Steer    Verb = "steer"     // move towards X, Y: each in thousandths of the top speed
	Claim    Verb = "claim"     // "I am at X, Y", where the rulebook checks claims
	Face     Verb = "face"      // look towards Yaw; Steer, Claim and Act may say it too
	Ready    Verb = "ready"     // ready to play
	Unready  Verb = "unready"   // not ready after all
	Rename   Verb = "rename"    // be called Text
	Team     Verb = "team"      // join the team Name; the host may do it for Target
	Start    Verb = "start"     // the host starts the match
	Pause    Verb = "pause"     // stop play time, because of Text if that is given
	Resume   Verb = "resume"    // let it go on
	Kick     Verb = "kick"      // the host removes Target
	HandOver Verb = "hand-over" // the host makes Target the host
	Settings Verb = "settings"  // the host changes Args: title, capacity, open, listed, watch_most, password, options
	Ban      Verb = "ban"       // the host removes Target for good
	Unban    Verb = "unban"     // the host lets the account Text in again
	Swap     Verb = "swap"      // exchange sides with Target, once both have asked for it
	Shuffle  Verb = "shuffle"   // the host deals the players out to the teams anew
	Mute     Verb = "mute"      // be told no more of what Target writes
	Unmute   Verb = "unmute"    // be told of it again
	Vote     Verb = "vote"      // open the vote Name (on Target), or vote Text in it: yes, no or a word
	Set      Verb = "set"       // practice: the host sets field Name of sheet Target
	Advance  Verb = "advance"   // practice: the host lets X ticks of play pass, and play stand still then
)

// Verbs lists every verb.
var Verbs = []Verb{Act, Stop, Steer, Claim, Face, Ready, Unready, Rename, Team, Start,
	Pause, Resume, Kick, HandOver, Settings, Ban, Unban, Swap, Shuffle, Mute, Unmute, Vote, Set, Advance}

// Named is a value with a name: an argument of an action, a field of a record.
type Named struct {
	Name  string
	Value sheet.Value
}

// Input is one thing that happens to a lobby. Which parts are used follows from Kind and Verb; the others are ignored.
type Input struct {
	At     sheet.Tick  // the wall tick at which it happens; never less than the last
	Kind   Kind        // what happens
	Seat   sheet.ID    // whom it concerns
	Seq    uint64      // of an intent: the client's number for it, from 1; 0 is not remembered
	Verb   Verb        // of an intent: what is asked for
	Name   string      // of an action, a team, a field or a person
	Target sheet.ID    // a seat or another sheet
	X, Y   int64       // a point in millimetres, or a direction in thousandths; of Enter X is a number for an address
	Z      int64       // of a point on tall ground, or a direction there: up
	Point  bool        // X and Y are given
	Yaw    int64       // of an intent: where to look, in 1/65,536 of a turn; see package ground
	Pitch  int64       // likewise, how far up; on tall ground
	Faces  bool        // Yaw is given
	Args   []Named     // of an action, of a referee's word or act, or the settings to change
	N      int64       // a number, by Kind; of an Intent 0, or the save that took what it costs, negative if it did not
	Yes    bool        // of Answer, Loaded; of Reserve, in opening; of an Intent with N < 0: too little was there
	Text   string      // by Kind and Verb
	Team   string      // of Enter and Wait: the team wished for
	Acct   string      // of Enter and Wait: whose seat; "" for a further player on a connection
	Pass   string      // of Enter and Wait: the digest of a password
	Names  []string    // of Reserve: accounts; with X, the first must come within X ticks, or none is waited for
	Conn   string      // of Enter and Back: players with the same one share a connection
	Record []Named     // of Loaded, Kept, and an Intent with an N
	Value  sheet.Value // of Field, Set and RefereeSet
}
