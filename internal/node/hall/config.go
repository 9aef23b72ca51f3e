package hall

import (
	"cmp"
	"context"
	"log/slog"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/meter"
	"turnvex.example/turnvex/internal/node/store"
)

// Config is what a hall needs. Directory, Keeper and Names must be given.
type Config struct {
	Directory Directory        // where lobbies are made known
	Keeper    Keeper           // where records and results are kept
	Names     Names            // where players' names are kept
	Log       *slog.Logger     // nothing is logged if nil
	Now       func() time.Time // the clock; time.Now if nil
	Node      string           // this node's name in the directory
	Region    string           // this node's
	Version   string           // of the service, told to clients
	// Journals is the folder in which each lobby's journal is written; nil for none.
	Journals *journal.Folder
	// Ledger keeps what the lobbies take in, and lets them go on at the next start; nil for none.
	Ledger *ledger.Ledger
	// PublishKept tells clients of play only when it is kept, where there is a ledger; otherwise a tenth of a second of
	// what was told may be lost with the node.
	PublishKept bool
	// Silent says why nothing may be told of play just now, "" where it may, and whether clients had better look at
	// other nodes; nil where it always may.
	Silent func() (why string, roam bool)
	// Fence is the lease under which lobbies are alive here; nil for none.
	Fence func() store.Fence
	// Counted counts a player who has a seat in a lobby that is taken up, and returns what gives it back; nil for
	// nothing.
	Counted func(account string) (giveBack func())
	// Nodes are the addresses of other nodes, where a client may ask when this one is gone; nil for none.
	Nodes func() []string
	// Again is called with the ID of a lobby that could not be handed to another node after all, and is alive nowhere:
	// it is to be restored here.
	Again func(lobbyID string)
	Bounds
	// Meter counts what the lobbies do; nothing is counted if it is nil.
	Meter *meter.Meter
	// Refuse tells a player's second connection that they are in already; otherwise it takes over, and the older one is
	// told.
	Refuse bool
	// Check is how often the copies of all clients are checked; if it is 0, those in practice lobbies are checked every
	// 5 s.
	Check time.Duration
	// Practice makes every lobby a practice lobby.
	Practice bool
	// Follows is told what becomes of lobbies, in goroutines of its own; nobody is if it is nil.
	Follows Follower
	// Boards tells how players stand on leaderboards; nobody stands on any if it is nil.
	Boards Boards
	// Secret digests the passwords of lobbies, so that none is kept as it is.
	Secret []byte
}

// Bounds are how much of something there may be.
type Bounds struct {
	// Waiting is how many bytes of what matches gave may wait to be saved before no more matches begin; 64 MiB if it is
	// 0.
	Waiting int
	// Journal is how many bytes the journal of one lobby may have at this node; nothing is added beyond that. 512 MiB
	// if it is 0.
	Journal int
	// Late is by how much most ticks may come late before no more lobbies are opened; 0 for any time.
	Late time.Duration
}

func (c *Config) defaults() {
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
	if c.Now == nil {
		c.Now = time.Now
	}
	c.PublishKept = c.PublishKept && c.Ledger != nil
	if c.Waiting == 0 {
		c.Waiting = ledger.MaxWaiting
	}
	c.Journal = cmp.Or(c.Journal, 512<<20)
	if c.Silent == nil {
		c.Silent = func() (string, bool) { return "", false }
	}
	if c.Fence == nil {
		c.Fence = func() store.Fence { return store.Fence{} }
	}
	if c.Counted == nil {
		c.Counted = func(string) func() { return nil }
	}
	if c.Nodes == nil {
		c.Nodes = func() []string { return nil }
	}
	if c.Again == nil {
		c.Again = func(string) {}
	}
}

// Directory is what a hall needs of directory.Directory. All methods may be called by several goroutines; those that
// change something may be repeated after an error.
type Directory interface {
	Open(ctx context.Context, e directory.Entry) error
	Write(ctx context.Context, e directory.Entry) error
	Close(ctx context.Context, e directory.Entry, now time.Time) error
	Named(ctx context.Context, rulebook, name string) (string, error)
	Give(ctx context.Context, lobby string, fence store.Fence, to string) error
}

// Follower is told of each match that has ended and is kept, and of each lobby that is gone.
type Follower interface {
	Ended(lobbyID string, r *step.Result)
	Closed(lobbyID string)
}

// Boards is what a hall needs of board.Boards: how a player stands on those that a rulebook wants to know at entry, as
// values of the record. It may be called by several goroutines, and repeated after an error.
type Boards interface {
	Stand(ctx context.Context, book *rulebook.Book, player string) ([]step.Named, error)
}

// Keeper is what a hall needs of keep.Keeper. All methods may be called by several goroutines, and repeated after an
// error.
type Keeper interface {
	Load(ctx context.Context, player string, book *rulebook.Book) (s keep.Standing, first bool, err error)
	Save(ctx context.Context, job *keep.Job) (map[string]keep.Standing, error)
	Charge(ctx context.Context, job *keep.Job) (ok bool, s keep.Standing, err error)
	Void(ctx context.Context, job *keep.Job) (keep.Standing, error)
}

// Names is what a hall needs of account.Service and its Mutes: Rename keeps a player's name and returns it in its
// normal form, and MayWrite refuses a player whose texts are told to nobody.
type Names interface {
	Rename(ctx context.Context, player, name string) (string, error)
	MayWrite(player string) error
}
