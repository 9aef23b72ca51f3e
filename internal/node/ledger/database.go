package ledger

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// Database is where a ledger keeps its rows. It may be used by several goroutines, and what failed may be tried again.
type Database interface {
	// Rows changes or reads rows, each call by itself.
	Rows(ctx context.Context) Rows
	// Together changes rows by several calls: all of it or, where do fails, nothing. What do reads, nobody changes
	// meanwhile.
	Together(ctx context.Context, do func(Rows) error) error
}

// Rows are the rows of journals and checkpoints, and of who has which lobby.
type Rows interface {
	// Append adds entries to a node's log, and notes up to which moment everything is in it; store.ErrFenced if the
	// lease of a fence is lost. It returns the number of the log's new row, 0 without entries. Without a moment nothing
	// is noted, and no fence is asked.
	Append(node string, fence store.Fence, at time.Time, entries []byte) (row int64, err error)
	// Shorten removes a node's rows before one from the log.
	Shorten(node string, row int64) error
	// Log reads rows of a node's log behind one, in their order, at most so many.
	Log(node string, behind int64, most int) ([]store.LedgerLog, error)
	// Alive is up to when everything is in a node's log.
	Alive(node string) (time.Time, error)
	// Keep writes what of a batch is not in the log. What is there already stays; of checkpoints the newer ones count.
	Keep(b *Kept) error
	// Read reads what is kept of those of some lobbies that have not ended.
	Read(lobbies []string) (*Held, error)
	// Begin writes how a lobby is opened, with its first state; Drop forgets it.
	Begin(l *store.LedgerLobby, first *store.LedgerCheckpoint) error
	Drop(lobby string) error

	// EndLease ends the lease of a node that has let it run out, for good: whatever it still writes under it is
	// refused. It waits for what is being written. It is false if the node is alive after all.
	EndLease(node string) (bool, error)
	// Waiting tells whether lobbies or series were given to a node that nobody runs yet, and whether lobbies are a
	// node's under an epoch below one.
	Waiting(node string, epoch int64) (given, older bool, err error)
	// IsOpen tells whether a lobby is open.
	IsOpen(lobby string) (bool, error)
	// Pick locks lobbies that are to be taken, and returns their IDs.
	Pick(p *Pick) ([]string, error)
	// Next returns a number that is lower than that of every later row of a log, and higher than that of every earlier
	// one.
	Next() (row int64, err error)
	// Move makes lobbies a node's, under an epoch; of what its log says of them counts what is in a row or behind it,
	// or what counted before, where row is 0. Close closes them.
	Move(lobbies []string, node string, epoch, row int64) error
	Close(lobbies []string, now time.Time) error
	// Delay moves the beginning of lobbies that are taken at a moment, for the time in which nobody ran them.
	Delay(lobbies []string, by time.Duration, at time.Time) error
	// Also does something else with the database, if it is a real one.
	Also(do func(*store.Tx) error) error
}

// Kept is what is written beside the log.
type Kept struct {
	People      []store.LedgerPerson
	Checkpoints []*store.LedgerCheckpoint
	Segments    []store.LedgerSegment
	Ends        []string // lobbies that have ended
}

// Held is what is kept of some lobbies.
type Held struct {
	Lobbies     []store.LedgerLobby // in the order of their IDs
	Checkpoints []store.LedgerCheckpoint
	People      []store.LedgerPerson
	Reached     map[string]int64 // the last entry that is in a piece of a lobby's journal
}

// Pick says which lobbies are picked: those open ones that a node has.
type Pick struct {
	Node  string
	Given bool     // only those that nobody runs yet: they were given to the node
	Below int64    // only those of lower epochs; of any if it is 0
	Most  int      // at most so many; all, if 0
	First []string // the IDs of those that come first
	Only  []string // the IDs of those that are picked; any, if it is nil
	Skip  bool     // those that somebody else has picked are passed over, and not waited for
}
