package keep

import (
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/store"
)

// Keeper keeps what matches give, in the database. It may be used by several
// goroutines.
type Keeper struct {
	db  *store.DB
	now func() time.Time
}

// New returns the keeper of a database; now is the clock that it notes times by.
func New(db *store.DB, now func() time.Time) *Keeper { return &Keeper{db, now} }

// Job is what one input to a lobby led to that must be kept: all of it or nothing.
type Job struct {
	Lobby   string         // the lobby's ID, not its code
	Book    *rulebook.Book // that the lobby runs
	Records []Record       // in the order in which they are to be saved
	Result  *step.Result   // nil if no match has ended
	Ended   time.Time      // when it did
	Author  string         // of a correction: who makes it
	Why     string         // and why
}

// Record is a player's record as it is to be saved.
type Record struct {
	Player  string
	Number  int64 // the save's number within the lobby: it is applied once
	Match   int64 // the number of the match under way; 0 between matches
	Changes []step.Change
}

// Standing is how a record stands.
type Standing struct {
	Fields  Fields
	Version int64 // how often it was changed: of two standings, the greater is the newer
}

// Players are those of everybody whom the job concerns, some of them more than once.
func (j *Job) Players() (all []string) {
	for _, r := range j.Records {
		all = append(all, r.Player)
	}
	if j.Result != nil {
		for _, p := range j.Result.Players {
			all = append(all, p.Account)
		}
		for _, p := range j.Result.Posts {
			all = append(all, p.Account)
		}
	}
	return all
}
