package demo

import (
	"context"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"turnvex.example/turnvex/client"
)

// parties are who plays on a regatta evening, the strongest first. All names are made up.
var parties = []struct {
	name    string
	players []string
}{{"The Lamplighters", []string{"Greta Holm", "Pelle Stroud"}}, {"Low Tide", []string{"Nadia Orme", "Sol Barrow"}},
	{"Gull and Anchor", []string{"Ivo Lund", "Tess Marrow"}}, {"The Late Watch", []string{"Bram Osk", "Una Dale"}}}

// How often the demo looks whether a meeting is due, and how long it waits between two evenings.
const (
	dueEvery = 2 * time.Second
	betweens = time.Minute
)

// evening lets four parties play a bracket, and another one a while after its end, for as long as ctx lasts.
func evening(ctx context.Context, address, key string, o Options, bots *sync.WaitGroup) error {
	plan, err := os.ReadFile(filepath.Join(o.Root, "demo/series/evening.yaml"))
	if err != nil {
		return err
	}
	var entrants []client.Entrant
	for _, p := range parties {
		e := client.Entrant{Name: p.name}
		for _, name := range p.players {
			in, err := signIn(ctx, address, key, name)
			if err != nil {
				return err
			}
			e.Players = append(e.Players, in.Player)
			tokens := client.KeepFresh(address, in)
			bots.Go(func() { attend(ctx, address, tokens, o.Log) })
		}
		entrants = append(entrants, e)
	}
	in, err := client.SignInKey(ctx, address, key)
	if err != nil {
		return err
	}
	tokens := client.KeepFresh(address, in)
	bots.Go(func() {
		for wait := time.Duration(0); pause(ctx, wait); wait = dueEvery {
			token, err := tokens.Token(ctx)
			if err != nil {
				continue
			}
			operator := client.Service{Address: address, Token: token}
			list, _, err := operator.ListSeries(ctx, 1, "")
			if err != nil || len(list) > 0 && (!list[0].Over || time.Since(list[0].Opened) < betweens) {
				continue
			}
			if _, err := operator.OpenSeries(ctx, string(plan), entrants); err != nil && ctx.Err() == nil {
				o.Log.Warn("no regatta evening", "error", err)
			}
		}
	})
	return nil
}

// attend comes to each meeting that a player is due at, and plays it.
func attend(ctx context.Context, address string, tokens *client.Tokens, log *slog.Logger) {
	for pause(ctx, dueEvery) {
		token, err := tokens.Token(ctx)
		if err != nil {
			continue
		}
		s := client.Service{Address: address, Token: token}
		due, err := s.MySeries(ctx)
		if err != nil {
			continue
		}
		for _, d := range due {
			if d.Lobby == "" || d.Stage != "comes" && d.Stage != "plays" {
				continue
			}
			conn, err := client.Connect(ctx, client.Options{Address: s.Address, Token: s.Token, Lobby: d.Lobby})
			if err != nil {
				continue
			}
			err = sail(ctx, conn)
			conn.Close()
			if err != nil && ctx.Err() == nil && !errors.Is(err, context.Canceled) {
				log.Debug("a meeting has ended", "lobby", d.Lobby, "error", err)
			}
		}
	}
}

// pause waits, and tells whether ctx goes on.
func pause(ctx context.Context, d time.Duration) bool {
	select {
	case <-time.After(d):
		return true
	case <-ctx.Done():
		return false
	}
}
