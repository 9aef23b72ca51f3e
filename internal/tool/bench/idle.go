package bench

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"sync/atomic"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/load"
)

// Child is what the benchmark's own program does when it is started as the
// clients of a benchmark, so that their memory is not the service's. It tells
// whether it was.
func Child() bool {
	switch os.Getenv("TURNVEX_BENCH_CHILD") {
	case "":
		return false
	case "load":
		loadChild()
		return true
	case "sink":
		sinkChild()
		return true
	}
	dial := spread()
	var tokens []string
	var address, code, token string
	fmt.Scanln(&address)
	for {
		if n, _ := fmt.Scanln(&code, &token); n != 2 || code == "." {
			break
		}
		tokens = append(tokens, code, token)
	}
	conns := make([]*client.Conn, len(tokens)/2)
	err := load.Each(len(conns), func(i int) (err error) {
		conns[i], err = client.Connect(
			context.Background(),
			client.Options{Address: address, Lobby: tokens[2*i], Token: tokens[2*i+1], Dial: dial},
		)
		return err
	})
	if err != nil {
		fmt.Println(err)
		return true
	}
	fmt.Println("connected")
	fmt.Scanln() // until the input ends
	return true
}

// idleConnections returns what a connection that waits costs the service, in bytes.
func idleConnections(ctx context.Context, node *service.Service) (float64, error) {
	const n = 2000
	book, err := node.Library.Book("clash")
	if err != nil {
		return 0, err
	}
	ins, err := signIn(ctx, node, n)
	if err != nil {
		return 0, err
	}
	var codes []string
	var lobbies []*hall.Lobby
	for i := range n / seatCount {
		l, err := node.Hall.Open(ctx, book, hall.Opening{Title: fmt.Sprint("Pier ", i)})
		if err != nil {
			return 0, err
		}
		codes, lobbies = append(codes, l.Code), append(lobbies, l)
	}
	for i, in := range ins { // the seats are there before: only the connection is measured
		if _, err := lobbies[i/seatCount].Sit(ctx, hall.Joining{Account: in.Player, Name: in.Name}); err != nil {
			return 0, err
		}
	}
	cmd := exec.CommandContext(ctx, os.Args[0])
	cmd.Env = append(os.Environ(), "TURNVEX_BENCH_CHILD=idle")
	cmd.Stderr = os.Stderr
	input, err := cmd.StdinPipe()
	if err != nil {
		return 0, err
	}
	output, err := cmd.StdoutPipe()
	if err != nil {
		return 0, err
	}
	before := memory()
	if err := cmd.Start(); err != nil {
		return 0, err
	}
	fmt.Fprintln(input, node.Address)
	for i, in := range ins {
		fmt.Fprintln(input, codes[i/seatCount], in.Token)
	}
	fmt.Fprintln(input, ". .")
	var said string
	if fmt.Fscanln(output, &said); said != "connected" {
		return 0, fmt.Errorf("the clients say %q", said)
	}
	after := memory()
	input.Close()
	return (after - before) / n, cmd.Wait()
}

// spread dials from many addresses of this machine in turn, because the service
// limits how often each may ask.
func spread() func(context.Context, string, string) (net.Conn, error) {
	var n atomic.Int64
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		i := n.Add(1)
		d := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 1, byte(i/200%200), byte(i%200+1))}}
		return d.DialContext(ctx, network, address)
	}
}
