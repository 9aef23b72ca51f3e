package client_test

import (
	"context"
	"fmt"
	"log"
	"time"

	"turnvex.example/turnvex/client"
)

// The whole way of a player: sign in, open a lobby, join it, and play.
func Example() {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	const address = "http://127.0.0.1:7420"
	in, err := client.SignIn(ctx, address, "a-device-key-made-at-random", "Mara")
	if err != nil {
		log.Fatal(err)
	}
	svc := client.Service{Address: address, Token: in.Token}
	lobby, err := svc.Open(ctx, client.Opening{Rulebook: "first"})
	if err != nil {
		log.Fatal(err)
	}
	conn, err := client.Connect(ctx, client.Options{Address: address, Token: in.Token, Lobby: lobby.Code})
	if err != nil {
		log.Fatal(err)
	}
	defer conn.Close()
	if err := conn.Do(ctx, client.Intent{Do: "ready"}); err != nil {
		log.Fatal(err)
	}
	err = conn.Wait(ctx, func(c *client.Copy) bool { return c.Match().Text("phase") == "play" })
	if err != nil {
		log.Fatal(err)
	}
	if err := conn.Do(ctx, client.Intent{Do: "act", Name: "score"}); err != nil {
		log.Fatal(err)
	}
	conn.Read(func(c *client.Copy) { fmt.Println("points:", c.Me().Int("points")) })
}

// Connect keeps a copy up to date and comes back by itself when the connection is lost.
func ExampleConnect() {
	ctx := context.Background()
	conn, err := client.Connect(ctx, client.Options{Address: "http://127.0.0.1:7420", Token: "…", Lobby: "K7WPQ4",
		OnNotice: func(n client.Notice) { fmt.Println(n.Name, n.With) }})
	if err != nil {
		log.Fatal(err)
	}
	defer conn.Close()
	stop := conn.Watch(client.On{Kind: "player", Field: "hull"}, func(ch client.Change) {
		fmt.Println(ch.Sheet.Text("name"), ch.Old.N[0], "->", ch.New.N[0])
	})
	defer stop()
	<-conn.Done()
}

// A refusal says why, with a code that programs can go by.
func ExampleCodeOf() {
	err := fmt.Errorf("ram: %w", &client.Refusal{Code: "cooldown", Reason: "Ram is ready again in 00:01.200"})
	fmt.Println(client.CodeOf(err))
	// Output: cooldown
}

// Between shows movement smoothly, a tick or two behind what has come.
func ExampleBetween() {
	seen := []client.Seen{{Tick: 100, X: 1000, Y: 1000}, {Tick: 104, X: 1400, Y: 1000}}
	x, y := client.Between(seen, 101)
	fmt.Println(x, y)
	// Output: 1100 1000
}

// A value of a field is shown as people read it.
func ExampleValue_Show() {
	fmt.Println(
		client.Thousandths(2500).Show(nil, 20, 0),
		client.Point(1500, 500).Show(nil, 20, 0),
		client.FormatClock(83_250),
	)
	// Output: 2.5 (1.5, 0.5) m 01:23.250
}
