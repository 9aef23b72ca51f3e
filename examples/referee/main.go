// Command referee is an example of a referee: a program that decides what a
// rulebook leaves to it. It signs in with a service key that has the scope referee,
// and here it decides whether a guess is right — which no client may know.
//
//	referee -service http://127.0.0.1:7420 -key-file referee-key -lobby K7WPQ4 -right 3
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"strings"
	"time"

	"turnvex.example/turnvex/client"
)

func main() {
	service := flag.String("service", "http://127.0.0.1:7420", "`address` of the service")
	keyFile := flag.String("key-file", "", "`file` with a service key that has the scope referee")
	lobby := flag.String("lobby", "", "join `code` of the lobby")
	right := flag.Int64("right", 1, "the guess that is `right`")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx, *service, *keyFile, *lobby, *right); err != nil {
		fmt.Fprintln(os.Stderr, "referee:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, service, keyFile, lobby string, right int64) error {
	key, err := os.ReadFile(keyFile)
	if err != nil {
		return err
	}
	in, err := client.SignInKey(ctx, service, strings.TrimSpace(string(key)))
	if err != nil {
		return err
	}
	asked := make(chan client.Decision, 16) // the callback must not wait, and Decide waits
	conn, err := client.Connect(ctx, client.Options{Address: service, Token: in.Token, Lobby: lobby, Referee: true,
		OnDecision: func(d client.Decision) { asked <- d }})
	if err != nil {
		return err
	}
	defer conn.Close()
	fmt.Println("ready to decide in", lobby)
	for {
		select {
		case d := <-asked:
			decide(ctx, conn, d, right)
		case <-conn.Done():
			return conn.Err()
		case <-ctx.Done():
			return nil
		}
	}
}

// decide looks at what the rulebook tells of the guess, and answers.
func decide(ctx context.Context, conn *client.Conn, d client.Decision, right int64) {
	name := "somebody"
	conn.Read(func(c *client.Copy) { name = c.Seat(d.Seat).Text("name") })
	guess, _ := d.Tell["guess"].(int64)
	yes := guess == right
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	fmt.Printf("%s of %s: %d, so %v: ", d.Action, name, guess, yes)
	if err := conn.Decide(ctx, d.No, yes); err != nil {
		fmt.Println("it did not count:", err)
		return
	}
	fmt.Println("counted")
}
