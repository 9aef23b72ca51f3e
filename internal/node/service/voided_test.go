package service_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
)

// TestSigningOutEndsConnections: a sign-out, a sign-out everywhere, a new password, a ban, a deletion and a revoked key
// end the connections and the access tokens that they void, on every node, and no others.
func TestSigningOutEndsConnections(t *testing.T) {
	second := another(t, service.Config{})
	op := operator(t)
	device := fmt.Sprint("a-device-to-sign-out-", time.Now().UnixNano())
	sign := func() *client.Signed {
		t.Helper()
		in, err := client.SignIn(soon(t), node.Address, device, "Mara")
		if err != nil {
			t.Fatal(err)
		}
		return in
	}
	code := lobby(t, player(t, "Joss"), client.Opening{Rulebook: "duel"})
	lists := func(address, token string) *bare { // a connection that stays without a seat
		b := bareTo(t, address, map[string]any{"token": token, "list": map[string]any{}}, 0)
		b.next("listing")
		return b
	}
	ends := func(what string, in *client.Signed, address string, connections ...*bare) {
		t.Helper()
		for _, b := range connections {
			b.SetReadDeadline(time.Now().Add(20 * time.Second))
			for err := error(nil); err == nil; _, _, err = b.ReadMessage() {
			}
		}
		err := client.Service{Address: address, Token: in.Token}.Call(soon(t), "GET", "/v1/me", nil, nil)
		wants(t, what+": the token", err, "bad-token")
	}

	one, login := sign(), fmt.Sprint("mara-", time.Now().UnixNano())
	if err := as(one).MakeAccount(soon(t), login, "seven wet lanterns"); err != nil {
		t.Fatal(err)
	}
	two, err := client.SignInAccount(soon(t), node.Address, login, "seven wet lanterns", "")
	if err != nil {
		t.Fatal(err)
	}
	seat := join(t, two, client.Options{Lobby: code})
	kept := lists(node.Address, two.Token)
	gone := lists(second.Address, one.Token)
	if err := as(one).SignOut(soon(t), one.Refresh); err != nil {
		t.Fatal(err)
	}
	ends("signed out", one, second.Address, gone)
	if err := as(two).Call(soon(t), "GET", "/v1/me", nil, nil); err != nil {
		t.Errorf("the other sign-in: %v", err)
	}

	three := sign()
	if err := as(three).SignOutEverywhere(soon(t)); err != nil {
		t.Fatal(err)
	}
	ends("signed out everywhere", two, node.Address, kept)
	select {
	case <-seat.Done():
		wants(t, "the seat's connection", seat.Err(), "bad-token")
	case <-soon(t).Done():
		t.Error("the seat's connection goes on")
	}

	banned := sign()
	out := lists(second.Address, banned.Token)
	if err := op.BanPlayer(soon(t), banned.Player,
		client.Ban{Why: "rammed the pier", Tell: "no ramming here"}); err != nil {
		t.Fatal(err)
	}
	out.SetReadDeadline(time.Now().Add(20 * time.Second))
	for err := error(nil); err == nil; _, _, err = out.ReadMessage() {
	}
	_, err = client.SignIn(soon(t), node.Address, device, "Mara")
	if wants(t, "signing in, banned", err, "shut-out"); !strings.Contains(err.Error(), ": no ramming here") {
		t.Errorf("who is banned reads %v", err)
	}
	if err := op.UnbanPlayer(soon(t), banned.Player, ""); err != nil {
		t.Fatal(err)
	}

	four := sign()
	since := lists(node.Address, four.Token) // signed in since: it goes on until the player is deleted
	if err := as(four).DeleteMe(soon(t)); err != nil {
		t.Fatal(err)
	}
	ends("deleted", four, second.Address, since)

	name := "watcher " + fresh()
	key, err := op.MakeKey(soon(t), name, "read")
	if err != nil {
		t.Fatal(err)
	}
	eye, err := client.SignInKey(soon(t), second.Address, key.Key)
	if err != nil {
		t.Fatal(err)
	}
	looking := lists(second.Address, eye.Token)
	if err := op.RevokeKey(soon(t), name); err != nil {
		t.Fatal(err)
	}
	ends("a revoked key", eye, second.Address, looking)
}
