package siege

import (
	"context"
	"fmt"
	"math"
	"sync"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/field"
)

// open is a rulebook whose positions clients claim, on a ground that nobody comes to the end of.
const open = `turnvex: 1
name: open_field
tick: 20
players: {least: 1, most: 8, late: seat}
start: {countdown: 0s}
ground: {width: 1000m, height: 200m, spawns: [{at: [10m, 100m]}]}
movement: {speed: 6m/s, radius: 500mm, claims: check, burst: 500ms}
phases: {play: {lasts: 10m}}
`

// The top speed, in millimetres a tick, and what is saved up at most, in ticks.
const runSpeed, runBurst = 300, 10

// runners are six players who claim to be farther than they can have come, each in their own way. Whatever they claim,
// between no two ticks may anybody get farther than at the top speed in that time and a burst.
func runners(ctx context.Context, a *attacker) func(context.Context) {
	code, guests := a.field(ctx, open, "open_field", 6)
	return func(ctx context.Context) {
		if a.bare() {
			return
		}
		at(len(guests), func(i int) { a.run(ctx, code, guests[i], i) })
	}
}

// field opens a lobby of a rulebook of the siege's own, and signs players in for it, the host first.
func (a *attacker) field(ctx context.Context, book, name string, players int) (code string, guests []*client.Signed) {
	key, err := client.SignInKey(ctx, a.node, field.OperatorKey)
	if err == nil {
		err = client.Service{Address: a.node, Token: key.Token}.Call(ctx, "POST", "/v1/rulebooks", []byte(book), nil)
	}
	if err != nil {
		panic(err)
	}
	for range players {
		guests = append(guests, a.guest(ctx))
	}
	lobby, err := client.Service{Address: a.node, Token: guests[0].Token}.Open(ctx, client.Opening{Rulebook: name})
	if err != nil {
		panic(err)
	}
	return lobby.Code, guests
}

// track is where a player was.
type track struct {
	mu     sync.Mutex
	ticks  []int64 // guarded by mu
	points [][2]int64
}

// gain is how much farther somebody came than they may, at most, in millimetres, between any two ticks.
func (t *track) gain() (most float64) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for i := range t.ticks {
		for j := i + 1; j < len(t.ticks); j++ {
			far := math.Hypot(float64(t.points[j][0]-t.points[i][0]), float64(t.points[j][1]-t.points[i][1]))
			most = max(most, far-runSpeed*float64(t.ticks[j]-t.ticks[i]+runBurst))
		}
	}
	return most
}

// run plays a cheat of one of six kinds.
func (a *attacker) run(ctx context.Context, lobby string, who *client.Signed, kind int) {
	var t track
	var c *client.Conn
	ready := make(chan struct{})
	c, err := client.Connect(ctx, client.Options{Address: a.target, Token: who.Token, Lobby: lobby,
		OnTick: func(tick int64) {
			if <-ready; c == nil {
				return
			}
			c.Read(func(v *client.Copy) {
				if pos, ok := v.Me().Get("pos"); ok && v.Me().Flag("alive") {
					t.mu.Lock()
					defer t.mu.Unlock()
					t.ticks, t.points = append(t.ticks, tick), append(t.points, [2]int64{pos.N[0], pos.N[1]})
				}
			})
		}})
	close(ready)
	if err != nil {
		a.count(client.CodeOf(err))
		return
	}
	defer c.Close()
	c.Send(client.Intent{Do: "ready"})
	beat := time.NewTicker([]time.Duration{50, 5, 50, 300, 50, 20}[kind] * time.Millisecond)
	defer beat.Stop()
	for n := 0; ; n++ {
		select {
		case <-ctx.Done():
			if gain := t.gain(); gain > 1 {
				a.breaks("a cheat of kind %d came %.0f mm farther than the burst allows", kind, gain)
			}
			a.count(fmt.Sprintf("kind %d came %d m", kind, t.whole()/1000))
			return
		case <-c.Done():
			a.count("ended: " + client.CodeOf(c.Err()))
			return
		case <-beat.C:
			a.step(c, kind, n)
		}
	}
}

// whole is how far it is from the first point to the last, in millimetres.
func (t *track) whole() int64 {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.points) == 0 {
		return 0
	}
	first, last := t.points[0], t.points[len(t.points)-1]
	return int64(math.Hypot(float64(last[0]-first[0]), float64(last[1]-first[1])))
}

// step is one claim of a cheat: twice as fast as it may be; a flood of small steps; steering and claiming at once;
// leaps of the whole burst, twice as often as it fills; a leap across the field; back and forth.
func (a *attacker) step(c *client.Conn, kind, n int) {
	var x, y int64
	c.Read(func(v *client.Copy) {
		pos, _ := v.Me().Get("pos")
		x, y = pos.N[0], pos.N[1]
	})
	switch far := []int64{2 * runSpeed, runSpeed / 8, runSpeed, 10 * runSpeed, 500_000, runSpeed}[kind]; {
	case kind == 5 && n%2 == 1:
		x -= far
	default:
		x += far
	}
	if kind == 2 {
		c.Send(client.Intent{Do: "steer", At: []int64{1000, 0}})
	}
	c.Send(client.Intent{Do: "claim", At: []int64{x, y}})
}
