// Package hall holds the lobbies that are alive on this node. Each has a loop of
// its own that hands inputs to the authority one at a time, publishes what has
// changed once a tick, and carries out what the authority asks for.
package hall

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"log/slog"
	"math/big"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Config is what a hall needs.
type Config struct {
	DB      *store.DB
	Log     *slog.Logger
	Node    string // this node's name in the directory
	Region  string
	Version string // of the service, told to clients
	// Journals is a folder in which each lobby's journal is written; "" for none.
	Journals string
	// Refuse tells a player's second connection that they are in already; otherwise
	// it takes over, and the older one is told.
	Refuse bool
	// Check is how often the copies of all clients are checked; if it is 0, those in
	// practice lobbies are checked every 5 s.
	Check time.Duration
	// Practice makes every lobby a practice lobby.
	Practice bool
	// Secret digests the passwords of lobbies, so that none is kept as it is.
	Secret []byte
}

// Hall may be used by several goroutines.
type Hall struct {
	cfg     Config
	savings savings

	Listing *Listing
	faces   sync.Map // of *rulebook.Book to *face

	quick   sync.Mutex // held while a lobby is looked for or opened for a party
	mu      sync.Mutex
	lobbies map[string]*Lobby // guarded by mu; by code
	stopped bool              // guarded by mu
	running sync.WaitGroup
}

// New returns an empty hall.
func New(cfg Config) *Hall {
	return &Hall{cfg: cfg, lobbies: map[string]*Lobby{}, savings: savings{pending: map[string]*saving{}}, Listing: newListing()}
}

// Recover closes the directory's entries of lobbies that a node of this name
// held when it ended.
func (h *Hall) Recover(ctx context.Context) error {
	now := time.Now().UTC()
	return h.cfg.DB.WithContext(ctx).Model(&store.Lobby{}).Where("node = ? and closed_at is null", h.cfg.Node).
		Updates(map[string]any{"closed_at": now, "updated_at": now, "state": "closed"}).Error
}

// Opening is how a lobby is asked for.
type Opening struct {
	Name      string // by which open-or-join finds it; "" for none
	Title     string
	Capacity  int // 0: what the rulebook allows
	Practice  bool
	Hidden    bool // by code only, not listed
	Closed    bool // takes no newcomers at first
	Password  string
	Watchers  int      // 0: what the rulebook allows, negative: nobody
	Region    string   // must be this node's, if it is given
	Reserve   []string // accounts that places are held for
	ReserveMS int64    // how long; a minute if 0
	Party     string   // the accounts belong together
	Options   map[string]any
}

// The limits of an opening.
const (
	maxTitle    = 60
	maxPassword = 100
	maxReserve  = 50
	maxHold     = 10 * time.Minute
)

// Open opens a lobby with a rulebook. When another open lobby of the rulebook has
// the same name, it is fault code.NameTaken.
func (h *Hall) Open(ctx context.Context, book *rulebook.Book, o Opening) (*Lobby, error) {
	options, err := checkOptions(book, o.Options)
	if err != nil {
		return nil, err
	}
	if err := h.checkOpening(book, &o); err != nil {
		return nil, err
	}
	o.Practice = o.Practice || h.cfg.Practice
	setup := lobby.Setup{Title: o.Title, Region: h.cfg.Region, Capacity: o.Capacity, Practice: o.Practice, Options: options, Seed: seed(),
		Hidden: o.Hidden, Closed: o.Closed, Password: h.Digest(o.Password), Watchers: o.Watchers}
	now := time.Now().UTC()
	row := store.Lobby{ID: uuid.Must(uuid.NewV7()).String(), Rulebook: book.Name, Version: book.Version, Region: h.cfg.Region, Node: h.cfg.Node,
		State: "gathering", Practice: o.Practice, Open: !o.Closed, Listed: !o.Hidden, Password: o.Password != "", CreatedAt: now, UpdatedAt: now}
	if o.Name != "" {
		row.Name = &o.Name
	}
	for range 20 {
		setup.Code = NewCode()
		l := newLobby(h, row.ID, book, setup)
		row.Code, row.Title, row.Capacity, row.Free = setup.Code, l.title, l.capacity, l.capacity-len(o.Reserve)
		err = h.cfg.DB.WithContext(ctx).Create(&row).Error
		if errors.Is(err, store.ErrDuplicate) {
			if o.Name != "" && h.nameTaken(ctx, book.Name, o.Name) {
				return nil, fault.New(code.NameTaken, "an open lobby of %s is called %q already", book.Name, o.Name)
			}
			continue // another open lobby has this code
		}
		if err != nil {
			return nil, err
		}
		l.dir = directoryEntry{LobbyInfo: infoOf(&row)}
		if len(o.Reserve) > 0 {
			l.step(&step.Input{Kind: step.Reserve, Names: o.Reserve, Text: o.Party, N: o.ReserveMS * int64(book.Rate) / 1000})
		}
		return l, h.start(l)
	}
	return nil, err
}

func (h *Hall) nameTaken(ctx context.Context, book, name string) bool {
	var n int64
	h.cfg.DB.WithContext(ctx).Model(&store.Lobby{}).Where("rulebook = ? and lower(name) = lower(?) and closed_at is null", book, name).Count(&n)
	return n > 0
}

// Digest is what is kept of a lobby's password; "" for none.
func (h *Hall) Digest(password string) string {
	if password == "" {
		return ""
	}
	mac := hmac.New(sha256.New, h.cfg.Secret)
	mac.Write([]byte(password))
	return hex.EncodeToString(mac.Sum(nil))
}

func (h *Hall) checkOpening(book *rulebook.Book, o *Opening) error {
	o.Title, o.Name = strings.Join(strings.Fields(o.Title), " "), strings.Join(strings.Fields(o.Name), " ")
	if o.ReserveMS == 0 {
		o.ReserveMS = 60_000
	}
	switch {
	case o.Capacity < 0 || o.Capacity > book.Players.Most || o.Capacity > 0 && o.Capacity < book.Players.Least:
		return fault.New(code.OutOfRange, "the capacity of a lobby of %s is from %d to %d, not %d", book.Name, book.Players.Least, book.Players.Most, o.Capacity)
	case utf8.RuneCountInString(o.Title) > maxTitle || utf8.RuneCountInString(o.Name) > maxTitle:
		return fault.New(code.TooLarge, "a lobby's title and name have at most %d characters", maxTitle)
	case len(o.Password) > maxPassword:
		return fault.New(code.TooLarge, "a lobby's password has at most %d bytes", maxPassword)
	case len(o.Reserve) > min(maxReserve, book.Players.Most):
		return fault.New(code.OutOfRange, "places are held for at most %d players", min(maxReserve, book.Players.Most))
	case o.ReserveMS < 0 || o.ReserveMS > maxHold.Milliseconds():
		return fault.New(code.OutOfRange, "places are held for at most %s", maxHold)
	case o.Region != "" && o.Region != h.cfg.Region:
		return fault.New(code.WrongRegion, "this node is in the region %s, not in %s; ask a node there", h.cfg.Region, o.Region)
	case len(book.Regions) > 0 && !slices.Contains(book.Regions, h.cfg.Region):
		return fault.New(code.WrongRegion, "%s may be played in %s; this node is in %s", book.Name, strings.Join(book.Regions, ", "), h.cfg.Region)
	}
	return nil
}

func (h *Hall) start(l *Lobby) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.stopped {
		return fault.New(code.Stopping, "the service is stopping")
	}
	h.lobbies[l.Code] = l
	h.running.Add(1)
	go func() {
		defer h.running.Done()
		l.run()
		h.mu.Lock()
		delete(h.lobbies, l.Code)
		h.mu.Unlock()
	}()
	return nil
}

// Find returns the lobby with a join code; case and spaces do not matter.
func (h *Hall) Find(joinCode string) (*Lobby, error) {
	c := strings.ToUpper(strings.NewReplacer(" ", "", "-", "").Replace(joinCode))
	h.mu.Lock()
	defer h.mu.Unlock()
	if l := h.lobbies[c]; l != nil {
		return l, nil
	}
	return nil, fault.New(code.NoLobby, "there is no lobby with the code %q; it may have closed", joinCode)
}

// Stop closes every lobby, saves what is to be saved and waits for it.
func (h *Hall) Stop() {
	h.mu.Lock()
	h.stopped = true
	for _, l := range h.lobbies {
		go l.stop()
	}
	h.mu.Unlock()
	h.running.Wait()
}

// Lobbies returns how many lobbies are alive.
func (h *Hall) Lobbies() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.lobbies)
}

// codeLetters leaves out what looks alike: 0 and O, 1, I and L, U and V.
const codeLetters = "ABCDEFGHJKMNPQRSTWXYZ23456789"

// CodeLength is the length of a join code.
const CodeLength = 6

// NewCode makes a join code at random.
func NewCode() string {
	b := make([]byte, CodeLength)
	for i := range b {
		n, err := rand.Int(rand.Reader, big.NewInt(int64(len(codeLetters))))
		if err != nil {
			panic(err) // the system has no randomness; nothing can go on
		}
		b[i] = codeLetters[n.Int64()]
	}
	return string(b)
}

func seed() uint64 {
	n, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 64))
	if err != nil {
		panic(err)
	}
	return n.Uint64()
}
