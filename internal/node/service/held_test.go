package service_test

import (
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/guard"
)

// TestSeatsHeldAtOnce: a player has seats in so many lobbies at once, whoever asks a hundred times at once as well, and
// another one as soon as one is given up; coming back to a seat is not counted.
func TestSeatsHeldAtOnce(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	var codes []string
	for range guard.Seats.Most + 3 {
		codes = append(codes, lobby(t, joss, client.Opening{Rulebook: "duel"}))
	}
	sit := func(code string) error {
		return as(mara).Call(soon(t), "POST", "/v1/lobbies/"+code+"/seat", map[string]any{}, nil)
	}
	errs := make(chan error)
	for _, code := range codes {
		go func() { errs <- sit(code) }()
	}
	var in int
	for range codes {
		switch err := <-errs; client.CodeOf(err) {
		case "":
			in++
		case "too-many-requests":
		default:
			t.Error(err)
		}
	}
	if in != guard.Seats.Most {
		t.Fatalf("%d seats at once", in)
	}
	var mine, free string
	for _, code := range codes {
		if c, err := connect(t, mara, client.Options{Lobby: code}); err == nil { // back to a seat of hers
			mine = code
			c.Close()
		} else {
			wants(t, "one too many", err, "too-many-requests")
			free = code
		}
	}
	if err := as(mara).Call(soon(t), "DELETE", "/v1/lobbies/"+mine+"/seat", nil, nil); err != nil {
		t.Fatal(err)
	}
	for sit(free) != nil { // the lobby gives the place back when it publishes
		if soon(t).Err() != nil {
			t.Fatal("no place is given back")
		}
	}
}

// TestHeldPlacesCount: a place that quick join holds counts as a seat of everybody in the party, and once they have
// come it does not count twice.
func TestHeldPlacesCount(t *testing.T) {
	book := variant(t)
	mara, joss := player(t, "Mara"), player(t, "Joss")
	quick := func(goal int) (*client.FoundLobby, error) {
		return as(mara).QuickJoin(soon(t), client.Quick{Rulebook: book, Party: []string{pass(t, joss)},
			Options: map[string]any{"goal": goal}})
	}
	var last *client.FoundLobby
	for i := range guard.Seats.Most {
		var err error
		if last, err = quick(i + 1); err != nil {
			t.Fatal(i, err)
		}
	}
	_, err := quick(99)
	wants(t, "one place more for the party", err, "too-many-requests")
	_, err = as(joss).QuickJoin(soon(t), client.Quick{Rulebook: book})
	wants(t, "one place more for who was brought along", err, "too-many-requests")
	join(t, mara, client.Options{Lobby: last.Code})
	join(t, joss, client.Options{Lobby: last.Code})
}
