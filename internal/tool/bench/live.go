package bench

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"sync"
	"testing"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/socket"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/load"
	"turnvex.example/turnvex/internal/wire"
)

func liveBenchmarks() []Benchmark {
	return []Benchmark{
		{"live-encode", "a tick of a 100-player match made into deltas for its 100 clients", encodeTick},
		{
			"live-fanout",
			"frames through the service's connections against a bare loop that writes the same frames to the same " +
				"sockets",
			fanOut,
		},
		{"live-bytes", "what clients are sent against the whole state and against a JSON Merge Patch each tick",
			liveBytes},
		{"live-latency", "an intent's way to every replica, with 1,000 clients on one node", liveLatency},
	}
}

// throngBook is a rulebook for 100 players who move and act.
const throngBook = `
turnvex: 1
name: throng
title: The Throng
players: {least: 2, most: 100}
spectators: {most: 20}
start: {countdown: 1s}
teams: {list: {amber: {title: Amber}, teal: {title: Teal}}}
ground: {width: 200m, height: 200m}
movement: {speed: 6m/s, radius: 800mm}
sheets:
  player:
    hull: {type: integer, start: 100, min: 0, max: 100}
    wind: {type: number, start: 50, min: 0, max: 50, see: owner}
    points: {type: integer}
  team:
    points: {type: integer, is: "team.members.sum(p, p.points)"}
actions:
  ram: {aim: {kind: target, reach: 60m}, cooldown: 1s, do: [{add: target.hull, by: -10}, {add: me.points, by: 1}]}
  patch: {cooldown: 1s, do: [{add: me.hull, by: 30}]}
phases: {play: {lasts: 1h}}
win: {order: [{highest: team.points}]}
`

// encodeTick measures the feed alone: no sockets, no authority.
func encodeTick(t *Table) error {
	b, problems := rulebook.Compile([]byte(throngBook))
	if b == nil {
		return problems
	}
	m := lobby.New(b, lobby.Setup{Code: "THRNG2", Seed: 1})
	feed := replica.NewFeed(replica.NewFace(b.Schema, nil))
	var desk replica.Desk
	var viewers [100]replica.Viewer
	for i := range viewers {
		seat := m.Step(&step.Input{Kind: step.Enter, Acct: fmt.Sprint(i), Name: fmt.Sprint("Skiff ", i)}).Seat
		viewers[i] = replica.Viewer{Enc: replica.CBOR, View: replica.View{Seats: []sheet.ID{seat}}}
	}
	st := m.Store()
	feed.Begin(&desk, st, st.Changes(), 0)
	for i := range viewers {
		feed.Snapshot(nil, &viewers[i], st, 0)
	}
	feed.End()
	st.ClearChanges()
	f, hull := b.F.Player.Pos, b.Schema.Field(sheet.Player, "hull")
	frame, made, total := make([]byte, 0, 64<<10), 0, 0
	now := sheet.Tick(0)
	r := best(3, func(tb *testing.B) {
		tb.ReportAllocs()
		for tb.Loop() {
			now++
			for i, p := range st.Of(sheet.Player) {
				st.SetPos(p, f, int64(now)*7%90_000+int64(i), int64(now)*3%80_000)
				if i%10 == 0 {
					st.SetInt(p, hull, int64(now)%100)
				}
			}
			feed.Begin(&desk, st, st.Changes(), now)
			made, total = 0, 0
			first := replica.Plan{}
			for i := range viewers {
				plan := feed.Plan(&viewers[i])
				if i > 0 && !plan.Own && plan.Key == first.Key {
					viewers[i].On = now
				} else {
					frame = feed.Write(frame[:0], &viewers[i], &plan)
					made++
				}
				first, total = plan, total+len(frame)
			}
			feed.End()
			st.ClearChanges()
		}
	})
	t.Row("100 clients, 100 moving", micros(float64(r.NsPerOp())), "")
	t.Row("messages made for them, bytes each", fmt.Sprintf("%d, %d", made, total/len(viewers)), "")
	t.Row("allocations", fmt.Sprint(r.AllocsPerOp()), "0")
	return nil
}

// liveBytes plays real matches over real sockets.
func liveBytes(t *Table) error {
	for _, c := range []struct {
		name    string
		cfg     load.Config
		promise bool
	}{
		{"the clash with 8", load.Config{Rulebook: "clash", Clients: 8, Lobby: 8, Rate: 5, For: 15 * time.Second,
			Warmup: 8 * time.Second}, true},
		{"a match of 100", load.Config{Rulebook: "throng", Clients: 100, Lobby: 100, Rate: 2, For: 10 * time.Second,
			Warmup: 4 * time.Second}, true},
		{"the clash with 8, in JSON", load.Config{Rulebook: "clash", Clients: 8, Lobby: 8, Rate: 5,
			For: 10 * time.Second, Warmup: 8 * time.Second, JSON: true}, false},
	} {
		r, err := loaded(t, c.cfg)
		if err != nil {
			return err
		}
		whole, patch := "", ""
		if c.promise {
			whole, patch = "≤ 5 %", "≤ 40 %"
		}
		t.Row(c.name+": bytes a second to each client", fmt.Sprintf("%.0f", r.Bytes), "")
		t.Row("  against the whole state as JSON each tick", fmt.Sprintf("%.1f %%", 100*r.ToWhole), whole)
		t.Row("  against a JSON Merge Patch each tick", fmt.Sprintf("%.1f %%", 100*r.ToPatch), patch)
	}
	return nil
}

func liveLatency(t *Table) error {
	r, err := loaded(t, load.Config{Rulebook: "clash", Clients: 1000, Lobby: 8, Rate: 1, For: 20 * time.Second,
		Warmup: 10 * time.Second})
	if err != nil {
		return err
	}
	t.Row("deltas and intents a second", fmt.Sprintf("%.0f, %.0f", r.Messages, r.Intents), "")
	t.Row("from an intent to its verdict, half / 99 of 100",
		fmt.Sprintf("%.1f / %.1f ms", r.Verdict.Half, r.Verdict.Most), "")
	t.Row("from an intent to every replica, half / 99 of 100",
		fmt.Sprintf("%.1f / %.1f ms", r.Replica.Half, r.Replica.Most), "≤ tick + 3 ms (53 ms)")
	t.Row("replicas within a tick and 3 ms", fmt.Sprintf("%.2f %%", 100*r.WithinTick), "99 %")
	t.Row("connections lost", fmt.Sprint(r.Lost), "0")
	return nil
}

// loaded runs a load from a process of its own against a node in this one.
func loaded(t *Table, cfg load.Config) (*load.Report, error) {
	ctx := context.Background()
	node, stop, err := t.Node(ctx)
	if err != nil {
		return nil, err
	}
	defer stop()
	if _, _, err := node.Library.Load(ctx, []byte(throngBook)); err != nil {
		return nil, err
	}
	cfg.Service, cfg.Real, cfg.Seed = node.Address, true, 1
	if t.Short {
		cfg.Rulebook, cfg.Clients, cfg.Lobby = "throng", 8, 4
		cfg.Warmup, cfg.For = 1200*time.Millisecond, time.Second
	}
	data, err := json.Marshal(cfg)
	if err != nil {
		return nil, err
	}
	cmd, err := field.Command(ctx, "load-clients")
	if err != nil {
		return nil, err
	}
	cmd.Stdin = bytes.NewReader(data)
	out, err := cmd.Output()
	if err != nil {
		return nil, err
	}
	var r load.Report
	return &r, json.Unmarshal(out, &r)
}

// loadClients is the other side of loaded.
func loadClients(ctx context.Context, _ []string) error {
	var cfg load.Config
	if err := json.NewDecoder(os.Stdin).Decode(&cfg); err != nil {
		return err
	}
	load.Quiet()
	r, err := load.Run(ctx, cfg)
	if err != nil {
		return err
	}
	return json.NewEncoder(os.Stdout).Encode(r)
}

// fanOut writes frames to sockets in two ways, in turns: as the lobbies' loops and connections do, and in a loop that
// does nothing else. Another process reads them.
func fanOut(t *Table) error {
	const ahead = 8
	conns, rounds := t.Size(200, 4), t.Size(4000, 32)
	sockets, stop, err := sinks(conns)
	if err != nil {
		return err
	}
	defer stop()
	for _, size := range []int{100, 1000} {
		data := bytes.Repeat([]byte{'x'}, size)
		raw := append([]byte{0x82, 126, byte(size >> 8), byte(size)}, data...)
		if size < 126 {
			raw = append([]byte{0x82, byte(size)}, data...)
		}
		ours, bare := time.Duration(0), time.Duration(0)
		for range 4 { // in turns, so that the machine's noise meets both
			d, err := throughBoxes(sockets, data, rounds/4, ahead)
			if err != nil {
				return err
			}
			ours += d
			began := time.Now()
			for range rounds / 4 {
				for _, ws := range sockets {
					if _, err := ws.NetConn().Write(raw); err != nil {
						return err
					}
				}
			}
			bare += time.Since(began)
		}
		rate := func(d time.Duration) string { return fmt.Sprintf("%.0f", float64(conns*rounds)/d.Seconds()) }
		t.Row(fmt.Sprintf("frames of %d bytes a second through the service", size), rate(ours), "")
		t.Row("  in a bare loop", rate(bare), "")
		t.Row("  the service against the loop", times(bare.Seconds()/ours.Seconds()), "≥ 0.80 ×")
	}
	return nil
}

// throughBoxes puts frames into a box for each connection, from which a writer of its own takes them, and waits until
// all are written.
func throughBoxes(sockets []*websocket.Conn, data []byte, rounds, ahead int) (time.Duration, error) {
	var all, round sync.WaitGroup
	errs := make(chan error, len(sockets))
	boxes := make([]*outbox.Box, len(sockets))
	for i, ws := range sockets {
		boxes[i] = outbox.NewBox(&wire.Bye{Code: "too-slow"})
		all.Add(1)
		boxes[i].Serve(func(list []*outbox.Frame, bye *wire.Bye) bool {
			if err := socket.WriteFrames(ws, list, 10*time.Second); err != nil {
				errs <- err
			}
			for range list {
				round.Done()
			}
			if bye != nil {
				all.Done()
			}
			return true
		})
	}
	began := time.Now()
	for i := range rounds {
		round.Add(len(sockets))
		f := outbox.New(replica.CBOR)
		f.Data = append(f.Data, data...)
		for _, b := range boxes {
			b.Put(f.Hold())
		}
		f.Free()
		if i%ahead == ahead-1 {
			round.Wait()
		}
	}
	round.Wait()
	took := time.Since(began)
	for _, b := range boxes {
		b.End(wire.Bye{})
	}
	all.Wait()
	select {
	case err := <-errs:
		return 0, err
	default:
		return took, nil
	}
}

// sinks opens WebSockets to another process that reads them and nothing else.
func sinks(n int) ([]*websocket.Conn, func(), error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, nil, err
	}
	arrived := make(chan *websocket.Conn)
	up := websocket.Upgrader{WriteBufferPool: &sync.Pool{}, WriteBufferSize: 4096}
	go http.Serve(l, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if ws, err := up.Upgrade(w, r, nil); err == nil {
			arrived <- ws
		}
	}))
	cmd, err := field.Command(context.Background(), "frame-sink")
	if err != nil {
		return nil, nil, err
	}
	input, err := cmd.StdinPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		return nil, nil, err
	}
	fmt.Fprintln(input, l.Addr(), n)
	out := make([]*websocket.Conn, n)
	for i := range out {
		out[i] = <-arrived
	}
	return out, func() {
		for _, ws := range out {
			ws.Close()
		}
		input.Close()
		cmd.Wait()
		l.Close()
	}, nil
}

// frameSink opens connections and reads what comes without looking at it.
func frameSink(context.Context, []string) error {
	var address string
	var n int
	fmt.Scanln(&address, &n)
	for range n {
		ws, _, err := websocket.DefaultDialer.Dial("ws://"+address, nil)
		if err != nil {
			return err
		}
		go io.Copy(io.Discard, ws.NetConn())
	}
	fmt.Scanln() // until the input ends
	return nil
}
