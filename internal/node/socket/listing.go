package socket

import (
	"errors"
	"net/http"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// maxListed is how many lobbies a live listing begins with.
const maxListed = 200

// serveListing sends the listing and what changes in it, until the connection ends.
func (c *conn) serveListing(r *http.Request) {
	w := c.s.Hall.Listing.Watch(*c.list) // before reading, so that nothing falls between
	defer c.s.Hall.Listing.Stop(w)
	list := func() error {
		page, err := c.s.Directory.List(r.Context(), directory.Query{Filter: *c.list, Limit: maxListed}, c.s.Hall.Fresh)
		if err != nil {
			return err
		}
		return c.tell(wire.Listing{Is: "listing", Lobbies: page.Lobbies})
	}
	if err := list(); err != nil {
		if !errors.Is(err, errLost) {
			c.refuse(err)
		}
		return
	}
	c.serveWatch(w.Wake(), nil, onlyPongs, func() error {
		changes, anew := w.Take()
		if anew {
			return list()
		}
		for _, m := range changes {
			if err := c.tell(m); err != nil {
				return err
			}
		}
		return nil
	})
}

// serveWatch tells what has changed each time that it is woken, or that look gives, and takes what comes, until the
// connection ends. An error of tell or take ends it.
func (c *conn) serveWatch(wake <-chan struct{}, look <-chan time.Time, take func(any) error, tell func() error) {
	gone := make(chan error, 1)
	if c.limit == nil {
		c.limit = newInputLimit(0)
	}
	safe.Go("read a connection", func() { gone <- c.reader(take) })
	ping := time.NewTicker(pingEvery)
	defer ping.Stop()
	for {
		var err error
		select {
		case <-wake:
			err = tell()
		case <-look:
			err = tell()
		case <-ping.C:
			err = c.tell(wire.Ping{Is: "ping", N: c.pings.Add(1)})
		case err = <-gone:
			if err == nil {
				return
			}
		}
		if err != nil {
			if !errors.Is(err, errLost) {
				c.refuse(err)
			}
			return
		}
	}
}

// errLost says that the connection is gone, which is nobody's fault.
var errLost = errors.New("the connection is lost")

func (c *conn) tell(v any) error {
	if c.say(v) != nil {
		return errLost
	}
	return nil
}

// onlyPongs is what who watches may send.
func onlyPongs(m any) error {
	if p, is := m.(*wire.Ping); !is || p.Is != "pong" {
		return fault.New(code.BadMessage, "a watching connection may only send pongs")
	}
	return nil
}
