// Package api is the service's doors: the HTTP routes, the live socket and the console's files.
package api

import (
	"context"
	"embed"
	"log/slog"
	"net/http"
	"net/http/httputil"
	"net/netip"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/live/rough"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/audit"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/feed"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/library"
	"turnvex.example/turnvex/internal/node/meter"
	"turnvex.example/turnvex/internal/node/series"
	"turnvex.example/turnvex/internal/node/socket"
	"turnvex.example/turnvex/internal/node/store"
)

//go:embed all:console
var console embed.FS

// Config is what the doors lead to.
type Config struct {
	DB        *store.DB // asked whether it answers
	Hall      *hall.Hall
	Directory *directory.Directory
	Keeper    *keep.Keeper
	Boards    *board.Boards
	Accounts  *account.Service
	Library   *library.Library
	Series    *series.Manager
	Journals  *journal.Folder
	Ledger    *ledger.Ledger
	Archive   *ledger.Archive
	Cluster   *cluster.Cluster
	Feed      *feed.Feed                  // what other nodes have done
	Reclaim   func(context.Context) error // takes up what was given to this node
	Give      giver                       // hands a lobby to another node
	Peers     []byte                      // the secret that signs requests between nodes
	Live      *atomic.Int64               // how many live connections there are, counted here
	Meter     *meter.Meter
	Log       *slog.Logger
	Region    string
	Version   string
	Rough     rough.Network
	Patience  time.Duration  // how long a connection may take nothing; 10 s if 0
	Origins   []string       // of pages that may call beside the service's own
	Guard     *guard.Guard   // counts what comes in
	Proxies   []netip.Prefix // whose forwarded headers are believed
	Forwarded bool           // namely Forwarded, and not those with X-
	Audit     *audit.Trail   // what operators and service keys change
	Cursors   []byte         // the secret that signs cursors, at most 64 bytes
	// Rehearse plays matches of a rulebook, as many as begin while the context lasts; nil for none.
	Rehearse func(ctx context.Context, book *rulebook.Book, matches int) (any, error)
}

type giver = func(ctx context.Context, l *hall.Lobby, to hall.Destination) error

type server struct {
	Config
	lease      *cluster.Lease         // under which the node tells anything to anybody
	playing    chan struct{}          // whose turn it is to have a lobby played back
	rehearsing chan struct{}          // whose turn it is to have a rulebook rehearsed
	checking   chan struct{}          // whose turn it is to have a rulebook checked
	signers    sync.Pool              // of cursors
	holds      *holds                 // places that quick join holds
	proxy      *httputil.ReverseProxy // to other nodes
}

// New returns the handler of all doors.
func New(cfg Config) http.Handler {
	s := &server{Config: cfg, holds: newHolds(cfg.Guard, cfg.Hall), checking: make(chan struct{}, 1),
		rehearsing: make(chan struct{}, 1),
		playing:    make(chan struct{}, playbacks)}
	s.proxy = s.newProxy()
	s.signers.New = func() any { return newSigner(cfg.Cursors) }
	if cfg.Cluster != nil {
		s.lease = cfg.Cluster.Lease
	}
	r, f := chi.NewRouter(), &front{s}
	r.Use(requestID, f.forwarded, f.recoverPanic, f.logged, f.secured, f.crossOrigin(), middleware.GetHead,
		steady(10*time.Second, 1<<10))
	files := f.limited(guard.Files)(http.HandlerFunc(f.consoleFile))
	r.NotFound(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/v1" || strings.HasPrefix(r.URL.Path, "/v1/") {
			s.fail(w, r, fault.New(code.NotFound, "there is nothing at %s", r.URL.Path))
			return
		}
		files.ServeHTTP(w, r)
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, r *http.Request) {
		allowed := strings.Join(methodsOf(r), ", ")
		w.Header().Set("Allow", allowed)
		if r.Method == http.MethodOptions { // RFC 9110, section 9.3.7
			w.WriteHeader(http.StatusNoContent)
			return
		}
		s.fail(w, r, fault.New(code.Method, "%s does not take %s; it takes %s", r.URL.Path, r.Method, allowed))
	})
	r.Get("/health",
		func(w http.ResponseWriter, r *http.Request) { s.send(w, r, 200, map[string]string{"status": "alive"}) })
	r.Get("/v1/live", s.socket().ServeHTTP) // which has limits of its own
	r.Group(func(r chi.Router) {
		r.Use(f.limited(guard.Requests))
		r.Get("/ready", s.ready)
		r.Get("/v1/live/schema", socket.Schema)
		r.Get("/v1/openapi.json", openAPI)
		for _, rt := range routes {
			r.Method(rt.method, rt.path, s.handle(rt))
		}
	})
	return r
}

// socket is the live socket, whose doors these are.
func (s *server) socket() *socket.Socket {
	return socket.New(socket.Config{Hall: s.Hall, Directory: s.Directory, Boards: s.Boards, Accounts: s.Accounts,
		Library: s.Library, Cluster: s.Cluster, Meter: s.Meter, Guard: s.Guard, Audit: s.Audit, Log: s.Log,
		Live: s.Live, Rough: s.Rough, Patience: s.Patience, Origins: s.Origins, Within: s.within,
		Topics: s.watchable(), Doors: doors{s}})
}

// doors are what the live socket asks.
type doors struct{ *server }

func (d doors) AddressOf(r *http.Request) string { return addressOf(r) }

func (d doors) Fail(w http.ResponseWriter, r *http.Request, err error) { d.fail(w, r, err) }

func (d doors) FaultOf(err error, about ...any) *fault.Fault { return d.faultOf(err, about...) }

func (d doors) Elsewhere(r *http.Request, who *account.Who, joinCode string) (*cluster.Member, error) {
	return d.elsewhere(r, who, joinCode)
}

func (d doors) Find(r *http.Request, who *account.Who, joinCode string) (*hall.Lobby, error) {
	return d.find(r, who, joinCode)
}

func (d doors) Enter(ctx context.Context, l *hall.Lobby, j *hall.Joining, way func() error) error {
	return d.enter(ctx, l, j, way)
}

// methodsOf are the methods that an address takes (RFC 9110, section 10.2.1).
func methodsOf(r *http.Request) (out []string) {
	routes := chi.RouteContext(r.Context()).Routes
	for _, m := range []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"} {
		asked := m
		if m == "HEAD" {
			asked = "GET"
		}
		if routes.Match(chi.NewRouteContext(), asked, r.URL.Path) {
			out = append(out, m)
		}
	}
	return append(out, http.MethodOptions)
}

func (s *server) ready(w http.ResponseWriter, r *http.Request) {
	ctx, over := context.WithTimeout(r.Context(), readyWithin)
	defer over()
	pool, err := s.DB.DB.DB()
	if err == nil {
		err = pool.PingContext(ctx)
	}
	waiting, since := s.Ledger.Waiting()
	switch {
	case !s.lease.Holds():
		s.fail(w, r, comesBack("this node has lost its lease, and tells nobody anything until it has a new one"))
	case s.Cluster.Draining():
		s.fail(w, r, fault.New(code.Stopping, "this node is being drained: it takes no more lobbies"))
	case err != nil:
		s.fail(w, r, fault.New(code.Stopping, "the database does not answer within %s", readyWithin))
	case !since.IsZero():
		s.fail(w, r, fault.New(code.Stopping, "the lobbies' inputs cannot be written since %s; %d bytes are queued",
			since.UTC().Format(time.RFC3339), waiting))
	default:
		s.send(w, r, 200, map[string]any{"status": "ready", "lobbies": s.Hall.Lobbies()})
	}
}

// readyWithin is how long the database may take to answer until the node counts as not ready.
const readyWithin = 2 * time.Second

// Server returns an HTTP server with the doors' time limits.
func Server(h http.Handler) *http.Server {
	return &http.Server{
		Handler:           h,
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       30 * time.Second, // of a whole request; live connections have their own
		WriteTimeout:      5 * time.Minute,  // of a whole answer, a long export included
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    32 << 10,
	}
}
