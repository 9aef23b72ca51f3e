package handover

import (
	"context"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/hall"
)

// giveAtOnce is how many lobbies are being handed over at the same time.
const giveAtOnce = 8

// giveAway hands the lobbies of this node to others of its region, if there are any, those with the fewest first;
// series go together with their lobbies to one node.
func (h *Handover) giveAway(ctx context.Context) {
	others := h.c.Cluster.Others(h.c.Cluster.Self.Region)
	all := h.c.Hall.All()
	if len(others) == 0 || len(all) == 0 {
		return
	}
	h.c.Log.Info("the lobbies are handed to other nodes", "lobbies", len(all), "nodes", len(others))
	to := func(m cluster.Member) hall.Destination { return hall.Destination{Node: m.Name, Address: m.Address} }
	turns := make(chan struct{}, giveAtOnce)
	var under sync.WaitGroup
	for i, l := range all {
		dest := others[i%len(others)]
		if h.c.Series.Plays(l.ID) {
			dest = others[0]
		}
		turns <- struct{}{}
		safe.In(&under, "hand a lobby over", func() {
			defer func() { <-turns }()
			if err := h.Give(ctx, l, to(dest)); err != nil {
				h.c.Log.Warn("a lobby could not be handed over", "lobby", l.Code, "to", dest.Name, "error", err)
			}
		})
		if ctx.Err() != nil {
			break
		}
	}
	under.Wait()
	if err := h.c.Series.Give(ctx, others[0].Name); err != nil {
		h.c.Log.Warn("the series could not be handed over", "to", others[0].Name, "error", err)
	}
	h.c.Tell(others[0].Name)
}

// Give hands one lobby to another node.
func (h *Handover) Give(ctx context.Context, l *hall.Lobby, to hall.Destination) error {
	err := l.Give(ctx, to)
	if err == nil {
		h.c.Tell(to.Node)
	}
	return err
}

// Stop hands the lobbies of a node that stops to others, if there are any; what is left goes on at the next start, or
// where it is taken over.
func (h *Handover) Stop() {
	ctx, over := context.WithTimeout(context.Background(), giveWithin)
	defer over()
	err := h.c.Cluster.Drain(ctx)
	if err != nil {
		h.c.Log.Warn("the node could not say that it stops", "error", err)
		return
	}
	h.c.Hall.Drain()
	h.giveAway(ctx)
}

// giveWithin is the time in which a node that stops hands its lobbies to others.
const giveWithin = 20 * time.Second
