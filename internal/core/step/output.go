package step

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Output is what one input led to. It is valid until the next step.
type Output struct {
	Seat    sheet.ID // of an accepted Enter: the new seat
	Verdict Verdict  // where the input's kind is answered: exactly one
	Notices []Notice // in the order in which they happened
	Effects []Effect // in the order in which they are to be carried out
}

// Reset makes an output ready for the next step.
func (o *Output) Reset() {
	*o = Output{Notices: o.Notices[:0], Effects: o.Effects[:0]}
}

// Tell adds a notice.
func (o *Output) Tell(n Notice) { o.Notices = append(o.Notices, n) }

// Do adds an effect.
func (o *Output) Do(e Effect) { o.Effects = append(o.Effects, e) }

// Verdict answers an input: accepted when Code is empty, otherwise refused.
type Verdict struct {
	Seat   sheet.ID   // as in the intent; of an accepted Enter the new seat
	Seq    uint64     // as in the intent
	Code   code.Code  // why it was refused
	Reason string     // for a person; may name amounts and times
	At     sheet.Tick // the wall tick at which it took effect
	Left   int64      // milliseconds to wait, where waiting helps
	Waits  bool       // accepted, but a referee decides on it
}

// OK tells whether the input was accepted.
func (v Verdict) OK() bool { return v.Code == code.OK }

// Notice is something told once to an audience.
type Notice struct {
	Notice *rulebook.Notice // which, and its fields
	To     sheet.Audience   // who is told
	Of     sheet.ID         // the player (owner) or the team that is told, where To asks for one
	Values []sheet.Value    // in the order of the notice's fields
	By     sheet.ID         // the player who has written something that it says; 0 for nobody
}

// EffectKind says what the driver must do.
type EffectKind uint8

// The effects.
const (
	LoadRecord    EffectKind = iota // of Account, for Seat; answer with Loaded
	SaveRecord                      // Changes to the record of Account, the N-th save of this lobby
	SaveResult                      // Result, of a match that ended at tick N; answer with Saved when it is committed
	Drop                            // end Seat's connection, for Reason
	CloseLobby                      // nothing more will happen here
	AskReferee                      // Decision wants an answer
	Seated                          // Account, who stood in line on the connection Text, has the seat Seat
	KeepName                        // Account is called Text now: keep it, and make it known elsewhere
	Unmanned                        // an action asks a referee, and none is signed in: Text; for the operator
	Fault                           // the rulebook did something it may not: Text; for the operator
	SavePost                        // Post, the N-th save of this lobby
	Charge                          // Changes of the record of Account, if it has enough; then the intent once more
	Refused                         // a post to the board Text: no more can wait to be kept; for the operator
	PromiseBroken                   // promise N does not hold, for the sheet Seat if it is not 0: Text; for the author
)

// Effect is something for the driver to carry out. Which parts are set follows from Kind.
type Effect struct {
	Kind     EffectKind
	Seat     sheet.ID
	Account  string
	Changes  []Change
	N        int64
	Match    int64 // the number of the match under way; 0 between matches
	Result   *Result
	Post     *Post
	Reason   code.Code
	Text     string
	Decision *Decision
}

// Decision is an action whose outcome a referee decides.
type Decision struct {
	No     int64      // its number within the match
	Seat   sheet.ID   // who asked for the action
	Target sheet.ID   // the first one hit, or who was named
	Action string     // its name
	Tell   []Named    // what the rulebook tells the referee
	Until  sheet.Tick // play tick at which it is decided without an answer
}
