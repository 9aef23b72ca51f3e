package deaths

import (
	"context"
	"errors"
	"fmt"
	"syscall"
	"time"

	"turnvex.example/turnvex/client"
)

// takeOver kills the node once more, with another one beside it, and says when that one answers for its lobbies.
func takeOver(ctx context.Context, n *node, lobbies int, row func(what, value, goal string)) error {
	other := &node{Node: n.Node}
	other.Listen, other.Name = "127.0.0.1:0", "node2"
	if err := other.start(ctx); err != nil {
		return err
	}
	defer func() { other.end(syscall.SIGTERM) }()
	list, err := client.Service{Address: n.Address}.Lobbies(ctx, client.Filter{Rulebook: "spark"}, "", 100, "")
	if err != nil {
		return err
	}
	time.Sleep(n.settled) // as a node that has run for a while
	n.end(syscall.SIGKILL)
	began := time.Now()
	var first time.Duration
	at := client.Service{Address: other.Address}
	for i := 0; i < len(list.Lobbies); {
		_, err := at.Lobby(ctx, list.Lobbies[i].Code)
		switch {
		case err == nil:
			if i == 0 {
				first = time.Since(began)
			}
			i++
		case time.Since(began) > time.Minute:
			return errors.New("the lobbies of a node that is dead are not taken over within a minute")
		}
		time.Sleep(pollEvery)
	}
	took := time.Since(began) - time.Duration(len(list.Lobbies)-1)*pollEvery
	row(fmt.Sprintf("killed beside another node, its %d lobbies are alive there", lobbies),
		fmt.Sprintf("%s (the first asked "+
			"for after %s)", max(took, first).Round(10*time.Millisecond), first.Round(10*time.Millisecond)), "5 s")
	return nil
}

// pollEvery is how often a node is asked for a lobby.
const pollEvery = 25 * time.Millisecond
