package service_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
)

// TestOwnBody plays over a line of 90 ms each way, on flat and on tall ground with a ramp, a platform, a ceiling and a
// gate, as somebody with a speed of their own who is pushed now and then: who is steered is drawn on the way before the
// service knows of it, and never over 0.1 m from where they turn out to be then. The machine may be too slow for that
// once in a while; it is tried until it is not.
func TestOwnBody(t *testing.T) {
	for name, world := range map[string]struct{ ground, movement, fields, way, up string }{
		"flat": {"  walls: [{box: [9m, 4m, 10m, 12m]}, {circle: [4m, 5m, 1m]}, {box: [2m, 13m, 9m, 14m], " +
			"while: shut}]\n", "radius: 400mm", "", "point(0m, 1m)", ""},
		"tall": {"  tall: 6m\n  walls: [{box: [8m, 4m, 12m, 12m], tall: 1m, rises: east}, " +
			"{box: [12m, 4m, 14m, 12m], tall: 1m}, {circle: [4m, 5m, 1m], tall: 500mm}, " +
			"{box: [2m, 13m, 9m, 14m], tall: 2m, while: shut}, {box: [1m, 1m, 19m, 5m], bottom: 2m, tall: 1m}]\n",
			"radius: 400mm, jump: me.leap, gravity: 12m/s, step: 350mm",
			"    leap: {type: speed, is: \"me.plan == 1 ? 3m/s : 5m/s\", see: owner}\n", "point(0m, 1m, 1m)", ", 0m"},
	} {
		t.Run(name, func(t *testing.T) {
			hull, team := "    hull: {type", "  team:\n    points"
			book := variant(t, "  height: 20m\n", "  height: 20m\n"+world.ground,
				"movement: {speed: 10m/s}", "movement: {speed: me.pace, "+world.movement+"}", hull,
				"    pace: {type: speed, is: \"me.plan == 1 ? 4m/s : 8m/s\", see: owner}\n"+world.fields+hull,
				"  hail:\n", "  gust:\n    do: [{push: me, way: \""+world.way+"\", speed: 3m/s, lasts: 1s}]\n  hail:\n",
				team, "  match: {shut: {type: flag, start: true}}\n"+team, "lasts: 30s", "lasts: 120s",
				"[6m, 10m]", "[6m, 10m"+world.up+"]", "[14m, 10m]", "[15m, 13m"+world.up+"]")
			_, _, b := started(t, book, client.Options{
				Rough: client.Rough{Delay: 45 * time.Millisecond, Jitter: 10 * time.Millisecond}})
			draws(t, b)
		})
	}
}

// draws draws somebody who wanders until they were drawn rightly for a second and a half.
func draws(t *testing.T, c *client.Conn) {
	r := rand.New(rand.NewPCG(1, 1))
	frame := time.NewTicker(time.Second / 60)
	defer frame.Stop()
	ahead, rightly, wrong := 0, 0, 0
	for i := 0; i < 60*40 && (rightly < 90 || ahead < 30); i++ {
		<-frame.C
		switch {
		case i%25 == 0:
			at := []int64{r.Int64N(2001) - 1000, r.Int64N(2001) - 1000}
			c.Read(func(c *client.Copy) {
				if c.Parts() == 3 {
					at = append(at, r.Int64N(2)*1000)
				}
			})
			c.Send(client.Intent{Do: "steer", At: at})
		case i%140 == 60:
			c.Send(client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": r.IntN(2)}})
		case i%140 == 130:
			c.Send(client.Intent{Do: "act", Name: "gust"})
		}
		c.Frame(func(f *client.Frame) {
			x, y, _ := f.Me().Pos("pos")
			p := f.Place(f.Me())
			if max(p.X-float64(x), float64(x)-p.X, p.Y-float64(y), float64(y)-p.Y) > 300 {
				ahead++
			}
			now := f.Wrong(c.Seat())
			if rightly++; now != wrong {
				rightly, wrong = 0, now
			}
		})
	}
	if rightly < 90 || ahead < 30 {
		t.Errorf("drawn %d frames ahead, and never rightly for 90 together: %d times wrong", ahead, wrong)
	}
}

// TestWhatIsNotSentIsNotWalked: a wish to steer that fails at the call moves nobody, however long one looks.
func TestWhatIsNotSentIsNotWalked(t *testing.T) {
	_, _, c := started(t, variant(t), client.Options{})
	c.Frame(func(*client.Frame) {})
	steer := client.Intent{Do: "steer", At: []int64{1000, 0}}
	steer.Expect = []client.Expected{client.Expect("nothing", client.Whole(1))}
	if err := c.Do(soon(t), steer); err == nil {
		t.Fatal("a field that there is not is expected")
	}
	var at, first client.Place
	for began := c.ExactTick(); c.ExactTick() < began+4; {
		c.Frame(func(f *client.Frame) { at = f.Place(f.Me()) })
		if first == (client.Place{}) {
			first = at
		}
	}
	if at != first {
		t.Errorf("who has not asked for anything is drawn from %v to %v", first, at)
	}
}
