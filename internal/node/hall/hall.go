// Package hall holds the lobbies that are alive on this node. Each has a loop of its own that hands inputs to the
// authority one at a time, publishes what has changed once a tick, and carries out what the authority asks for.
package hall

import (
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/wire"
)

// Hall may be used by several goroutines.
//
// Of its locks none is held while another is taken, but quick, which is held while a lobby is looked for.
type Hall struct {
	cfg      Config
	savings  savings
	holders  holders
	unsaved  unsaved
	judges   judges
	places   places
	held     places
	overload overload

	Listing *directory.Watchers
	Tallies *directory.Tallies
	faces   sync.Map     // of *rulebook.Book to *face
	begun   atomic.Int64 // how many lobbies have begun to tick here

	quick   nameLocks // by rulebook; one is held while a lobby is looked for or opened for a party
	mu      sync.Mutex
	lobbies map[string]*Lobby        // guarded by mu; by code
	opening map[string]chan struct{} // guarded by mu; closed when the lobby with the code lives
	stopped bool                     // guarded by mu
	drains  bool                     // guarded by mu; no lobby is opened any more, though some may be taken up
	looks   bool                     // guarded by mu; stuck lobbies are looked for
	drops   bool                     // guarded by mu; the node has lost its lease, and no lobby begins
	running sync.WaitGroup
}

// New returns an empty hall.
func New(cfg Config) *Hall {
	cfg.defaults()
	return &Hall{cfg: cfg, lobbies: map[string]*Lobby{}, opening: map[string]chan struct{}{},
		savings: savings{pending: map[string]*saving{}}, holders: holders{of: map[string][]*keeping{}},
		unsaved: unsaved{jobs: map[*keep.Job]waiting{}}, places: newPlaces(), held: newPlaces(),
		overload: overload{most: cfg.Late, began: cfg.Now()},
		judges:   judges{of: map[string][]*Judge{}}, Listing: directory.NewWatchers(), Tallies: directory.NewTallies()}
}

// start lets a lobby live; the first that its loop does is given, or nil.
func (h *Hall) start(l *Lobby, first func()) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.stopped || h.drops || l.stay.Fence != h.cfg.Fence() {
		return fault.New(code.Stopping, "the service is stopping, or has lost its lease; try again")
	}
	h.lobbies[l.Code] = l
	if !h.looks {
		h.looks = true
		safe.After(lookEvery, "look for stuck lobbies", h.lookForStuck)
	}
	h.running.Add(1)
	safe.Go("run a lobby", func() {
		defer l.loopOver()
		defer h.forget(l)
		l.run(first)
	})
	return nil
}

// forget frees the place of a lobby that has ended.
func (h *Hall) forget(l *Lobby) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.lobbies[l.Code] == l {
		delete(h.lobbies, l.Code)
	}
	h.Tallies.Drop(l.ID)
}

// PlainCode is a join code as it is kept: case, blanks and dashes do not matter.
func PlainCode(joinCode string) string {
	return strings.ToUpper(strings.NewReplacer(" ", "", "-", "").Replace(joinCode))
}

// Find returns the lobby with a join code; case, blanks and dashes do not matter.
func (h *Hall) Find(joinCode string) (*Lobby, error) {
	c := PlainCode(joinCode)
	h.mu.Lock()
	defer h.mu.Unlock()
	if l := h.lobbies[c]; l != nil {
		return l, nil
	}
	return nil, fault.New(code.NoLobby, "there is no lobby with the code %q; it may have closed", joinCode)
}

// Fresh brings what the directory says of a lobby up to date, if it is alive here: a row is written a little later than
// what it tells of happens.
func (h *Hall) Fresh(info *wire.LobbyInfo) {
	h.mu.Lock()
	l := h.lobbies[info.Code]
	h.mu.Unlock()
	if l == nil {
		return
	}
	if now := l.sign.latest.Load(); now != nil {
		*info = now.LobbyInfo
	}
}

// Stop closes every lobby, keeps what is to be kept and waits for it.
func (h *Hall) Stop() {
	h.mu.Lock()
	h.stopped = true
	for _, l := range h.lobbies {
		safe.Go("stop a lobby", l.stop)
	}
	h.mu.Unlock()
	ended := make(chan struct{})
	safe.Go("wait for lobbies", func() { h.running.Wait(); close(ended) })
	within := leaveWithin + 10*time.Second
	if h.cfg.Ledger == nil { // nothing goes on at the next start: what matches gave is saved first
		within = 3 * time.Minute
	}
	select {
	case <-ended:
	case <-time.After(within):
		h.cfg.Log.Error("some lobbies do not end; the node stops without them, and they go on from before",
			"lobbies", h.Lobbies())
	}
}

// Lobbies returns how many lobbies are alive.
func (h *Hall) Lobbies() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.lobbies)
}

// All returns the lobbies that are alive here.
func (h *Hall) All() []*Lobby {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Collect(maps.Values(h.lobbies))
}

// Seats returns in how many seats, and places in line, of lobbies of this node players are.
func (h *Hall) Seats() (n int) {
	h.places.mu.Lock()
	defer h.places.mu.Unlock()
	for _, lobbies := range h.places.of {
		n += len(lobbies)
	}
	return n
}
