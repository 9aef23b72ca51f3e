package bench

import (
	"context"
	"fmt"
	"net"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/load"
)

// Parts are the clients of benchmarks, in processes of their own so that what they take is not counted as the
// service's.
func Parts() map[string]field.Part {
	return map[string]field.Part{"idle-clients": idleClients, "load-clients": loadClients, "frame-sink": frameSink,
		"light-clients": lightClients}
}

// idleClients connects with the codes and tokens that it reads, and waits until the input ends.
func idleClients(ctx context.Context, _ []string) error {
	var tokens []string
	var address, code, token string
	fmt.Scanln(&address)
	for {
		if n, _ := fmt.Scanln(&code, &token); n != 2 || code == "." {
			break
		}
		tokens = append(tokens, code, token)
	}
	dial := spread()
	err := load.Each(len(tokens)/2, func(i int) error {
		_, err := client.Connect(ctx,
			client.Options{Address: address, Lobby: tokens[2*i], Token: tokens[2*i+1], Dial: dial})
		return err
	})
	if err != nil {
		return err
	}
	fmt.Println("connected")
	fmt.Scanln()
	return nil
}

// idleConnections returns what a connection that waits costs the service, in bytes.
func idleConnections(ctx context.Context, t *Table, node *service.Service, n int) (float64, error) {
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
		l, err := node.Hall.Open(ctx, book, hall.Opening{Title: fmt.Sprint("Pier ", i), Linger: time.Hour})
		if err != nil {
			return 0, err
		}
		codes, lobbies = append(codes, l.Code), append(lobbies, l)
	}
	// The seats are there before: only the connections are measured. All sit down at once, since each waits for the
	// ledger, and a lobby that nobody comes into closes after a minute.
	if err := load.Each(n, func(i int) error {
		_, err := lobbies[i/seatCount].Sit(ctx, hall.Joining{Account: ins[i].Player, Name: ins[i].Name})
		return err
	}); err != nil {
		return 0, err
	}
	cmd, err := field.Command(ctx, "idle-clients")
	if err != nil {
		return 0, err
	}
	input, err := cmd.StdinPipe()
	if err != nil {
		return 0, err
	}
	output, err := cmd.StdoutPipe()
	if err != nil {
		return 0, err
	}
	before := memory(t)
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
	after := memory(t)
	input.Close()
	return (after - before) / float64(n), cmd.Wait()
}

// spread dials from many addresses of this machine in turn, because the service limits how often each may ask.
func spread() func(context.Context, string, string) (net.Conn, error) {
	var n atomic.Int64
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		i := n.Add(1)
		d := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 1, byte(i/200%200), byte(i%200+1))}}
		return d.DialContext(ctx, network, address)
	}
}
