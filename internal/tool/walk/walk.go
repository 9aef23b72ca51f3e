// Package walk finds out which functions of the service one intent runs through, from its socket to every copy: those
// that run while an intent is answered and not while a match ticks in which nobody acts. They are counted by coverage,
// in a program that is built for it (go build -cover).
package walk

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime/coverage"
	"strings"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/service"
)

// book ticks without changing anything, until somebody scores.
const book = `turnvex: 1
name: walked
players: {least: 2, most: 2}
start: {countdown: 0s}
sheets: {player: {points: {type: integer}, still: {type: integer}}}
actions: {score: {do: [{add: me.points, by: 1}]}}
rules: [{every: 50ms, for: players, do: [{add: me.still, by: 0}]}]
phases: {play: {}}
win: {order: [{highest: me.points}]}
`

// Run starts a node over a database, brings two players into a match, and writes what ran below dir: in "idle" while
// nobody acted, in "intent" while one player's action went from the socket to both copies.
func Run(ctx context.Context, database, dir string) error {
	node, err := service.Start(ctx, service.Config{Database: database})
	if err != nil {
		return err
	}
	defer node.Stop()
	players, err := begin(ctx, node)
	if err != nil {
		return err
	}
	for told, tries := true, 0; told; tries++ { // a ping that is told meanwhile is no idling
		if tries == idleTries {
			return errors.New("the lobby does not come to rest")
		}
		os.RemoveAll(filepath.Join(dir, "idle"))
		if err := count(filepath.Join(dir, "idle"), func() error { return idle(ctx, players) }); err != nil {
			return err
		}
		told = players[0].heard("delta") || players[1].heard("delta") || players[0].told || players[1].told
	}
	return count(filepath.Join(dir, "intent"), func() error {
		intent := fmt.Sprintf(`{"is":"intent","seat":%.0f,"n":2,"do":"act","name":"score"}`, players[0].seat)
		if err := players[0].WriteMessage(websocket.TextMessage, []byte(intent)); err != nil {
			return err
		}
		for _, p := range players {
			if err := p.until(ctx, "delta"); err != nil {
				return err
			}
		}
		return players[0].until(ctx, "verdict")
	})
}

// idle lasts until each connection has carried two pings there and back, and some ticks more, so that whatever any
// message runs through has run.
func idle(ctx context.Context, players []*player) error {
	for _, p := range players {
		p.told = false
		for pings := 0; pings < 2; { // the first may have been under way before
			is, err := p.next(ctx)
			if err != nil {
				return err
			}
			p.told = p.told || is == "delta"
			if is == "ping" {
				pings++
			}
		}
	}
	time.Sleep(500 * time.Millisecond) // some ten ticks
	return nil
}

// count writes what runs meanwhile.
func count(dir string, meanwhile func() error) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	if err := coverage.ClearCounters(); err != nil {
		return fmt.Errorf("build with go build -cover -covermode=atomic: %w", err)
	}
	if err := meanwhile(); err != nil {
		return err
	}
	if err := coverage.WriteMetaDir(dir); err != nil {
		return err
	}
	return coverage.WriteCountersDir(dir)
}

// begin brings two players into a match, and returns when nothing happens in it.
func begin(ctx context.Context, node *service.Service) ([]*player, error) {
	compiled, problems := rulebook.Compile([]byte(book))
	if compiled == nil {
		return nil, problems.Errors()
	}
	l, err := node.Hall.Open(ctx, compiled, hall.Opening{Title: "Walk"})
	if err != nil {
		return nil, err
	}
	var players []*player
	for _, name := range []string{"Mara", "Joss"} {
		in, err := node.Accounts.Device(ctx, "the-device-of-"+name+"-who-walks", name, "127.0.0.1")
		if err != nil {
			return nil, err
		}
		p, err := enter(ctx, node.Address, l.Code, in.Token)
		if err != nil {
			return nil, err
		}
		players = append(players, p)
	}
	for _, p := range players {
		if err := p.WriteJSON(map[string]any{"is": "intent", "seat": p.seat, "n": 1, "do": "ready"}); err != nil {
			return nil, err
		}
		if err := p.until(ctx, "verdict"); err != nil {
			return nil, err
		}
	}
	for _, p := range players {
		p.rest()
	}
	return players, nil
}

// player is a connection that speaks JSON: a client of the project's own would run through the very functions that are
// counted.
type player struct {
	*websocket.Conn
	seat float64
	says chan string // what kinds of messages have come
	told bool        // something of the match has come while it idled
}

func enter(ctx context.Context, address, lobby, token string) (*player, error) {
	d := websocket.Dialer{Subprotocols: []string{"turnvex.v1+json"}}
	ws, _, err := d.DialContext(ctx, "ws"+strings.TrimPrefix(address, "http")+"/v1/live", nil)
	if err != nil {
		return nil, err
	}
	p := &player{Conn: ws, says: make(chan string, 100)}
	if err := p.WriteJSON(map[string]any{"is": "hello", "lobby": lobby, "token": token}); err != nil {
		return nil, err
	}
	var welcome struct{ Seats []struct{ Seat float64 } }
	if err := p.ReadJSON(&welcome); err != nil || len(welcome.Seats) != 1 {
		return nil, fmt.Errorf("the welcome is %+v: %w", welcome, err)
	}
	p.seat = welcome.Seats[0].Seat
	go p.listen()
	return p, nil
}

func (p *player) listen() {
	defer close(p.says)
	for {
		var m struct {
			Is string
			N  float64
		}
		if p.ReadJSON(&m) != nil {
			return
		}
		if m.Is == "ping" {
			p.WriteJSON(map[string]any{"is": "pong", "n": m.N})
		}
		p.says <- m.Is
	}
}

// until waits for a message of a kind.
func (p *player) until(ctx context.Context, is string) error {
	for {
		if said, err := p.next(ctx); err != nil {
			return fmt.Errorf("no %q came: %w", is, err)
		} else if said == is {
			return nil
		}
	}
}

// next takes the next message that comes.
func (p *player) next(ctx context.Context) (is string, err error) {
	select {
	case is, more := <-p.says:
		if !more {
			return "", errors.New("the connection has ended")
		}
		return is, nil
	case <-ctx.Done():
		return "", ctx.Err()
	}
}

// heard takes what has come, and tells whether a message of a kind was among it.
func (p *player) heard(is string) (heard bool) {
	for {
		select {
		case said := <-p.says:
			heard = heard || said == is
		default:
			return heard
		}
	}
}

// idleTries is how often an idle while is looked for.
const idleTries = 60

// rest takes what comes until nothing comes any more.
func (p *player) rest() {
	for {
		select {
		case <-p.says:
		case <-time.After(time.Second):
			return
		}
	}
}
