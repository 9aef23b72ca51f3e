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
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/load"
)

// delivery measures what a delivered delta costs this process as a node, everything that leads to it included, and what
// it costs to write as many bytes to as many sockets at the same pace. Other processes are the clients.
func delivery(t *Table) error {
	for _, size := range []int{8, 100} {
		cfg := load.Config{Rulebook: "throng", Clients: t.Size(1000, 8), Lobby: size, For: 10 * time.Second,
			Warmup: 5 * time.Second}
		r, used, err := loadedLightly(t, cfg)
		if err != nil {
			return err
		}
		deltas := r.Messages * used.over.Seconds()
		bare, err := barely(t, cfg.Clients, size, int(r.Bytes/(r.Messages/float64(r.Clients))))
		if err != nil {
			return err
		}
		per := func(n float64) float64 { return n / deltas }
		what := fmt.Sprintf("%d clients in matches of %d", r.Clients, size)
		t.Row(what+", deltas a second", fmt.Sprintf("%.0f", r.Messages), "")
		t.Row("  processor for each", micros(per(float64(used.processor))), "")
		t.Row("  of a bare write", micros(bare), "")
		t.Row("  against a bare write", times(per(float64(used.processor))/bare), "≤ 1.6 ×")
		t.Row("  the busiest millisecond of a tick, against the mean", times(r.Busiest), "≤ 1.3 ×")
		t.Row("  waits for each", fmt.Sprintf("%.2f", per(float64(used.waits))), "")
		cfg.Rulebook = "slow"
		fewer, slow, err := loadedLightly(t, cfg)
		if err != nil {
			return err
		}
		t.Row("  with positions in each second tick, deltas against those in each",
			times(fewer.Messages/r.Messages), "")
		share := func(u usage) float64 { return float64(u.processor) / float64(u.over) }
		t.Row("  and processor",
			times(share(slow)/share(used)), "≤ 0.5 ×")
	}
	return nil
}

// slowBook is the throng with positions that are sent half as often.
var slowBook = strings.NewReplacer("name: throng", "name: slow", "radius: 800mm", "radius: 800mm, update: 100ms").
	Replace(throngBook)

// usage is what this process has used in a time.
type usage struct {
	processor time.Duration
	waits     int64 // times that a thread had nothing to do
	over      time.Duration
}

// using counts from now on; the function returns what has been used since.
func using() func() usage {
	var before syscall.Rusage
	syscall.Getrusage(syscall.RUSAGE_SELF, &before)
	began := time.Now()
	return func() usage {
		var after syscall.Rusage
		syscall.Getrusage(syscall.RUSAGE_SELF, &after)
		sum := func(r *syscall.Rusage) time.Duration { return time.Duration(r.Utime.Nano() + r.Stime.Nano()) }
		return usage{sum(&after) - sum(&before), after.Nvcsw - before.Nvcsw, time.Since(began)}
	}
}

// loadedLightly runs light clients in a process of their own against a node in this one, and returns what this one has
// used while they were measured.
func loadedLightly(t *Table, cfg load.Config) (r *load.Report, used usage, err error) {
	so := func() usage { return usage{} }
	r, err = loadedBy(t, cfg, "light-clients", func(line string) {
		if line == "measuring" {
			so = using()
		} else {
			used = so()
		}
	})
	return r, used, err
}

// lightClients is the other side of loadedLightly.
func lightClients(ctx context.Context, _ []string) error {
	var cfg load.Config
	if err := json.NewDecoder(os.Stdin).Decode(&cfg); err != nil {
		return err
	}
	load.Quiet()
	cfg.Progress = func(what string) {
		if what == "measuring" {
			fmt.Println(what)
		}
	}
	r, err := load.Light(ctx, cfg, "patch")
	if err != nil {
		return err
	}
	return json.NewEncoder(os.Stdout).Encode(r)
}

// barely is the processor, in nanoseconds, of each write of so many bytes to one of so many sockets, each twenty times
// a second, in groups as large as matches.
func barely(t *Table, conns, group, size int) (float64, error) {
	sockets, stop, err := sinks(conns)
	if err != nil {
		return 0, err
	}
	defer stop()
	frame := append([]byte{0x82, 126, byte(size >> 8), byte(size)}, bytes.Repeat([]byte{'x'}, size)...)
	rounds := t.Size(160, 4)
	var failed error
	began, so := time.Now(), using()
	groups := (conns + group - 1) / group
	for n := range rounds * groups {
		time.Sleep(time.Until(began.Add(time.Duration(n) * 50 * time.Millisecond / time.Duration(groups))))
		first := n % groups * group
		for _, ws := range sockets[first:min(first+group, conns)] {
			if _, err := ws.NetConn().Write(frame); err != nil {
				failed = err
			}
		}
	}
	return float64(so().processor) / float64(rounds*conns), failed
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
