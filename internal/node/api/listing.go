package api

import (
	"net/http"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// maxListed is how many lobbies a live listing begins with.
const maxListed = 200

// serveListing sends the listing and what changes in it, until the connection
// ends.
func (c *conn) serveListing(r *http.Request) {
	w := c.s.Hall.Listing.Watch(*c.list) // before reading, so that nothing falls between
	defer c.s.Hall.Listing.Stop(w)
	var rows []store.Lobby
	err := wanted(c.s.DB.WithContext(r.Context()), c.list).Order(orders["newest"].by).Limit(maxListed).Find(&rows).Error
	if err != nil {
		c.refuse(err)
		return
	}
	first := wire.Listing{Is: "listing", Lobbies: []wire.LobbyInfo{}}
	for i := range rows {
		info := hall.Info(&rows[i])
		if c.s.Hall.Fresh(&info); c.list.Matches(&info) {
			first.Lobbies = append(first.Lobbies, info)
		}
	}
	if c.say(first) != nil {
		return
	}
	gone := make(chan error, 1)
	go func() { gone <- c.reader(newInputLimit(0), onlyPongs) }()
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
func onlyPongs(kind string, _ []byte) error {
	if kind != "pong" {
		return fault.New(code.BadMessage, "who watches the listing sends pongs and nothing else, not %s", kind)
	}
	return nil
}
