package bus

import (
	"log/slog"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/tool/trial"
)

func start(t *testing.T, name, secret string, routes ...string) *Bus {
	t.Helper()
	b, err := Start(Options{Name: name, Subject: "test", Secret: strings.Repeat(secret, 20),
		Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.Close)
	b.Routes(routes)
	return b
}

// hears returns what a node is told about a topic.
func hears(b *Bus, topic string) <-chan string {
	got := make(chan string, 10)
	b.On(topic, func(from, what string) { got <- from + " " + what })
	return got
}

// until tells again and again until it is heard: who listens becomes known to others a moment later.
func until(t *testing.T, b *Bus, what string, heard <-chan string) {
	t.Helper()
	again, end := time.NewTicker(20*time.Millisecond), time.NewTimer(30*time.Second*trial.Patience)
	defer again.Stop()
	for {
		b.Tell("lobbies", what)
		select {
		case got := <-heard:
			if got == b.name+" "+what {
				return
			}
		case <-again.C:
		case <-end.C:
			t.Fatalf("%s is not heard", what)
		}
	}
}

// TestThreeNodes: what one tells, all others hear, also those that know of each other only through a third; who tells
// does not hear it. A node that comes later is reached, and one with another secret reaches nobody.
func TestThreeNodes(t *testing.T) {
	a := start(t, "a", "s")
	b := start(t, "b", "s", a.Address())
	c := start(t, "c", "s", a.Address())
	stranger := start(t, "x", "z", a.Address())
	own, other, third, strange := hears(a, "lobbies"), hears(b, "lobbies"), hears(c, "lobbies"), hears(stranger,
		"lobbies")
	until(t, a, "one", other)
	until(t, a, "two", third)
	until(t, b, "three", third)
	until(t, c, "four", own)
	d := start(t, "d", "s")
	late := hears(d, "lobbies")
	c.Routes([]string{a.Address(), d.Address()})
	until(t, b, "five", late)
	if a.Peers() != 3 || stranger.Peers() != 0 {
		t.Errorf("a reaches %d nodes, the stranger %d", a.Peers(), stranger.Peers())
	}
	for len(own) > 0 {
		if got := <-own; strings.HasPrefix(got, "a ") {
			t.Errorf("who tells hears %q", got)
		}
	}
	if len(strange) > 0 {
		t.Errorf("a node with another secret hears %q", <-strange)
	}
}
