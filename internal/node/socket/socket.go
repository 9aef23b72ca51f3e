// Package socket is the live socket: whoever says hello is let into a lobby, or watches the listing, a leaderboard or a
// topic, or referees; docs/protocol.md says what goes over it. Whom to let in, and how an error is told, it asks the
// doors of the service.
package socket

import (
	"context"
	"log/slog"
	"net/http"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/live/rough"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/audit"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/library"
	"turnvex.example/turnvex/internal/node/meter"
)

// Config is what the socket needs of a node.
type Config struct {
	Hall      *hall.Hall
	Directory *directory.Directory
	Boards    *board.Boards
	Accounts  *account.Service
	Library   *library.Library
	Cluster   *cluster.Cluster // nil for a node without others
	Meter     *meter.Meter
	Guard     *guard.Guard // counts what comes in
	Audit     *audit.Trail
	Log       *slog.Logger
	Live      *atomic.Int64 // how many live connections there are, counted here
	Rough     rough.Network
	Patience  time.Duration        // how long a connection may take nothing; 10 s if 0
	Origins   []string             // of pages that may connect beside the service's own
	Within    func() time.Duration // how long a look at a topic may take
	Topics    map[string]Topic     // what can be watched beside the players who are connected
	Doors     Doors
}

// Doors is what the socket asks of the service's doors.
type Doors interface {
	// AddressOf is the address that a request came from, seen from outside.
	AddressOf(r *http.Request) string
	// Fail answers a request with an error, and FaultOf is how it is told.
	Fail(w http.ResponseWriter, r *http.Request, err error)
	FaultOf(err error, about ...any) *fault.Fault
	// Elsewhere returns the node at which a lobby is alive, nil if it is here, and Find the lobby; codes that do not
	// exist are counted.
	Elsewhere(r *http.Request, who *account.Who, joinCode string) (*cluster.Member, error)
	Find(r *http.Request, who *account.Who, joinCode string) (*hall.Lobby, error)
	// Enter lets a player into a lobby by a way, as often as players may.
	Enter(ctx context.Context, l *hall.Lobby, j *hall.Joining, way func() error) error
}

// Socket is the live socket of a node. It may be used by several goroutines.
type Socket struct {
	Config
	strangers seldom         // pages of other origins
	lease     *cluster.Lease // under which the node tells anything to anybody
	conns     conns
	topics    lookouts
	began     time.Time
	heldAt    atomic.Int64 // when the lease was last seen to hold, since began
}

// New returns the live socket of a node. It ends the connections of those who sign out.
func New(cfg Config) *Socket {
	if cfg.Patience == 0 {
		cfg.Patience = writeWithin
	}
	if cfg.Live == nil {
		cfg.Live = &atomic.Int64{}
	}
	s := &Socket{Config: cfg, began: time.Now(), conns: conns{hall: cfg.Hall, all: map[*conn]bool{}, n: cfg.Live}}
	s.topics.all = map[string]Topic{"players": {Scope: account.Operator, Read: s.topicPlayers}}
	for name, t := range cfg.Topics {
		s.topics.all[name] = t
	}
	if cfg.Cluster != nil {
		s.lease = cfg.Cluster.Lease
	}
	cfg.Accounts.OnVoid(s.conns.void)
	cfg.Meter.Gauge("turnvex_live_connections", "live connections that have said hello", s.conns.count)
	return s
}
