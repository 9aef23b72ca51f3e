// Package service puts the parts of a node together: database, accounts, rulebooks, hall and doors.
package service

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"github.com/KimMachineGun/automemlimit/memlimit"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/live/rough"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/api"
	"turnvex.example/turnvex/internal/node/audit"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/bus"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/feed"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/handover"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/library"
	"turnvex.example/turnvex/internal/node/meter"
	"turnvex.example/turnvex/internal/node/retain"
	"turnvex.example/turnvex/internal/node/series"
	"turnvex.example/turnvex/internal/node/store"
)

// Version is the service's version, told to clients.
const Version = "0.1.0"

// Config says how to run a node. The zero value of everything but Database will do. Rehearsal plays matches of a
// rulebook, as many as begin while the context lasts, and reports on them.
type Rehearsal = func(ctx context.Context, book *rulebook.Book, matches int) (any, error)

// Config is how a node is started.
type Config struct {
	Listen    string   // address; "127.0.0.1:0" if empty: loopback, a free port
	Database  string   // PostgreSQL address
	Region    string   // "local" if empty
	Node      string   // "node1" if empty
	Advertise string   // the address that clients and other nodes are told; that of Listen if empty
	Messages  Messages // between nodes
	Outages
	Sizes
	Rulebooks   string         // a folder whose *.yaml, *.yml and *.json are loaded at the start; "" for none
	AcceptKept  bool           // they are, even if what is kept reads otherwise then
	OperatorKey string         // "" keeps the one of an earlier start, or makes one
	Origins     []string       // of pages that may call beside the service's own, as browsers send them
	Proxies     []netip.Prefix // whose forwarded headers are believed
	Forwarded   bool           // namely Forwarded, and not those with X-
	Metrics     string         // an address of its own for what the node counts; "" for none
	Rehearse    Rehearsal      // plays matches for the rulebook editor; nil for none
	Refuse      bool           // a player's second connection to a lobby is refused; otherwise it takes over
	Journals    string         // a folder for the lobbies' journals; "" for none
	Practice    bool           // every lobby is a practice lobby
	Rough       rough.Network  // how bad live connections are made
	Retain      retain.Periods // for how long what grows is kept; as retain.Sorts say if nil
	Patience    time.Duration  // how long a live connection may take nothing; 10 s if 0
	Check       time.Duration  // how often all copies are checked; if 0, every 5 s in practice lobbies
	Late        time.Duration  // by how much most ticks may come late before no more lobbies are opened; 0 for any time
	Log         *slog.Logger   // nothing is logged if nil
}

// Sizes bound what grows, in bytes.
type Sizes struct {
	LobbyJournal int   // bytes of the journal of one lobby at this node; 512 MiB if 0
	JournalSize  int64 // bytes of journals that the database keeps of lobbies that have ended; 10 GiB if 0
	BoardMemory  int   // the most bytes that leaderboards in memory take, about; 256 MiB if 0
}

// Outages says what a node does while the database is away.
type Outages struct {
	PublishKept bool // clients are told of play only when it is kept
	PlayOn      bool // play goes on though another node may be taking it over
	Waiting     int  // bytes of each kind that may wait for the database; 64 MiB if it is 0
}

// Messages says how nodes send messages to each other.
type Messages struct {
	Server string // where; "" for one of the node's own
	Listen string // where the node's own listens for other nodes; loopback, a free port, if empty
}

func (c *Config) defaults() {
	for _, d := range []struct {
		field *string
		value string
	}{{&c.Listen, "127.0.0.1:0"}, {&c.Region, "local"}, {&c.Node, "node1"}} {
		if *d.field == "" {
			*d.field = d.value
		}
	}
	c.JournalSize = cmp.Or(c.JournalSize, journalSize)
	if c.Retain == nil {
		c.Retain, _ = retain.Parse("")
	}
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
}

// Tune makes a process that does nothing but run a node collect garbage less often than Go does by itself, unless the
// environment's GOGC says how often: each collection looks at the stacks of thousands of connections and so delays
// ticks, while the heap that it would save is small. What the machine has bounds it.
func Tune() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(gcPercent)
	}
	memlimit.Set(memlimit.WithRatio(memoryShare), // GOMEMLIMIT goes first
		memlimit.WithProvider(memlimit.ApplyFallback(memlimit.FromCgroup, memlimit.FromSystem)))
}

// memoryShare is how much of the memory that the machine, or its container, has is used before garbage is collected
// ever more often.
const memoryShare = 0.7

const gcPercent = 400

// Service is a running node.
type Service struct {
	Address     string // such as http://127.0.0.1:7420
	Metrics     string // such as http://127.0.0.1:7421/metrics; "" unless they have an address of their own
	OperatorKey string // set only when this start made it: it is not kept readable
	Library     *library.Library
	Hall        *hall.Hall
	Directory   *directory.Directory
	Keeper      *keep.Keeper
	Boards      *board.Boards
	DB          *store.DB
	Accounts    *account.Service
	Series      *series.Manager
	Journals    *journal.Folder
	Ledger      *ledger.Ledger

	others
	meter    *meter.Meter
	conns    atomic.Int64 // live connections
	handover *handover.Handover
	leave    context.CancelFunc // ends renewing the lease
	doors
	stopped  sync.Once
	failed   chan error
	journals *ledger.Archive
	sweep    chan struct{} // closed when the node stops
	done     sync.WaitGroup
	log      *slog.Logger
}

// others is how a node knows of the others.
type others struct {
	Cluster *cluster.Cluster
	Bus     *bus.Bus
	Feed    *feed.Feed
}

// doors are what a node listens with.
type doors struct {
	http     *http.Server
	metrics  *http.Server // nil unless they are served at an address of their own
	listener net.Listener
}

// Start starts a node. What it could not load of the database is logged.
func Start(ctx context.Context, cfg Config) (*Service, error) {
	cfg.defaults()
	db, err := store.Open(ctx, cfg.Database, cfg.Log)
	if err != nil {
		return nil, err
	}
	s := &Service{DB: db, failed: make(chan error, 1), log: cfg.Log, handover: handover.New()}
	if err := s.assemble(ctx, cfg); err != nil {
		s.undo()
		db.Close()
		return nil, err
	}
	return s, nil
}

// undo gives back what a start has taken that failed.
func (s *Service) undo() {
	if s.listener != nil {
		s.listener.Close()
	}
	if s.Ledger != nil {
		s.Ledger.Abort()
	}
	if s.leave != nil {
		s.leave()
		s.done.Wait()
	}
	if s.Cluster != nil {
		s.Cluster.Leave(context.Background())
	}
	s.Bus.Close()
}

func (s *Service) assemble(ctx context.Context, cfg Config) error {
	if err := s.DB.Migrate(ctx); err != nil {
		return err
	}
	var err error
	if s.listener, err = net.Listen("tcp", cfg.Listen); err != nil {
		return fmt.Errorf("listen on %s: %w; choose another address with -listen", cfg.Listen, err)
	}
	secret, err := s.DB.Setting(ctx, "token-secret", rand.Text()+rand.Text())
	if err != nil {
		return err
	}
	if err := s.join(ctx, &cfg, secret); err != nil {
		return err
	}
	counts, meter := guard.New(), meter.New()
	s.meter = meter
	accounts, err := account.New(ctx, s.DB, counts)
	if err != nil {
		return err
	}
	if s.OperatorKey, err = accounts.FirstKey(ctx, cfg.OperatorKey); err != nil {
		return err
	}
	s.Accounts, s.sweep = accounts, make(chan struct{})
	lib, bad, err := library.Open(ctx, s.DB)
	if err != nil {
		return err
	}
	for _, b := range bad {
		cfg.Log.Warn("a rulebook no longer compiles and is left out", "error", b)
	}
	s.Library = lib
	s.Boards = board.New(s.DB, board.Options{Budget: cfg.BoardMemory, Log: cfg.Log, As: declared(lib)})
	s.Directory, s.Keeper = directory.New(s.DB), keep.New(s.DB, s.Boards, time.Now)
	if err := s.loadFolder(ctx, cfg); err != nil {
		return err
	}
	s.Ledger = ledger.New(ledger.In(s.DB), cfg.Node, s.Cluster.Fence, cfg.Log, cfg.Waiting)
	s.journals = ledger.NewArchive(s.DB, cfg.Log)
	s.Series = series.New(s.DB, lib, s.Cluster.Fence, cfg.Log)
	if at, err := os.Stat(cfg.Journals); cfg.Journals != "" && (err != nil || !at.IsDir()) {
		return fmt.Errorf("there is no folder %s for journals: make it, or leave -journals out", cfg.Journals)
	}
	s.Journals = journal.NewFolder(cfg.Journals)
	s.Hall = hall.New(
		hall.Config{
			Follows:   s.Series,
			Boards:    standings{s.Boards},
			Directory: s.Directory,
			Keeper:    s.Keeper,
			Names:     names{accounts, accounts.Mutes},
			Log:       cfg.Log,
			Node:      cfg.Node,
			Region:    cfg.Region,
			Version:   Version,
			Journals:  s.Journals,
			Ledger:    s.Ledger,
			Fence:     s.Cluster.Fence,
			Nodes:     s.otherAddresses,
			Counted: func(account string) func() {
				back, err := counts.Take(guard.Seats, account)
				if err != nil {
					return nil // it has more than it may take now
				}
				return back
			},
			Again:       func(id string) { s.handover.Again(id) },
			Meter:       meter,
			Refuse:      cfg.Refuse,
			PublishKept: cfg.PublishKept,
			Silent:      s.Cluster.Silent,
			Bounds:      hall.Bounds{Waiting: cfg.Waiting, Journal: cfg.LobbyJournal, Late: cfg.Late},
			Practice:    cfg.Practice,
			Check:       cfg.Check,
			Secret:      account.Derived(secret, "passwords of lobbies"),
		},
	)
	s.Ledger.OnFull(s.Hall.Refresh)
	s.Ledger.OnAway(s.Hall.Outage)
	s.Cluster.Speak(cluster.Voice{Tell: s.Bus.Tell, Taken: s.Ledger.Taken, Late: s.Ledger.Late, Look: s.Hall.Outage,
		PlayOn: cfg.PlayOn})
	s.Ledger.OnLate(s.Cluster.Late)
	err = s.handover.Begin(ctx, handover.Config{Hall: s.Hall, Ledger: s.Ledger, Cluster: s.Cluster,
		Directory: s.Directory, Books: lib, Series: s.Series, Log: cfg.Log, TookOver: meter.TookOver,
		Tell: func(node string) { s.Bus.Tell("given", node) },
		Start: func(ctx context.Context, goesOn func(string) bool) error {
			return s.Series.Start(ctx, s.Hall, goesOn)
		}})
	if err != nil {
		return err
	}
	s.Boards.Follow(cfg.Node, s.Hall.Unsaved)
	safe.In(&s.done, "sweep", func() { s.sweeper(&cfg) })
	following, over := context.WithCancel(context.Background())
	safe.In(&s.done, "end following", func() { <-s.sweep; over() })
	s.Feed = s.followed()
	if err := s.Feed.Look(ctx); err != nil {
		return err
	}
	safe.Vital(&s.done, "follow other nodes", func() { s.Feed.Run(following, cfg.Log) })
	s.Address = "http://" + s.listener.Addr().String()
	doors := api.Config{
		Guard:     counts,
		DB:        s.DB,
		Hall:      s.Hall,
		Directory: s.Directory,
		Keeper:    s.Keeper,
		Boards:    s.Boards,
		Accounts:  accounts,
		Library:   lib,
		Series:    s.Series,
		Journals:  s.Journals,
		Ledger:    s.Ledger,
		Archive:   s.journals,
		Cluster:   s.Cluster,
		Feed:      s.Feed,
		Live:      &s.conns,
		Reclaim:   s.handover.TakeGiven,
		Give:      s.handover.Give,
		Peers:     account.Derived(secret, "requests between nodes"),
		Meter:     meter,
		Log:       cfg.Log,
		Region:    cfg.Region,
		Version:   Version,
		Rough:     cfg.Rough,
		Patience:  cfg.Patience,
		Origins:   cfg.Origins,
		Proxies:   cfg.Proxies,
		Forwarded: cfg.Forwarded,
		Audit:     audit.New(s.DB),
		Cursors:   account.Derived(secret, "cursors"),
		Rehearse:  cfg.Rehearse,
	}
	s.http = api.Server(api.New(doors))
	if err := s.measure(meter, counts, cfg.Metrics); err != nil {
		return err
	}
	safe.Go("serve HTTP", func() {
		if err := s.http.Serve(api.Listener(s.listener, doors)); !errors.Is(err, http.ErrServerClosed) {
			s.failed <- err
		}
	})
	return nil
}

// measure adds what the parts of the node know of themselves to what it counts, and serves it at an address of its own,
// if there is one.
func (s *Service) measure(m *meter.Meter, counts *guard.Guard, address string) error {
	for name, g := range map[string]struct {
		help  string
		value func() float64
	}{
		"turnvex_lobbies": {"lobbies that are alive here", func() float64 { return float64(s.Hall.Lobbies()) }},
		"turnvex_seats": {"seats, and places in line, of players " +
			"here", func() float64 { return float64(s.Hall.Seats()) }},
		"turnvex_nodes": {"nodes that are alive, this one among them", func() float64 {
			return float64(len(s.Cluster.Others()) + 1)
		}},
		"turnvex_lease_held": {"1 while this node holds its lease, 0 while it may tell nobody anything",
			func() float64 {
				if s.Cluster.Lease.Holds() {
					return 1
				}
				return 0
			}},
		"turnvex_message_peers": {"nodes that this one's own message server is connected " +
			"to", func() float64 { return float64(s.Bus.Peers()) }},
		"turnvex_saves_waiting": {"saves of records, results and posts that wait for the database", func() float64 {
			n, _, _ := s.Hall.Saves()
			return float64(n)
		}},
		"turnvex_saves_waiting_bytes": {"bytes that they take up, about", func() float64 {
			_, size, _ := s.Hall.Saves()
			return float64(size)
		}},
		"turnvex_saves_full": {"1 while so much waits that no match begins, else 0", func() float64 {
			if s.Hall.Full() {
				return 1
			}
			return 0
		}},
		"turnvex_saves_age_seconds": {"for how long the oldest of them has waited", func() float64 {
			_, _, age := s.Hall.Saves()
			return age.Seconds()
		}},
		"turnvex_overloaded": {"1 while the node has more to do than it can do in time, otherwise 0", func() float64 {
			if s.Hall.Overloaded() {
				return 1
			}
			return 0
		}},
		"turnvex_ledger_bytes": {"bytes of what lobbies took in that wait for the " +
			"database", func() float64 { n, _ := s.Ledger.Waiting(); return float64(n) }},
		"turnvex_ledger_pieces_bytes": {"bytes of pieces of journals that are held until their next " +
			"checkpoint is in the database", func() float64 { return float64(s.Ledger.Held()) }},
		"turnvex_ledger_age_seconds": {"for how long nothing of it could be written; 0 while it can", func() float64 {
			if _, since := s.Ledger.Waiting(); !since.IsZero() {
				return time.Since(since).Seconds()
			}
			return 0
		}},
	} {
		m.Gauge(name, g.help, g.value)
	}
	safe.In(&s.done, "remember metrics", func() { m.Remember(s.sweep) })
	m.Refusals(counts.Refused)
	if pool, err := s.DB.DB.DB(); err == nil {
		m.Pool(pool)
	}
	if address == "" {
		return nil
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		return fmt.Errorf("listen on %s for metrics: %w; choose another address with -metrics", address, err)
	}
	s.Metrics = "http://" + l.Addr().String() + "/metrics"
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", m.Handler())
	s.metrics = api.Server(mux)
	safe.Go("serve metrics", func() { s.metrics.Serve(l) })
	return nil
}

// Failed gives the error that ended the node's doors, if one does.
func (s *Service) Failed() <-chan error { return s.failed }

// Stop ends the node in order: its lobbies are handed to other nodes of its region, or, without any, kept to go on at
// its next start. It may be called again.
func (s *Service) Stop() { s.stopped.Do(s.stop) }

func (s *Service) stop() {
	close(s.sweep)
	s.handover.Stop()
	s.Hall.Stop()
	s.Series.Stop()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := s.http.Shutdown(ctx); err != nil {
		s.log.Warn("the doors did not close in time", "error", err)
		s.http.Close()
	}
	if s.metrics != nil {
		s.metrics.Close()
	}
	writing, end := context.WithTimeout(context.Background(), 5*time.Second)
	defer end()
	if err := s.Ledger.Close(writing); err != nil {
		s.log.Error("the next start goes on from before", "error", err)
	}
	s.Boards.Close()
	s.leave()
	s.done.Wait()
	s.Cluster.Leave(writing)
	s.Bus.Tell("nodes", "")
	s.Bus.Close()
	s.DB.Close()
}

// names is what lobbies do with the names and texts of players.
type names struct {
	*account.Service
	*account.Mutes
}
