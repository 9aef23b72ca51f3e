package siege

import (
	"context"
	"fmt"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/client"
)

// tower is a rulebook with a deck that nothing leads up to, and on which nobody jumps.
const tower = `turnvex: 1
name: tower
tick: 20
players: {least: 1, most: 8, late: seat}
start: {countdown: 0s}
ground:
  width: 60m
  height: 20m
  tall: 20m
  walls: [{box: [20m, 0m, 60m, 20m], tall: 3m}]
  spawns: [{at: [15m, 10m, 0m]}]
movement: {speed: 6m/s, claims: check, burst: 500ms}
phases: {play: {lasts: 10m}}
`

// climbers are two players who claim to hover, and to have come up to a deck. Whatever they claim, nobody leaves the
// floor.
func climbers(ctx context.Context, a *attacker) func(context.Context) {
	code, guests := a.field(ctx, tower, "tower", 2)
	return func(ctx context.Context) {
		if a.bare() {
			return
		}
		at(len(guests), func(i int) { a.climb(ctx, code, guests[i], i) })
	}
}

// climb plays a cheat of one of two kinds: claims higher and higher, and claims on the deck.
func (a *attacker) climb(ctx context.Context, lobby string, who *client.Signed, kind int) {
	var highest atomic.Int64
	c, err := client.Connect(ctx, client.Options{Address: a.target, Token: who.Token, Lobby: lobby,
		OnChange: func(ch client.Change) {
			if ch.Field != nil && ch.Field.Name == "pos" && ch.New.N[2] > highest.Load() {
				highest.Store(ch.New.N[2])
			}
		}})
	if err != nil {
		a.count(client.CodeOf(err))
		return
	}
	defer c.Close()
	c.Send(client.Intent{Do: "ready"})
	beat := time.NewTicker(50 * time.Millisecond)
	defer beat.Stop()
	for n := int64(1); ; n++ {
		select {
		case <-ctx.Done():
			if z := highest.Load(); z > 0 {
				a.breaks("a cheat of kind %d came %d mm up", kind, z)
			}
			a.count(fmt.Sprintf("kind %d stayed below", kind))
			return
		case <-c.Done():
			a.count("ended: " + client.CodeOf(c.Err()))
			return
		case <-beat.C:
			var at []int64
			c.Read(func(v *client.Copy) {
				pos, _ := v.Me().Get("pos")
				at = []int64{pos.N[0], pos.N[1], n * 300}
				if kind == 1 {
					at = []int64{min(pos.N[0]+runSpeed, 21_000), pos.N[1], 3000}
				}
			})
			c.Send(client.Intent{Do: "claim", At: at})
		}
	}
}
