package api

import (
	"net/http"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// maxListed is how many lobbies a live listing begins with.
const maxListed = 200

// serveListing sends the listing and what changes in it, until the connection
// ends.
func (c *conn) serveListing(r *http.Request) {
	w := c.s.Hall.Listing.Watch(*c.list) // before reading, so that nothing falls between
	defer c.s.Hall.Listing.Stop(w)
	page, err := c.s.Directory.List(r.Context(), directory.Query{Filter: *c.list, Limit: maxListed}, c.s.Hall.Fresh)
	if err != nil {
		c.refuse(err)
		return
	}
	if c.say(wire.Listing{Is: "listing", Lobbies: page.Lobbies}) != nil {
		return
	}
	gone := make(chan error, 1)
	c.limit = newInputLimit(0)
	go func() { gone <- c.reader(onlyPongs) }()
	ping := time.NewTicker(pingEvery)
	defer ping.Stop()
	for {
		select {
		case <-w.Wake():
			for _, m := range w.Take() {
				if c.say(m) != nil {
					return
				}
			}
		case <-ping.C:
			if c.say(wire.Ping{Is: "ping", N: c.pings.Add(1)}) != nil {
				return
			}
		case err := <-gone:
			if err != nil {
				c.refuse(err)
			}
			return
		}
	}
}

// onlyPongs is what who watches the listing may send.
func onlyPongs(m any) error {
	if p, is := m.(*wire.Ping); !is || p.Is != "pong" {
		return fault.New(code.BadMessage, "who watches the listing sends pongs and nothing else")
	}
	return nil
}
