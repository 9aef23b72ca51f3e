// Package client is the Go client of a Turnvex service: it signs in, opens and
// lists lobbies over HTTP, and keeps a live connection with a copy of everything
// the player may see.
//
//	in, err := client.SignIn(ctx, address, deviceKey, "Mara")
//	conn, err := client.Connect(ctx, client.Options{Address: address, Token: in.Token, Lobby: "K7WPQ4"})
//	err = conn.Do(ctx, client.Intent{Do: "ready"})
//	err = conn.Wait(ctx, func(c *client.Copy) bool { return c.Match().Text("phase") == "play" })
//
// A connection that is lost is made again by itself, with the same seats, for as
// long as the service holds them; intents that were not answered are sent again
// and are not done twice.
package client
