package client_test

import (
	"context"
	"fmt"
	"log"
	"slices"
	"time"

	"turnvex.example/turnvex/client"
)

// The whole way of a player: sign in, open the lobby or join it, be ready, and play. Run it twice, as two players, with
// the rulebook that "turnvex new" writes.
func Example() {
	const address, name = "http://127.0.0.1:7420", "Mara"
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	in, err := client.SignIn(ctx, address, "a-key-kept-on-the-device-of-"+name, name)
	if err != nil {
		log.Fatal(err)
	}
	svc := client.Service{Address: address, Token: in.Token}
	lobby, err := svc.OpenOrJoin(ctx, client.Opening{Rulebook: "first", Name: "pier"})
	if err != nil {
		log.Fatal(err)
	}
	conn, err := client.Connect(ctx, client.Options{Address: address, Token: in.Token, Lobby: lobby.Code})
	if err != nil {
		log.Fatal(err)
	}
	defer conn.Close()
	stop := conn.Watch(client.On{Kind: "player", Field: "points"}, func(ch client.Change) {
		fmt.Println(ch.Sheet.Text("name"), "has", ch.New.N[0])
	})
	defer stop()
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
	err = conn.Wait(ctx, func(c *client.Copy) bool {
		return !slices.ContainsFunc(c.Players(), func(p *client.Sheet) bool { return p.Int("points") == 0 })
	})
	if err != nil {
		log.Fatal(err)
	}
	fmt.Println("everybody has scored")
}

// A refusal says why, with a code that programs can go by.
func ExampleCodeOf() {
	err := fmt.Errorf("ram: %w", &client.Refusal{Code: "cooldown", Reason: "Ram is ready again in 00:01.200"})
	fmt.Println(client.CodeOf(err))
	// Output: cooldown
}

// Between finds places on the way from one tick to the next.
func ExampleBetween() {
	seen := []client.Seen{{Tick: 100, X: 1000, Y: 1000}, {Tick: 104, X: 1400, Y: 1000}}
	at := client.Between(seen, 101)
	fmt.Println(at.X, at.Y)
	// Output: 1100 1000
}

// A value of a field is shown as people read it.
func ExampleValue_Show() {
	fmt.Println(client.Thousandths(2500).Show(nil, 20, 0), client.Point(1500, 500).Show(nil, 20, 0),
		client.FormatClock(83_250))
	// Output: 2.5 (1.5, 0.5) m 01:23.250
}
