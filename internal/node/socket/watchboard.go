package socket

import (
	"net/http"
	"time"

	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/wire"
)

// A part of a board is told at most so often, and looked at at least so often: a season may have ended.
const (
	boardEvery = 250 * time.Millisecond
	boardLook  = time.Second
)

// serveBoard sends a part of a leaderboard and what changes in it, until the connection ends.
func (c *conn) serveBoard(r *http.Request) {
	w, page, err := c.watchBoard(r)
	if err != nil {
		c.refuse(err)
		return
	}
	defer w.Stop()
	if c.say(wire.Board{Is: "board", Page: *page}) != nil {
		return
	}
	look := time.NewTicker(boardLook)
	defer look.Stop()
	var told time.Time
	c.serveWatch(w.Wake(), look.C, onlyPongs, func() error {
		time.Sleep(boardEvery - time.Since(told))
		change, whole, err := w.Take(r.Context())
		switch {
		case err != nil:
			return err
		case whole != nil:
			told = time.Now()
			return c.tell(wire.Board{Is: "board", Page: *whole})
		case change != nil:
			told = time.Now()
			return c.tell(change)
		}
		return nil
	})
}

func (c *conn) watchBoard(r *http.Request) (*board.Watcher, *board.Page, error) {
	book, err := c.s.Library.Book(c.board.Rulebook)
	if err != nil {
		return nil, nil, err
	}
	ref, err := board.Of(book, c.board.Board)
	if err != nil {
		return nil, nil, err
	}
	q := board.Query{Season: c.board.Season, From: c.board.From, Around: c.board.Around, Limit: c.board.Rows,
		Titles: board.Sides(book)}
	if q.Limit == 0 {
		q.Limit = 20
	}
	if q.Around == "me" {
		q.Around = c.who.Player
	}
	return c.s.Boards.Watch(r.Context(), ref, q)
}
