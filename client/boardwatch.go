package client

import (
	"context"
	"slices"
	"sync"

	"turnvex.example/turnvex/internal/wire"
)

// WatchedBoard is a part of a leaderboard, kept up to date by the service. Its methods may be called from any
// goroutine.
type WatchedBoard struct {
	socket  *socket
	changed func(*BoardPage)
	done    chan struct{}
	mu      sync.Mutex
	page    BoardPage     // guarded by mu; its rows are never changed in place
	turn    chan struct{} // guarded by mu; closed and replaced at each change
	err     error         // guarded by mu
}

// WatchBoard returns a part of a leaderboard (its Season, From, Around and Rows) and keeps it up to date until Close;
// of the present season also those that follow. Changed, unless it is nil, is called after each change with the part as
// it is then; it must not hold its goroutine up. A part that is lost is not watched again: see Done.
func (s Service) WatchBoard(ctx context.Context, rulebook, board string, p Part,
	changed func(*BoardPage)) (*WatchedBoard, error) {
	sock, data, err := greet(ctx, dialling{address: s.Address}, wire.Hello{Is: "hello", Token: s.Token,
		Board: &wire.BoardWatch{Rulebook: rulebook, Board: board, Season: p.Season, From: p.From, Around: p.Around,
			Rows: p.Rows}})
	if err != nil {
		return nil, err
	}
	var first wire.Board
	if err := wire.ReadLoose(sock.enc, data, &first); err != nil {
		sock.ws.Close()
		return nil, err
	}
	w := &WatchedBoard{socket: sock, changed: changed, done: make(chan struct{}), page: first.Page,
		turn: make(chan struct{})}
	go w.run()
	return w, nil
}

func (w *WatchedBoard) run() {
	defer close(w.done)
	defer w.socket.ws.Close()
	for {
		data, err := w.socket.read()
		if err == nil {
			err = w.message(data)
		}
		if err != nil {
			w.mu.Lock()
			w.err = err
			close(w.turn)
			w.mu.Unlock()
			return
		}
	}
}

// message takes one message. Those of later versions are passed over.
func (w *WatchedBoard) message(data []byte) error {
	kind, err := wire.Kind(w.socket.enc, data)
	if err != nil {
		return err
	}
	switch kind {
	case "ping":
		return take(w.socket, data, func(p *wire.Ping) error { return w.socket.say(wire.Ping{Is: "pong", N: p.N}) })
	case "board":
		return take(w.socket, data, func(b *wire.Board) error { w.take(b.Page); return nil })
	case "ranked":
		return take(w.socket, data, w.ranked)
	case "bye":
		return w.socket.refusedBy(data)
	}
	return nil
}

// ranked puts the rows that have changed into a page of its own.
func (w *WatchedBoard) ranked(m *wire.Ranked) error {
	page := w.Page()
	page.Count, page.First = m.Count, m.First
	page.Rows = slices.Clone(page.Rows)
	for len(page.Rows) < m.Rows && m.Rows <= maxRows {
		page.Rows = append(page.Rows, BoardRow{})
	}
	page.Rows = page.Rows[:min(max(m.Rows, 0), len(page.Rows))]
	for _, s := range m.Set {
		if s.N >= 0 && s.N < len(page.Rows) {
			page.Rows[s.N] = s.Row
		}
	}
	w.take(page)
	return nil
}

// maxRows is the most rows of a part.
const maxRows = 100

func (w *WatchedBoard) take(page BoardPage) {
	w.mu.Lock()
	w.page = page
	close(w.turn)
	w.turn = make(chan struct{})
	w.mu.Unlock()
	if w.changed != nil {
		w.changed(&page)
	}
}

// Page returns the part as it is now.
func (w *WatchedBoard) Page() BoardPage {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.page
}

// Wait returns when f holds for the part: at once or after a change.
func (w *WatchedBoard) Wait(ctx context.Context, f func(BoardPage) bool) error {
	for {
		w.mu.Lock()
		page, err, turn := w.page, w.err, w.turn
		w.mu.Unlock()
		if err != nil || f(page) {
			return err
		}
		select {
		case <-turn:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Done is closed when the watching has ended; Err says why.
func (w *WatchedBoard) Done() <-chan struct{} { return w.done }

// Err returns why the watching has ended, nil while it has not.
func (w *WatchedBoard) Err() error {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.err
}

// Close ends the watching.
func (w *WatchedBoard) Close() {
	w.socket.ws.Close()
	<-w.done
}
