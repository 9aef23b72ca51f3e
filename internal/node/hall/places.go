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

// Where returns the lobbies of this node in which a player has a seat, or stands in line.
func (h *Hall) Where(account string) []*Lobby {
	h.places.mu.Lock()
	defer h.places.mu.Unlock()
	return slices.Collect(maps.Keys(h.places.of[account]))
}

// Seated are the players who have seats here, or stand in line.
func (h *Hall) Seated() []string {
	h.places.mu.Lock()
	defer h.places.mu.Unlock()
	return slices.Collect(maps.Keys(h.places.of))
}

// takesPlace remembers that a player has come in, and gives back what was counted for it when
// the place is free again.
func (l *Lobby) takesPlace(account string, giveBack func()) {
	if account == "" {
		return
	}
	if l.holds[account] != nil { // counted already
		if giveBack != nil {
			giveBack()
		}
		return
	}
	if giveBack == nil {
		giveBack = func() {}
	}
	l.holds[account] = giveBack
	l.hall.places.set(account, l, true)
}

// noteHolds gives back the places of players who have neither a seat nor a place in line.
func (l *Lobby) noteHolds() {
	for account, back := range l.holds {
		if l.m.SeatOf(account) == 0 && !slices.ContainsFunc(l.clients, func(c *Client) bool {
			return c.waits && c.account == account
		}) {
			l.freePlace(account, back)
		}
	}
}

func (l *Lobby) freePlace(account string, back func()) {
	delete(l.holds, account)
	l.hall.places.set(account, l, false)
	back()
}

// emptyHolds gives all places back when the lobby has closed.
func (l *Lobby) emptyHolds() {
	for account, back := range l.holds {
		l.freePlace(account, back)
	}
}
