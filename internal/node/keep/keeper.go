package keep

import (
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/store"
)

// Keeper keeps what matches give, in the database. It may be used by several goroutines.
type Keeper struct {
	db     *store.DB
	boards *board.Boards
	now    func() time.Time
	months sync.Map // the months that have room for results, by their first moment
}

// New returns the keeper of a database and the boards that matches post to; now is the clock that it notes times by.
func New(db *store.DB, boards *board.Boards, now func() time.Time) *Keeper {
	return &Keeper{db: db, boards: boards, now: now}
}

// Job is what one input to a lobby led to that must be kept: all of it or nothing.
type Job struct {
	Lobby   string                     // the lobby's ID, not its code
	Fence   store.Fence                // the lease under which it happened
	Code    string                     // the lobby's join code
	Hidden  bool                       // the lobby is not listed
	Book    *rulebook.Book             // that the lobby runs
	Records []Record                   // in the order in which they are to be saved
	Result  *step.Result               // nil if no match has ended
	Ended   time.Time                  // when it did
	Posts   []Post                     // that are not the result's
	Moment  func(sheet.Tick) time.Time // when a wall tick of the lobby was
	Author  string                     // of a correction: who makes it
	Why     string                     // and why
}

// Size is about how many bytes the job takes up in memory.
func (j *Job) Size() int {
	const each = 96 // a value with its name, a post
	n := each * (4 + len(j.Posts))
	for i := range j.Records {
		n += each * (1 + len(j.Records[i].Changes))
	}
	if r := j.Result; r != nil {
		n += each * len(r.Posts)
		for i := range r.Teams {
			n += each * (2 + len(r.Teams[i].Fields))
		}
		for i := range r.Players {
			n += each * (2 + len(r.Players[i].Fields))
		}
	}
	return n
}

// Record is a player's record as it is to be saved.
type Record struct {
	Player  string
	Number  int64 // the save's number within the lobby: it is applied once
	Match   int64 // the number of the match under way; 0 between matches
	Changes []step.Change
}

// Post is a post to a board that an effect made.
type Post struct {
	step.Post
	Number  int64     // the save's number within the lobby: it counts once
	Match   int64     // the number of the match under way; 0 between matches
	Reached time.Time // when it happened
}

// Since is the moment of the oldest thing in the job that belongs to a season of a board. ok is false if there is none.
func (j *Job) Since() (at time.Time, ok bool) {
	if ok = len(j.Posts) > 0 || j.Result != nil; !ok {
		return at, false
	}
	at = j.Ended
	for _, p := range j.Posts {
		if at.IsZero() || p.Reached.Before(at) {
			at = p.Reached
		}
	}
	if j.Result != nil {
		for _, p := range j.Result.Posts {
			if moment := j.Moment(p.At); moment.Before(at) {
				at = moment
			}
		}
	}
	return at, true
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
	for _, p := range j.Posts {
		all = append(all, p.Account)
	}
	return all
}
