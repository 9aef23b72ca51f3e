package load

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/fxamacker/cbor/v2"
	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/wire"
)

// Light drives a load like Run does, with clients that look at nothing which they are sent: so they cost the machine
// little, and are only counted. Each steers once a second and takes an action of the rulebook beside it, unless that is
// "". Only Messages, Bytes, Intents and Busiest of the report are measured.
func Light(ctx context.Context, cfg Config, action string) (*Report, error) {
	if err := cfg.check(); err != nil {
		return nil, err
	}
	r := &run{cfg: cfg, from: spreadFor(cfg.Service)}
	var mu sync.Mutex
	var all []*light
	defer func() {
		for _, x := range all {
			x.ws.Close()
		}
	}()
	err := r.gatherBy(ctx, func(p *player, c *crew) error {
		x, err := lightly(ctx, r, p, c)
		if err != nil {
			return err
		}
		mu.Lock()
		all = append(all, x)
		mu.Unlock()
		return nil
	})
	if err != nil {
		return nil, err
	}
	var messages, bytes, intents atomic.Int64
	var slots [slotsATick]atomic.Int64
	for _, x := range all {
		go x.count(&messages, &bytes, &slots)
	}
	began := time.Now()
	var from, to [3]int64
	now := func() [3]int64 { return [3]int64{messages.Load(), bytes.Load(), intents.Load()} }
	for n, measuring := 0, false; time.Since(began) < cfg.Warmup+cfg.For; n++ {
		if !measuring && time.Since(began) >= cfg.Warmup {
			measuring, from = true, now()
			for i := range slots {
				slots[i].Store(0)
			}
			cfg.Progress("measuring")
		}
		at := began.Add(time.Duration(n) * time.Second / time.Duration(len(all)))
		if wait := time.Until(at); wait > 0 {
			time.Sleep(wait)
		}
		sent, err := all[n%len(all)].move(action)
		if err != nil {
			return nil, err
		}
		intents.Add(sent)
	}
	to = now()
	busiest := int64(0)
	for i := range slots {
		busiest = max(busiest, slots[i].Load())
	}
	out := &Report{Clients: len(all), Lobbies: len(r.crews), Encoding: "cbor", Seconds: cfg.For.Seconds()}
	out.Messages = float64(to[0]-from[0]) / out.Seconds
	out.Bytes = float64(to[1]-from[1]) / out.Seconds / float64(len(all))
	out.Intents = float64(to[2]-from[2]) / out.Seconds
	out.Busiest = float64(busiest) * slotsATick / float64(max(to[0]-from[0], 1))
	return out, nil
}

// light is a connection that only counts what comes.
type light struct {
	ws   *websocket.Conn
	seat uint32
	n    uint64
	rng  *rand.Rand
}

// lightly connects a player, who is ready at once.
func lightly(ctx context.Context, r *run, p *player, c *crew) (*light, error) {
	dial := websocket.Dialer{Subprotocols: []string{wire.Subprotocols[replica.CBOR]},
		NetDialContext: r.from.dialer(p.no).DialContext}
	address := "ws" + strings.TrimPrefix(r.cfg.Service, "http") + "/v1/live"
	ws, _, err := dial.DialContext(ctx, address, http.Header{"Authorization": {"Bearer " + p.in.Token}})
	if err != nil {
		return nil, err
	}
	x := &light{ws: ws, rng: p.rng}
	if err := x.say(wire.Hello{Is: "hello", Lobby: c.code}); err != nil {
		return nil, err
	}
	for x.seat == 0 {
		_, data, err := ws.ReadMessage()
		if err != nil {
			return nil, err
		}
		var m struct {
			Is     string
			Reason string
			Seats  []struct{ Seat uint32 }
		}
		if cbor.Unmarshal(data, &m); m.Is == "bye" {
			return nil, fmt.Errorf("sent away: %s", m.Reason)
		}
		if m.Is == "welcome" && len(m.Seats) > 0 {
			x.seat = m.Seats[0].Seat
		}
	}
	return x, x.ask(wire.Intent{Do: "ready"})
}

func (x *light) say(v any) error {
	return x.ws.WriteMessage(websocket.BinaryMessage, wire.Encode(replica.CBOR, v))
}

func (x *light) ask(in wire.Intent) error {
	x.n++
	in.Is, in.Seat, in.N = "intent", x.seat, x.n
	return x.say(in)
}

// move steers somewhere else, and acts.
func (x *light) move(action string) (sent int64, err error) {
	err = x.ask(wire.Intent{Do: "steer", At: []int64{x.rng.Int64N(2001) - 1000, x.rng.Int64N(2001) - 1000}})
	if err != nil || action == "" {
		return 1, err
	}
	return 2, x.ask(wire.Intent{Do: "act", Name: action})
}

// slotsATick is how many parts of a tick, at twenty a second, messages are counted in by when they come: milliseconds.
const slotsATick = 50

// count reads until the connection ends.
func (x *light) count(messages, bytes *atomic.Int64, slots *[slotsATick]atomic.Int64) {
	for {
		_, r, err := x.ws.NextReader()
		if err != nil {
			return
		}
		n, err := io.Copy(io.Discard, r)
		if err != nil {
			return
		}
		messages.Add(1)
		bytes.Add(n)
		slots[time.Now().UnixMilli()%slotsATick].Add(1)
	}
}
