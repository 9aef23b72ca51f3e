package hall

import (
	"maps"
	"slices"
	"sync"
)

// places knows in which lobbies of this node each player has a seat, or stands in line for one.
type places struct {
	mu sync.Mutex
	of map[string]map[*Lobby]bool // guarded by mu; by account
}

func (p *places) set(account string, l *Lobby, there bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	switch {
	case there && p.of[account] == nil:
		p.of[account] = map[*Lobby]bool{l: true}
	case there:
		p.of[account][l] = true
	default:
		delete(p.of[account], l)
		if len(p.of[account]) == 0 {
			delete(p.of, account)
		}
	}
}

// forget removes a lobby from where everybody is.
func (p *places) forget(l *Lobby) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for account, in := range p.of {
		if delete(in, l); len(in) == 0 {
			delete(p.of, account)
		}
	}
}

func newPlaces() places { return places{of: map[string]map[*Lobby]bool{}} }

func (p *places) lobbies(account string) []*Lobby {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Collect(maps.Keys(p.of[account]))
}

// Where returns the lobbies of this node in which a player has a seat, or stands in line.
func (h *Hall) Where(account string) []*Lobby { return h.places.lobbies(account) }

// Has tells whether a player has a seat in the lobby, or stands in line.
func (l *Lobby) Has(account string) bool { return slices.Contains(l.hall.Where(account), l) }

// HeldFor returns the lobbies of this node in which a place is held for a player.
func (h *Hall) HeldFor(account string) []*Lobby { return h.held.lobbies(account) }

// Seated are the players who have seats here, or stand in line.
func (h *Hall) Seated() []string {
	h.places.mu.Lock()
	defer h.places.mu.Unlock()
	return slices.Collect(maps.Keys(h.places.of))
}

// noteHeld notes for whom places are held.
func (l *Lobby) noteHeld(now []string) {
	for _, account := range l.seats.held {
		if !slices.Contains(now, account) {
			l.hall.held.set(account, l, false)
		}
	}
	for _, account := range now {
		l.hall.held.set(account, l, true)
	}
	l.seats.held = now
}

// counted is who is counted as being in a lobby, and what gives the count back.
type counted struct {
	places func(account string, there bool) // notes that a player is here, or no more
	mu     sync.Mutex
	back   map[string]func() // guarded by mu; by account
}

// take remembers that a player has come in, and gives back what was counted for it when the place is free again.
func (c *counted) take(account string, giveBack func()) {
	if account == "" {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.back[account] != nil { // counted already
		if giveBack != nil {
			giveBack()
		}
		return
	}
	if giveBack == nil {
		giveBack = func() {}
	}
	c.back[account] = giveBack
	c.places(account, true)
}

// free gives the places back of those who are not there any more.
func (c *counted) free(there func(account string) bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for account, back := range c.back {
		if !there(account) {
			delete(c.back, account)
			c.places(account, false)
			back()
		}
	}
}

// placed tells whether a player has a seat, or a place in line.
func (l *seating) placed(account string) bool {
	return l.m.SeatOf(account) != 0 ||
		slices.ContainsFunc(l.shows.clients, func(c *Client) bool { return c.waits && c.account == account })
}
