package client

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
)

// Options say how to connect. Address, Token and Lobby must be given.
type Options struct {
	Address string   // of the service, such as http://127.0.0.1:7420
	Token   string   // of a sign-in, or a service key
	Lobby   string   // join code
	Watch   bool     // as a spectator, without a seat
	All     bool     // service keys: see everything
	As      uint32   // service keys: see exactly what this seat sees
	Team    string   // the team wished for
	Locals  []string // names of further players on this connection

	Password string // of the lobby, if it has one
	Version  string // of the rulebook; refused if the lobby runs another one
	Wait     bool   // stand in line if the lobby is full; see Waiting

	// Referee signs in as a referee, with the token of a service key that has the scope referee; OnDecision is asked
	// for each decision, and Conn.Decide answers. A decision may be offered again after a lost connection.
	Referee    bool
	OnDecision func(Decision) // called for each decision that waits for a referee

	// Tokens gives the token for each new connection instead of Token, which may have run out when a connection that
	// was lost comes back: see KeepFresh.
	Tokens func(context.Context) (string, error)

	// OnChange is called for each change, in order, and OnNotice for each notice; OnMissed when notices were left out
	// because the connection was too slow. They are never called at the same time, and must not hold the connection up.
	// They may call Send and Read, but not Do or Wait.
	OnChange func(Change)
	OnNotice func(Notice)      // called for each notice
	OnMissed func(notices int) // called with how many notices were left out

	// OnSeries is called when a meeting of a series that is the player's changes.
	OnSeries func(DueMeeting)

	// OnTick is called when the copy has come to a later tick, after the changes.
	OnTick func(tick int64)

	// OnDiffers is called when the service has found that the copy differs from what it should hold, which is a fault
	// of this client or of the service. A new snapshot follows.
	OnDiffers func([]Difference)

	// OnUndone is called when the service has come back from a failure, and intents of a seat that it had answered are
	// not part of the match: they came within its last moments, and the database did not have them yet. The copy of the
	// match as it is now follows. See Undone.
	OnUndone func(Undone)

	// OnStill is called when play stands still, and when it goes on. It does where the database does not answer and the
	// service shows only what is kept, or another node may be taking the lobby over.
	OnStill func(Still)

	// Patience is how long to try to come back after a lost connection; for as long as the seat is held, and at least
	// 30 s, if it is 0, and never if it is negative.
	Patience time.Duration

	// JSON speaks turnvex.v1+json, which people can read, instead of turnvex.v1+cbor, which takes a fifth of its bytes
	// in a lively match.
	JSON bool

	// Rough makes the connection bad on purpose.
	Rough Rough

	// Dial opens the connection to the service; an ordinary one if it is nil.
	Dial dialFunc
}

// Notice is something that happened.
type Notice struct {
	Is   string         `json:"is"`             // notice
	Name string         `json:"name"`           // as the rulebook calls it
	Tick int64          `json:"tick"`           // the wall tick at which it happened
	To   string         `json:"to,omitempty"`   // its audience where that is not everyone: team, owner or referees
	Of   uint32         `json:"of,omitempty"`   // the seat or the team's sheet that it is for
	With map[string]any `json:"with,omitempty"` // what it says, by name: string, bool, int64 (of numbers the thousandths) or []int64

	Lobby string `json:"lobby,omitempty"` // to a Judge: in which
}

// Decision is an action that a referee is asked about.
type Decision struct {
	Is     string         `json:"is"`               // decision
	No     int64          `json:"no"`               // to answer it by
	Action string         `json:"action"`           // which
	Seat   uint32         `json:"seat"`             // who asked for it
	Target uint32         `json:"target,omitempty"` // who was named or hit
	Tell   map[string]any `json:"tell,omitempty"`   // what the rulebook tells the referee, as in Notice.With
	Left   int64          `json:"left"`             // milliseconds of play time for the answer
	Lobby  string         `json:"lobby,omitempty"`  // to a Judge: in which
}

// Undone are the intents of a seat that were answered and did not happen after all: those after number Last, up to
// Heard. A game may tell its player, or send them anew; nothing repeats them by itself. See Pending.Number.
type Undone struct {
	Seat  uint32 // whose
	Last  uint64 // the last answered intent that is part of the match
	Heard uint64 // the last that had been answered
}

// Still says that play stands still, or, with Over, that it goes on. Meanwhile no time passes in the match, and intents
// are refused with not-kept.
type Still struct {
	For  time.Duration // for how long nothing could be kept when it began to
	Why  string        // the reason, for the player
	Over bool
}

// Difference is a field in which the copy differed from what it should hold.
type Difference struct {
	Seat  uint32 `json:"seat,omitempty"`  // whose copy
	Sheet uint32 `json:"sheet"`           // its number
	Kind  string `json:"kind"`            // of the sheet
	Field string `json:"field,omitempty"` // empty when the sheet itself should be there, or not
	Want  string `json:"want"`            // what it should hold, as people read it
	Found string `json:"found"`           // what it held
}

func (o *Options) encoding() replica.Encoding {
	if o.JSON {
		return replica.JSON
	}
	return replica.CBOR
}
