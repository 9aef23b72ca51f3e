package directory

import (
	"context"
	"maps"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// Idle tells whether nobody watches.
func (l *Watchers) Idle() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return len(l.watchers) == 0
}

// Look tells those who watch the listing on a node how some lobbies stand now; a key is the name of the node on which a
// lobby was, its join code and its ID. Of its own lobbies the node tells by itself. Without keys, everybody is to list
// anew.
func (d *Directory) Look(ctx context.Context, to *Watchers, node string, keys []string) error {
	if keys == nil {
		to.listAnew()
		return nil
	}
	asked := map[string]string{} // join codes, by the IDs of lobbies
	for _, k := range keys {
		if of := strings.Fields(k); len(of) == 3 && of[0] != node {
			asked[of[2]] = of[1]
		}
	}
	var rows []store.Lobby
	err := d.db.WithContext(ctx).Order("closed_at is null").Find(&rows, "id in ?", slices.Collect(maps.Keys(asked))).
		Error
	if err != nil {
		return err
	}
	for i := range rows { // those that have closed come first: their codes may be used again
		r := &rows[i]
		delete(asked, r.ID)
		if r.Node != node {
			info := infoOf(r)
			to.tellFar(&info, r.Listed && r.ClosedAt == nil)
		}
	}
	for _, joinCode := range asked { // of which there is no row any more
		to.tellFar(&wire.LobbyInfo{Code: joinCode}, false)
	}
	return nil
}

// tellFar passes on what a lobby of another node is now, whatever it was before.
func (l *Watchers) tellFar(now *wire.LobbyInfo, listed bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for w := range l.watchers {
		switch {
		case listed && w.filter.Matches(now):
			w.put(wire.Listed{Is: "listed", Code: now.Code, Lobby: now})
		case w.filter.Rulebook == "" || w.filter.Rulebook == now.Rulebook || now.Rulebook == "":
			w.put(wire.Listed{Is: "listed", Code: now.Code, Gone: true})
		}
	}
}
