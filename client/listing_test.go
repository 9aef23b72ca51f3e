package client_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestListingAgainstTheProtocol plays a service's listing: what there is at first and what changes is kept, a message
// of a later version is passed over, a ping is answered, and it ends with the reason that the service gives.
func TestListingAgainstTheProtocol(t *testing.T) {
	ctx := trial.Within(t, 20*time.Second)
	f := newFake(t)
	type made struct {
		l   *client.Listing
		err error
	}
	ready, told := make(chan made, 1), make(chan string, 8)
	go func() {
		l, err := client.Service{
			Address: f.address,
			Token:   "token",
		}.WatchLobbies(ctx, client.Filter{Rulebook: "clash", Free: 2}, func(code string, l *client.Lobby) {
			if l == nil {
				code = "no more " + code
			}
			told <- code
		})
		ready <- made{l, err}
	}()
	if hello := f.accept(); hello["token"] != "token" || fmt.Sprint(hello["list"]) != "map[free:2 rulebook:clash]" {
		t.Errorf("hello is %v", hello)
	}
	f.say(`{"is":"listing","lobbies":[{"code":"AAAAAA","free":3},{"code":"BBBBBB","free":2}],"of_a_later_version":1}`)
	m := <-ready
	if m.err != nil {
		t.Fatal(m.err)
	}
	defer m.l.Close()
	if b, ok := m.l.Lobby("BBBBBB"); !ok || b.Free != 2 || len(m.l.Lobbies()) != 2 {
		t.Errorf("at first: %v", m.l.Lobbies())
	}
	f.say(`{"is":"of_a_later_version","x":[1,2]}`)
	f.say(`{"is":"listed","code":"CCCCCC","lobby":{"code":"CCCCCC","free":8}}`)
	f.say(`{"is":"listed","code":"AAAAAA","gone":true}`)
	if err := m.l.Wait(ctx, func(all map[string]client.Lobby) bool {
		return len(all) == 2 && all["CCCCCC"].Free == 8 && all["AAAAAA"].Code == ""
	}); err != nil {
		t.Fatal(err)
	}
	if one, two := <-told, <-told; one != "CCCCCC" || two != "no more AAAAAA" {
		t.Errorf("told of %s and %s", one, two)
	}
	m.l.Lobbies()["DDDDDD"] = client.Lobby{} // the caller's own map
	if len(m.l.Lobbies()) != 2 {
		t.Error("who asks for the lobbies may change the listing")
	}
	f.say(`{"is":"listing","lobbies":[{"code":"EEEEEE","free":4}]}`) // in place of what there was
	if err := m.l.Wait(ctx, func(all map[string]client.Lobby) bool {
		return len(all) == 1 && all["EEEEEE"].Free == 4
	}); err != nil {
		t.Fatal(err)
	}
	f.say(`{"is":"ping","n":41}`)
	if pong := f.next("pong"); pong["n"] != 41.0 {
		t.Errorf("the ping is answered with %v", pong)
	}
	f.say(`{"is":"bye","code":"bad-token","reason":"the token has run out","again":false}`)
	<-m.l.Done()
	if client.CodeOf(m.l.Err()) != "bad-token" ||
		m.l.Wait(ctx, func(map[string]client.Lobby) bool { return false }) == nil {
		t.Errorf("it ends with %v", m.l.Err())
	}
}

// TestDecisionAgainstTheProtocol: a referee's word is answered by number; one that is answered twice, or never, holds
// nothing up.
func TestDecisionAgainstTheProtocol(t *testing.T) {
	ctx := trial.Within(t, 20*time.Second)
	v := readVectors(t)
	f := newFake(t)
	asked, connected := make(chan client.Decision, 4), make(chan *client.Conn, 1)
	go func() {
		c, err := client.Connect(ctx,
			client.Options{Address: f.address, Token: "token", Lobby: "K7WPQ4", JSON: true, Referee: true,
				OnDecision: func(d client.Decision) { asked <- d }})
		if err != nil {
			t.Error(err)
		}
		connected <- c
	}()
	if hello := f.accept(); hello["referee"] != true {
		t.Errorf("hello is %v", hello)
	}
	f.welcome(v)
	f.say(string(v.Story[0].JSON))
	c := <-connected
	defer c.Close()
	f.say(
		`{"is":"decision","no":3,"action":"answer","seat":5,"tell":{"choice":2,"at":[1,2],"word":"teal"},"left":2000}`,
	)
	if d := <-asked; d.No != 3 || d.Tell["choice"] != int64(2) || d.Tell["word"] != "teal" || d.Left != 2000 {
		t.Errorf("asked %+v", d)
	}
	word := func(no int64, answers ...string) error {
		done := make(chan error, 1)
		brief, cancel := context.WithCancel(ctx)
		go func() { done <- c.Decide(brief, no, true) }()
		if d := f.next("decide"); d["no"] != float64(no) || d["yes"] != true {
			t.Errorf("the word is %v", d)
		}
		for _, a := range answers {
			f.say(a)
		}
		if len(answers) == 0 {
			cancel()
		}
		err := <-done
		cancel()
		return err
	}
	if err := word(4); !errors.Is(err, context.Canceled) {
		t.Errorf("without an answer: %v", err)
	}
	if err := word(3, `{"is":"decided","no":4,"ok":true}`, `{"is":"decided","no":3,"ok":true}`,
		`{"is":"decided","no":3,"ok":false,"code":"no-such-decision"}`); err != nil {
		t.Errorf("the first word: %v", err)
	}
	err := word(3, `{"is":"decided","no":3,"ok":false,"code":"no-such-decision","reason":"too late"}`)
	if client.CodeOf(err) != "no-such-decision" {
		t.Errorf("a word that came too late: %v", err)
	}
	f.say(`{"is":"bye","code":"lobby-gone","reason":"the lobby has closed","again":false}`)
	<-c.Done()
	if err := c.Decide(ctx, 5, true); err == nil {
		t.Error("a word is taken after the end")
	}
}
