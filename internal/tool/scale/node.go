package scale

import (
	"context"
	"fmt"
	"log/slog"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/tool/load"
	"turnvex.example/turnvex/internal/wire"
)

// book is played in all of it: players who move and act, on a ground.
const book = `turnvex: 1
name: scale
players: {least: 2, most: 100, hold: 10m}
start: {countdown: 1s}
teams: {list: {amber: {title: Amber}, teal: {title: Teal}}}
ground: {width: 200m, height: 200m}
movement: {speed: 6m/s, radius: 800mm}
sheets:
  player: {hull: {type: integer, start: 100, min: 0, max: 100}, points: {type: integer}}
  team: {points: {type: integer, is: "team.members.sum(p, p.points)"}}
actions:
  ram: {aim: {kind: target, reach: 60m}, cooldown: 1s, do: [{add: target.hull, by: -1}, {add: me.points, by: 1}]}
phases: {play: {lasts: 1h}}
win: {order: [{highest: team.points}]}
`

// kinds of load that are measured, each on a node of its own.
var kinds = []struct {
	name             string
	lobbies, players int
}{{"idle lobbies, nobody in them", 10_000, 0}, {"matches of 8 at 20 ticks, all steer and act", 150, 8},
	{"matches of 100 at 20 ticks, all steer and act", 6, 100}}

const intents = 4 // a second of each player

// crowd is a hall whose players are played, and what they were sent.
type crowd struct {
	hall            *hall.Hall
	lobbies         []*hall.Lobby
	seats           []seat
	messages, bytes atomic.Int64
}

type seat struct {
	lobby   *hall.Lobby
	account string
	target  uint32
}

func oneNode(ctx context.Context, r report) error {
	for _, k := range kinds {
		lobbies := r.Size(k.lobbies, 2)
		db, stop, err := database(ctx, r)
		if err != nil {
			return err
		}
		log := slog.New(slog.DiscardHandler)
		g := ledger.New(ledger.In(db), "scale", nil, log, 0)
		c := &crowd{hall: hall.New(hall.Config{Directory: memdb.NewDirectory(), Keeper: memdb.NewKeeper(),
			Names: memdb.NewNames(), Node: "scale", Ledger: g})}
		before := heap()
		if err := c.fill(ctx, lobbies, k.players); err != nil {
			return err
		}
		c.play(ctx, r.For(3*time.Second, 50*time.Millisecond))
		memory := heap() - before
		at, was, m0, b0 := used(), wal(db), c.messages.Load(), c.bytes.Load()
		c.play(ctx, r.measured())
		own, pg := at.share(r.measured())
		each := float64(lobbies)
		r.head("one node without sockets: %d %s", lobbies, k.name)
		r.row("processor, of one core: all / one lobby", "%.1f %% / %.4f %%", own, own/each)
		r.row("memory of one lobby", "%.1f KiB", float64(memory)/each/1024)
		r.row("messages to clients a second, and bytes", "%.0f, %.0f KiB",
			float64(c.messages.Load()-m0)/r.measured().Seconds(),
			float64(c.bytes.Load()-b0)/1024/r.measured().Seconds())
		r.row("PostgreSQL, of one core, and bytes written ahead a second", "%.1f %%, %.0f KiB", pg,
			float64(wal(db)-was)/1024/r.measured().Seconds())
		c.hall.Stop()
		g.Close(ctx)
		stop()
		time.Sleep(r.For(6*time.Second, 0)) // until nothing of it is held any more
	}
	return nil
}

func heap() int64 {
	runtime.GC()
	runtime.GC() // what the first has found
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc + m.StackInuse)
}

// fill opens lobbies and lets players in, with connections that take everything at once.
func (c *crowd) fill(ctx context.Context, lobbies, players int) error {
	b, problems := rulebook.Compile([]byte(book))
	if b == nil {
		return problems.Errors()
	}
	c.lobbies = make([]*hall.Lobby, lobbies)
	var mu sync.Mutex
	return load.Each(lobbies, func(i int) error {
		l, err := c.hall.Open(ctx, b, hall.Opening{Linger: time.Hour})
		if err != nil {
			return err
		}
		c.lobbies[i] = l
		var mine []seat
		for p := range players {
			account := fmt.Sprintf("00000000-0000-4000-8000-%06d%06d", i, p)
			client, err := l.Join(ctx, hall.Joining{Account: account, Name: fmt.Sprint("Oar ", p), Enc: replica.CBOR})
			if err != nil {
				return err
			}
			client.Serve(func(list []*outbox.Frame, bye *wire.Bye) bool {
				for _, f := range list {
					c.messages.Add(1)
					c.bytes.Add(int64(len(f.Data)))
					f.Free()
				}
				client.Drained()
				return bye == nil
			}, nil)
			mine = append(mine, seat{l, account, uint32(client.First())})
			if _, err := l.Ask(ctx, account, &wire.Intent{Do: "ready"}); err != nil {
				return err
			}
		}
		for p := range mine { // each aims at the next
			mine[p].target = mine[(p+1)%len(mine)].target
		}
		mu.Lock()
		c.seats = append(c.seats, mine...)
		mu.Unlock()
		return nil
	})
}

// play lets everybody steer and act for some time.
func (c *crowd) play(ctx context.Context, long time.Duration) {
	end := time.Now().Add(long)
	if len(c.seats) == 0 {
		time.Sleep(long)
		return
	}
	gap := time.Duration(float64(time.Second) / (intents * float64(len(c.seats))))
	for next, n := time.Now(), 0; time.Now().Before(end) && ctx.Err() == nil; n++ {
		s := &c.seats[n%len(c.seats)]
		turn := n / len(c.seats)
		in := &wire.Intent{Do: "steer", At: []int64{int64(turn%5)*400 - 800, int64(turn%3)*700 - 700}}
		if turn%4 == 3 {
			in = &wire.Intent{Do: "act", Name: "ram", Target: s.target}
		}
		s.lobby.Ask(ctx, s.account, in)
		next = next.Add(gap)
		time.Sleep(time.Until(next))
	}
}
