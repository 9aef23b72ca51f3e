package directory

import (
	"sync"

	"turnvex.example/turnvex/internal/wire"
)

// Watchers tell those who watch the list of lobbies what changes in it.
type Watchers struct {
	mu       sync.Mutex
	watchers map[*Watcher]bool // guarded by mu
}

// NewWatchers returns a listing that nobody watches yet.
func NewWatchers() *Watchers { return &Watchers{watchers: map[*Watcher]bool{}} }

// Watcher is somebody who watches the listing through a filter. Only the newest state of each lobby waits for them.
type Watcher struct {
	filter  wire.Filter
	mu      sync.Mutex
	waiting map[string]wire.Listed // guarded by mu; by code
	order   []string               // guarded by mu
	anew    bool                   // guarded by mu
	wake    chan struct{}
}

// Watch begins to watch. Stop must be called in the end.
func (l *Watchers) Watch(f wire.Filter) *Watcher {
	w := &Watcher{filter: f, waiting: map[string]wire.Listed{}, wake: make(chan struct{}, 1)}
	l.mu.Lock()
	l.watchers[w] = true
	l.mu.Unlock()
	return w
}

// Stop ends the watching.
func (l *Watchers) Stop(w *Watcher) {
	l.mu.Lock()
	delete(l.watchers, w)
	l.mu.Unlock()
}

// Tell passes a change on to those whom it concerns; now is nil for a lobby that is no longer listed.
func (l *Watchers) Tell(was wire.LobbyInfo, now *wire.LobbyInfo) {
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

func (w *Watcher) put(m wire.Listed) {
	w.mu.Lock()
	if _, there := w.waiting[m.Code]; !there {
		w.order = append(w.order, m.Code)
	}
	w.waiting[m.Code] = m
	w.mu.Unlock()
	w.stir()
}

func (w *Watcher) stir() {
	select {
	case w.wake <- struct{}{}:
	default:
	}
}

// listAnew has everybody list anew: anything may have changed.
func (l *Watchers) listAnew() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for w := range l.watchers {
		w.mu.Lock()
		w.anew = true
		w.mu.Unlock()
		w.stir()
	}
}

// Wake tells that there may be something to Take.
func (w *Watcher) Wake() <-chan struct{} { return w.wake }

// Take returns what has changed since the last Take, or that the lobbies are to be listed anew.
func (w *Watcher) Take() (out []wire.Listed, anew bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, c := range w.order {
		out = append(out, w.waiting[c])
	}
	anew = w.anew
	w.waiting, w.order, w.anew = map[string]wire.Listed{}, nil, false
	return out, anew
}
