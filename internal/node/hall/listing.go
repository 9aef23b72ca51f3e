package hall

import (
	"sync"

	"turnvex.example/turnvex/internal/wire"
)

// Listing tells those who watch the list of lobbies what changes in it.
type Listing struct {
	mu       sync.Mutex
	watchers map[*ListWatcher]bool // guarded by mu
}

func newListing() *Listing { return &Listing{watchers: map[*ListWatcher]bool{}} }

// ListWatcher is somebody who watches the listing through a filter. Only the
// newest state of each lobby waits for them.
type ListWatcher struct {
	filter  wire.Filter
	mu      sync.Mutex
	waiting map[string]wire.Listed // guarded by mu; by code
	order   []string               // guarded by mu
	wake    chan struct{}
}

// Watch begins to watch. Stop must be called in the end.
func (l *Listing) Watch(f wire.Filter) *ListWatcher {
	w := &ListWatcher{filter: f, waiting: map[string]wire.Listed{}, wake: make(chan struct{}, 1)}
	l.mu.Lock()
	l.watchers[w] = true
	l.mu.Unlock()
	return w
}

// Stop ends the watching.
func (l *Listing) Stop(w *ListWatcher) {
	l.mu.Lock()
	delete(l.watchers, w)
	l.mu.Unlock()
}

// tell passes a change on to those whom it concerns; now is nil for a lobby that
// is no longer listed.
func (l *Listing) tell(was wire.LobbyInfo, now *wire.LobbyInfo) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for w := range l.watchers {
		before, after := w.filter.Matches(&was), now != nil && w.filter.Matches(now)
		switch {
		case after:
			w.put(wire.Listed{Is: "listed", Code: now.Code, Lobby: now})
		case before:
			w.put(wire.Listed{Is: "listed", Code: was.Code, Gone: true})
		}
	}
}

func (w *ListWatcher) put(m wire.Listed) {
	w.mu.Lock()
	if _, there := w.waiting[m.Code]; !there {
		w.order = append(w.order, m.Code)
	}
	w.waiting[m.Code] = m
	w.mu.Unlock()
	select {
	case w.wake <- struct{}{}:
	default:
	}
}

// Wake tells that there may be something to Take.
func (w *ListWatcher) Wake() <-chan struct{} { return w.wake }

// Take returns what has changed since the last Take.
func (w *ListWatcher) Take() []wire.Listed {
	w.mu.Lock()
	defer w.mu.Unlock()
	var out []wire.Listed
	for _, c := range w.order {
		out = append(out, w.waiting[c])
	}
	w.waiting, w.order = map[string]wire.Listed{}, nil
	return out
}
