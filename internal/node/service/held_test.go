package service_test

import (
	"net"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/guard"
)

// TestSeatsHeldAtOnce: a player has seats in so many lobbies at once, whoever asks a hundred
// times at once as well, and another one as soon as one is given up; coming back to a seat is
// not counted.
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

// TestSocketsOfAnAddress: one address has so many connections, of whatever kind; one too many
// is closed at once, and a place is free again when one ends.
func TestSocketsOfAnAddress(t *testing.T) {
	from := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, 9, 1)}}
	address := strings.TrimPrefix(node.Address, "http://")
	most := guard.Sockets.Most
	guard.Sockets.Most = 5
	t.Cleanup(func() { guard.Sockets.Most = most })
	dial := func() net.Conn {
		c, err := from.DialContext(soon(t), "tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		c.SetReadDeadline(time.Now().Add(time.Minute))
		return c
	}
	answers := func(c net.Conn) bool {
		c.Write([]byte("GET /health HTTP/1.1\r\nHost: x\r\n\r\n"))
		n, _ := c.Read(make([]byte, 100))
		return n > 0
	}
	var all []net.Conn
	for range 5 {
		all = append(all, dial())
	}
	for i, c := range all {
		if !answers(c) {
			t.Errorf("connection %d is not answered", i)
		}
	}
	if c := dial(); answers(c) {
		t.Error("one too many is answered")
	}
	for _, c := range all {
		c.Close()
	}
	for !answers(dial()) {
		if soon(t).Err() != nil {
			t.Fatal("no place is given back")
		}
	}
}
