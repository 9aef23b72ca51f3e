package hall

import (
	"cmp"
	"context"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// Destination is a node to which lobbies are handed.
type Destination struct {
	Node    string
	Address string // told to the clients
}

// handing is a lobby's way to another node.
type handing struct {
	to   Destination
	done chan error
}

// Give hands the lobby to another node: it ends here as soon as nothing is under way, its state is kept, and the other
// node goes on with it. Its clients are told where. It returns when the lobby is the other node's; after an error it is
// alive here as before.
func (l *Lobby) Give(ctx context.Context, to Destination) error {
	h := &handing{to, make(chan error, 1)}
	var refused error
	err := l.do(ctx, func() {
		if l.memory == nil || !l.becomes(lifeMoving) {
			refused = fault.New(code.Stopping, "the lobby is already moving, or cannot be moved")
			return
		}
		l.handing = h
		safe.After(leaveWithin, "let a lobby remain", func() { l.post(func() { l.remain(h) }) })
	})
	if err != nil || refused != nil {
		return cmp.Or(refused, err)
	}
	select {
	case err := <-h.done:
		return err
	case <-l.done:
	case <-ctx.Done():
		return ctx.Err()
	}
	select {
	case err := <-h.done:
		return err
	default: // it was taken over, or failed, before it could be handed over
		return fault.New(code.Stopping, "the lobby is not here any more")
	}
}

// remain lets the lobby stay here because something that is under way takes too long.
func (l *Lobby) remain(h *handing) {
	if l.handing != h || l.kept.idle() || !l.becomes(lifeHere) {
		return
	}
	l.handing = nil
	f := fault.New(code.Stopping, "the lobby is waiting for the database and cannot move; try again later")
	f.Left = 5
	h.done <- f
}

// handOver is the last that a lobby does which is handed to another node: when its checkpoint is kept, it is the
// other's. Where that fails, it is taken up here again.
func (l *Lobby) handOver() {
	h := l.handing
	ctx, over := context.WithTimeout(context.Background(), 2*keptWithin)
	defer over()
	err := l.hall.cfg.Ledger.Kept(ctx, l.memory.mark)
	if err == nil {
		err = l.hall.cfg.Directory.Give(ctx, l.ID, l.stay.Fence, h.to.Node)
	}
	if err != nil {
		l.log().Warn("the lobby could not be handed over, and is taken up again", "to", h.to.Node, "error", err)
		l.hall.cfg.Again(l.ID)
	}
	l.shows.endAll(byeAt(h.to, err))
	h.done <- err
}

// byeAt tells clients where their lobby is.
func byeAt(to Destination, err error) wire.Bye {
	if err != nil {
		return wire.Bye{Code: string(code.Stopping), Reason: "the lobby is taken up again in a moment", Again: true}
	}
	return wire.Bye{Code: string(code.Moved), Reason: "the lobby goes on at another node", Again: true, At: to.Address}
}

// Drop ends all lobbies without a word, and without writing anything: other nodes have taken them over. It returns when
// they have ended. None begins before Resume is called.
func (h *Hall) Drop() {
	h.mu.Lock()
	h.drops = true
	h.mu.Unlock()
	for _, l := range h.All() {
		l.becomes(lifeLost)
		l.postSoon(func() {})
		<-l.ended
	}
}

// Resume lets lobbies begin again: the node has a new lease.
func (h *Hall) Resume() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.drops = false
}

// Drain lets no lobby be opened any more.
func (h *Hall) Drain() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.drains = true
}
