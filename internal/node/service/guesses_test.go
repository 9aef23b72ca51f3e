package service_test

import (
	"fmt"
	"io"
	"net/http"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/guard"
)

// TestGuessesAreCounted: a lobby's password is tried as often as the limit says, on the socket, with a made-up key to
// come back with, and over HTTP; codes are guessed as often as it says. Whoever has a seat comes back to it all the
// same, and others come in.
func TestGuessesAreCounted(t *testing.T) {
	joss, eve := player(t, "Joss"), player(t, "Eve")
	code := lobby(t, joss, client.Opening{Rulebook: "duel", Password: "heron"})
	seat := join(t, joss, client.Options{Lobby: code, Password: "heron"}).Seat()
	tried := 0
	for i := range 8 {
		pass := fmt.Sprint("tern ", i)
		for _, hello := range []map[string]any{{}, {"resume": "made up"}, {"watch": true}} {
			hello["token"], hello["lobby"], hello["password"] = eve.Token, code, pass
			switch bye := bareTo(t, node.Address, hello, 0).next("bye", "welcome"); bye["code"] {
			case "wrong-password":
				tried++
			case "too-many-requests":
			default:
				t.Fatalf("%v: %v", hello, bye)
			}
		}
		err := as(eve).Call(soon(t), "POST", "/v1/lobbies/"+code+"/seat", map[string]string{"password": pass}, nil)
		if client.CodeOf(err) == "wrong-password" {
			tried++
		} else {
			wants(t, "a seat over HTTP", err, "too-many-requests")
		}
	}
	if tried < guard.Passwords.Most || tried > 2*guard.Passwords.Most { // there is one more each 10 s
		t.Errorf("%d passwords were tried", tried)
	}
	join(t, player(t, "Mara"), client.Options{Lobby: code, Password: "heron"})

	guessed := 0
	for i := range 2 * guard.Codes.Most {
		err := as(joss).Call(soon(t), "GET", fmt.Sprint("/v1/lobbies/ZZZZ", i), nil, nil)
		if client.CodeOf(err) == "no-such-lobby" {
			guessed++
		} else {
			wants(t, "a code", err, "too-many-requests")
		}
	}
	if guessed < guard.Codes.Most || guessed == 2*guard.Codes.Most { // one more each 5 s
		t.Errorf("%d codes were guessed", guessed)
	}
	if again := join(t, joss, client.Options{Lobby: code}).Seat(); again != seat {
		t.Errorf("back with seat %d, not %d", again, seat)
	}
}

// TestConsoleFilesAreCounted: an address gets the console's files as often as the limit says; the service goes on
// answering it, and others get the files.
func TestConsoleFilesAreCounted(t *testing.T) {
	greedy, got := from(elsewhere()), map[int]int{}
	page := func(by *http.Client) (status int) {
		resp, err := by.Get(node.Address + "/lobbies")
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		io.Copy(io.Discard, resp.Body)
		return resp.StatusCode
	}
	for n := 0; n < guard.Files.Most*2 && got[http.StatusTooManyRequests] < 3; n++ {
		got[page(greedy.HTTP)]++
	}
	if got[http.StatusOK] < guard.Files.Most || got[http.StatusTooManyRequests] != 3 ||
		page(http.DefaultClient) != http.StatusOK {
		t.Errorf("answers: %v", got)
	}
	wants(t, "a route", greedy.Call(soon(t), "GET", "/v1/rulebooks", nil, nil), "")
}
