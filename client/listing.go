package client

import (
	"context"
	"maps"
	"sync"

	"turnvex.example/turnvex/internal/wire"
)

// Listing is the list of open lobbies, kept up to date by the service. Its methods may be called from any goroutine.
type Listing struct {
	socket  *socket
	changed func(code string, l *Lobby)
	done    chan struct{}
	mu      sync.Mutex
	lobbies map[string]Lobby // guarded by mu
	turn    chan struct{}    // guarded by mu; closed and replaced at each change
	err     error            // guarded by mu
}

// WatchLobbies returns the lobbies that fit the filter, at most 200 to begin with, and keeps them up to date until
// Close. Changed, unless it is nil, is called for each later change, with nil for a lobby that has gone or no longer
// fits; it must not hold its goroutine up. A listing that is lost is not made again: see Done.
func (s Service) WatchLobbies(ctx context.Context, f Filter, changed func(code string, l *Lobby)) (*Listing, error) {
	sock, data, err := greet(ctx, dialling{address: s.Address},
		wire.Hello{Is: "hello", Token: s.Token, List: (*wire.Filter)(&f)})
	if err != nil {
		return nil, err
	}
	var first wire.Listing
	if err := wire.ReadLoose(sock.enc, data, &first); err != nil {
		sock.ws.Close()
		return nil, err
	}
	l := &Listing{socket: sock, changed: changed, done: make(chan struct{}), lobbies: map[string]Lobby{},
		turn: make(chan struct{})}
	for _, lob := range first.Lobbies {
		l.lobbies[lob.Code] = Lobby(lob)
	}
	go l.run()
	return l, nil
}

func (l *Listing) run() {
	defer close(l.done)
	defer l.socket.ws.Close()
	for {
		data, err := l.socket.read()
		if err == nil {
			err = l.message(data)
		}
		if err != nil {
			l.mu.Lock()
			l.err = err
			close(l.turn)
			l.mu.Unlock()
			return
		}
	}
}

// message takes one message. Those of later versions are passed over.
func (l *Listing) message(data []byte) error {
	kind, err := wire.Kind(l.socket.enc, data)
	if err != nil {
		return err
	}
	switch kind {
	case "ping":
		return take(l.socket, data, func(p *wire.Ping) error { return l.socket.say(wire.Ping{Is: "pong", N: p.N}) })
	case "listing":
		return take(l.socket, data, l.anew)
	case "listed":
		return take(l.socket, data, l.listed)
	case "bye":
		return l.socket.refusedBy(data)
	}
	return nil
}

// anew takes a listing in place of the one that there was.
func (l *Listing) anew(m *wire.Listing) error {
	there := map[string]bool{}
	for i := range m.Lobbies {
		there[m.Lobbies[i].Code] = true
		l.listed(&wire.Listed{Code: m.Lobbies[i].Code, Lobby: &m.Lobbies[i]})
	}
	for code := range l.Lobbies() {
		if !there[code] {
			l.listed(&wire.Listed{Code: code})
		}
	}
	return nil
}

func (l *Listing) listed(m *wire.Listed) error {
	l.mu.Lock()
	if delete(l.lobbies, m.Code); m.Lobby != nil {
		l.lobbies[m.Code] = Lobby(*m.Lobby)
	}
	close(l.turn)
	l.turn = make(chan struct{})
	l.mu.Unlock()
	if l.changed != nil {
		l.changed(m.Code, (*Lobby)(m.Lobby))
	}
	return nil
}

// Lobby returns a lobby of the listing.
func (l *Listing) Lobby(code string) (Lobby, bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	lob, ok := l.lobbies[code]
	return lob, ok
}

// Lobbies returns all lobbies of the listing by their codes.
func (l *Listing) Lobbies() map[string]Lobby {
	l.mu.Lock()
	defer l.mu.Unlock()
	return maps.Clone(l.lobbies)
}

// Wait returns when f holds for the listing: at once or after a change.
func (l *Listing) Wait(ctx context.Context, f func(map[string]Lobby) bool) error {
	for {
		l.mu.Lock()
		ok, err, turn := f(l.lobbies), l.err, l.turn
		l.mu.Unlock()
		if ok || err != nil {
			return err
		}
		select {
		case <-turn:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Done is closed when the listing has ended; Err says why.
func (l *Listing) Done() <-chan struct{} { return l.done }

// Err returns why the listing has ended, nil while it has not.
func (l *Listing) Err() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.err
}

// Close ends the listing.
func (l *Listing) Close() {
	l.socket.ws.Close()
	<-l.done
}
