package bench

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/load"
)

func liveBenchmarks() []Benchmark {
	return []Benchmark{
		{"live-encode", "a tick of a 100-player match made into deltas for its 100 clients", encodeTick},
		{"live-delivery", "the node's processor for each delta that it delivers, against that of a bare write of as " +
			"many bytes", delivery},
		{"live-bytes", "what clients are sent against the whole state and against a JSON Merge Patch each tick",
			liveBytes},
		{"live-drawing", "how evenly others are drawn over bad networks: two ticks behind, and as Conn.Frame does",
			drawing},
		{"client-bytes", "what the TypeScript client adds to a page: minified, then with gzip, and with Brotli",
			clientBytes},
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
	t.Row("  each delta", micros(float64(r.NsPerOp())/100), "")
	t.Row("messages made for them, bytes each", fmt.Sprintf("%d, %d", made, total/len(viewers)), "")
	t.Row("allocations", fmt.Sprint(r.AllocsPerOp()), "0")
	return nil
}

// liveBytes plays real matches over real sockets.
func liveBytes(t *Table) error {
	for _, c := range []struct {
		name         string
		cfg          load.Config
		whole, patch string // what is promised
	}{
		{"the clash with 8", load.Config{Rulebook: "clash", Clients: 8, Lobby: 8, Rate: 5, For: 15 * time.Second,
			Warmup: 8 * time.Second}, "≤ 0.8 %", "≤ 15 %"},
		{"a match of 100", load.Config{Rulebook: "throng", Clients: 100, Lobby: 100, Rate: 2, For: 10 * time.Second,
			Warmup: 4 * time.Second}, "≤ 2 %", "≤ 15 %"},
		{"the clash with 8, in JSON", load.Config{Rulebook: "clash", Clients: 8, Lobby: 8, Rate: 5,
			For: 10 * time.Second, Warmup: 8 * time.Second, JSON: true}, "", ""},
	} {
		r, err := loaded(t, c.cfg)
		if err != nil {
			return err
		}
		t.Row(c.name+": bytes a second to each client", fmt.Sprintf("%.0f", r.Bytes), "")
		t.Row("  against the whole state as JSON each tick", fmt.Sprintf("%.1f %%", 100*r.ToWhole), c.whole)
		t.Row("  against a JSON Merge Patch each tick", fmt.Sprintf("%.1f %%", 100*r.ToPatch), c.patch)
		t.Row("  against that deflated, with a context kept", fmt.Sprintf("%.0f %%", 100*r.Deflated), "")
		t.Row("  processor of deflating one", micros(1000*r.Deflate), "")
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
	return loadedBy(t, cfg, "load-clients", func(string) {})
}

// loadedBy runs a load from a process that is another part of this program. Each line that it says is heard as it
// comes; the last one is the report.
func loadedBy(t *Table, cfg load.Config, part string, hear func(string)) (*load.Report, error) {
	ctx := context.Background()
	node, stop, err := t.Node(ctx)
	if err != nil {
		return nil, err
	}
	defer stop()
	for _, src := range []string{throngBook, slowBook} {
		if _, _, err := node.Library.Load(ctx, []byte(src)); err != nil {
			return nil, err
		}
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
	cmd, err := field.Command(ctx, part)
	if err != nil {
		return nil, err
	}
	cmd.Stdin = bytes.NewReader(data)
	out, err := cmd.StdoutPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		return nil, err
	}
	last := ""
	for lines := bufio.NewScanner(out); lines.Scan(); hear(last) {
		last = lines.Text()
	}
	if err := cmd.Wait(); err != nil {
		return nil, err
	}
	var r load.Report
	return &r, json.Unmarshal([]byte(last), &r)
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
