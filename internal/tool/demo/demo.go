// Package demo runs the Lantern Regatta: a service with the demo rulebooks, and skiffs that play through the real
// client and the real socket.
package demo

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/rehearse"
)

// Options say how to run the demo.
type Options struct {
	Root   string // of the project
	Data   string // a folder for the database and the operator's key; "" for the project's own
	Short  bool   // it stops once a result is saved
	Listen string
	Out    io.Writer
	Log    *slog.Logger
}

// crews are the demo's lobbies and who plays in each. All names are made up.
var crews = []struct {
	rulebook, title string
	names           []string
	options         map[string]any
}{
	{"clash", "Lantern Regatta: the clash", []string{"Mara Quill", "Joss Fenwick", "Odile Tarn", "Pim Harrow"},
		map[string]any{"minutes": 0.5}},
	{"bell", "Lantern Regatta: the bell", []string{"Ines Marl", "Tobin Reeve", "Wanda Loch"}, nil},
	{"course", "Lantern Regatta: the course", []string{"Ruben Ask", "Lotte Brine"}, nil},
	{"pier", "Lantern Regatta: the pier", []string{"Sanne Holt", "Birk Avery"}, nil},
	{"market", "Lantern Regatta: the night market", []string{"Hanna Lowe", "Piet Sorrel", "Wim Tallis"}, nil},
	{"quays", "Lantern Regatta: the quays", []string{"Edda Vane", "Milo Crane", "Runa Pike", "Otis Fell"}, nil},
}

// Run starts everything, says how to use it, and stops all of it when ctx ends.
func Run(ctx context.Context, o Options) error {
	say := func(format string, args ...any) { fmt.Fprintf(o.Out, format+"\n", args...) }
	began := time.Now()
	if err := free(o.Listen); err != nil {
		return err
	}
	root, err := filepath.Abs(o.Root)
	if err != nil {
		return err
	}
	folder := cmp.Or(o.Data, pgbox.Folder(root))
	say("Starting PostgreSQL in %s", filepath.Join(folder, "demo"))
	box, err := pgbox.Start(ctx, pgbox.Options{Dir: filepath.Join(folder, "demo")})
	if err != nil {
		return err
	}
	defer func() { say("Stopping PostgreSQL"); box.Stop() }()
	key, err := operatorKey(filepath.Join(folder, "operator-key"))
	if err != nil {
		return err
	}
	say("Starting the service on %s", o.Listen)
	svc, err := service.Start(ctx, service.Config{Rehearse: rehearse.Served, Listen: o.Listen,
		Database: box.Address, Region: "harbour",
		Rulebooks: filepath.Join(o.Root, "demo/rulebooks"), AcceptKept: true, OperatorKey: key, Log: o.Log})
	if err != nil {
		return err
	}
	defer func() { say("Stopping the service: lobbies are saved, and go on at the next start"); svc.Stop() }()
	at := time.Now()
	if made, err := past(ctx, svc); err != nil {
		return err
	} else if made {
		say("Made up %d skippers and %d matches of the last %d days (%.1f s)", skippers, pastPlays, pastDays,
			time.Since(at).Seconds())
	}
	var bots sync.WaitGroup
	ctx, cancel := context.WithCancel(ctx)
	defer bots.Wait()
	defer cancel()
	say("Eighteen skiffs put out, and eight come for the regatta evening")
	codes, err := launch(ctx, svc.Address, key, &bots, o.Log)
	if err != nil {
		return err
	}
	if err := evening(ctx, svc.Address, key, o, &bots); err != nil {
		return err
	}
	welcome(o, svc.Address, key, codes["clash"], time.Since(began))
	if o.Short {
		return played(ctx, svc.Address, codes["course"]) // whose matches are the shortest
	}
	select {
	case <-ctx.Done():
	case err = <-svc.Failed():
	}
	say("")
	return err
}

// played returns when a lobby has a saved result.
func played(ctx context.Context, address, code string) error {
	for pause(ctx, dueEvery/4) {
		list, err := client.Service{Address: address}.Matches(ctx, url.Values{"lobby": {code}, "limit": {"1"}})
		if err != nil || len(list) > 0 {
			return err
		}
	}
	return ctx.Err()
}

// free tells early and clearly when the address is taken.
func free(listen string) error {
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf(
			"the address %s cannot be used (%w): stop what uses it, or choose another one with "+
				"TURNVEX_LISTEN=127.0.0.1:PORT ./dev demo",
			listen,
			errors.Unwrap(err),
		)
	}
	return l.Close()
}

// operatorKey reads the demo's operator key, which the first start makes.
func operatorKey(file string) (string, error) {
	data, err := os.ReadFile(file)
	if err == nil {
		return strings.TrimSpace(string(data)), nil
	}
	if !errors.Is(err, os.ErrNotExist) {
		return "", err
	}
	key := newKey()
	return key, os.WriteFile(file, []byte(key+"\n"), 0o600)
}

func welcome(o Options, address, key, code string, took time.Duration) {
	service := ""
	if address != "http://127.0.0.1:7420" {
		service = " -service " + address
	}
	fmt.Fprintf(o.Out, `
The Lantern Regatta is running (ready in %.1f s).

  Console            %s/#key=%s
  Join the clash     ./bin/turnvex join%s %s
  Watch it           ./bin/turnvex watch%s %s
  See all lobbies    ./bin/turnvex lobbies%s
  See the results    ./bin/turnvex results%s

Ctrl-C stops all of it. What was played is kept for the next start.
`, took.Seconds(), address, key, service, code, service, code, service, service)
}

// launch opens the lobbies and sends the skiffs in. It returns the join codes by rulebook.
func launch(ctx context.Context, address, key string, bots *sync.WaitGroup, log *slog.Logger) (map[string]string,
	error) {
	codes := map[string]string{}
	for _, crew := range crews {
		var tokens []string
		for _, name := range crew.names {
			in, err := signIn(ctx, address, key, name)
			if err != nil {
				return nil, err
			}
			tokens = append(tokens, in.Token)
		}
		code, conns, err := aboard(ctx, address, tokens, client.Opening{
			Rulebook: crew.rulebook, Name: "regatta", Title: crew.title, Options: crew.options})
		if err != nil {
			return nil, err
		}
		codes[crew.rulebook] = code
		for _, conn := range conns {
			bots.Go(func() {
				defer conn.Close()
				if err := sail(ctx, conn); err != nil && ctx.Err() == nil {
					log.Warn("a skiff has stopped", "lobby", code, "error", err)
				}
			})
		}
	}
	return codes, nil
}

// aboard brings a crew into a lobby of the demo. One that was kept may close while they come, when its players have
// been away for too long: then they get a new one.
func aboard(ctx context.Context, address string, tokens []string, o client.Opening) (code string, conns []*client.Conn,
	err error) {
	for end := time.Now().Add(harbourWithin); ; {
		l, err := harbour(ctx, client.Service{Address: address, Token: tokens[0]}, o)
		if err != nil {
			return "", nil, err
		}
		for _, token := range tokens {
			conn, refused := client.Connect(ctx, client.Options{Address: address, Token: token, Lobby: l.Code})
			if err = refused; err != nil {
				break
			}
			conns = append(conns, conn)
		}
		if err == nil {
			return l.Code, conns, nil
		}
		for _, conn := range conns {
			conn.Close()
		}
		conns = nil
		gone := client.CodeOf(err) == "lobby-gone" || client.CodeOf(err) == "no-such-lobby"
		if !gone || time.Now().After(end) || !pause(ctx, harbourEvery) {
			return "", nil, err
		}
	}
}

// signIn signs a demo player in, by a device whose key follows from the demo's secret.
func signIn(ctx context.Context, address, key, name string) (*client.Signed, error) {
	return client.SignIn(ctx, address, key+strings.ReplaceAll(name, " ", "-"), name)
}

// How long, and how often, the demo asks for a lobby that another node had, which is being taken over.
const (
	harbourWithin = 30 * time.Second
	harbourEvery  = 250 * time.Millisecond
)

// harbour returns a lobby of the demo, or opens it.
func harbour(ctx context.Context, s client.Service, o client.Opening) (l *client.FoundLobby, err error) {
	for end := time.Now().Add(harbourWithin); ; {
		l, err = s.OpenOrJoin(ctx, o)
		if client.CodeOf(err) != "stopping" || time.Now().After(end) {
			return l, err
		}
		select {
		case <-time.After(harbourEvery):
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}
