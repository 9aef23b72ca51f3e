package service_test

import (
	"context"
	"fmt"
	"testing"

	"turnvex.example/turnvex/client"
)

// TestListing: filters, orders, pages, what was left out and why, and the live list, which always agrees with what is
// asked for anew.
func TestListing(t *testing.T) {
	ctx := soon(t)
	book := variant(t)
	mara := player(t, "Mara")
	s := as(mara)
	var last client.Lobby
	gone := make(chan string, 1)
	live, err := s.WatchLobbies(ctx, client.Filter{Rulebook: book, Free: 1}, func(code string, l *client.Lobby) {
		if l == nil {
			select {
			case gone <- code:
			default:
			}
		} else {
			last = *l
		}
	})
	if err != nil || len(live.Lobbies()) != 0 {
		t.Fatalf("%v, %v", live, err)
	}
	defer live.Close()
	open := func(o client.Opening) string {
		o.Rulebook = book
		return lobby(t, mara, o)
	}
	small := open(client.Opening{Title: "Alder quay", Capacity: 2})
	wide := open(client.Opening{Title: "birch quay"})
	open(client.Opening{Title: "Hidden", Hidden: true})
	practice := open(client.Opening{Title: "Cedar quay", Practice: true})
	open(client.Opening{Title: "Closed", Closed: true})
	has := func(what string, f client.Filter, order string, want ...string) *client.LobbyPage {
		t.Helper()
		f.Rulebook = book
		page, err := s.Lobbies(ctx, f, order, 100, "")
		var got []string
		for _, l := range page.Lobbies {
			got = append(got, l.Title)
		}
		if err != nil || fmt.Sprint(got) != fmt.Sprint(want) {
			t.Errorf("%s: %v, %v; wanted %v", what, got, err, want)
		}
		return page
	}
	has("all", client.Filter{}, "", "Closed", "Cedar quay", "birch quay", "Alder quay")
	has("the oldest first", client.Filter{}, "oldest", "Alder quay", "birch quay", "Cedar quay", "Closed")
	has("by title", client.Filter{}, "title", "Alder quay", "birch quay", "Cedar quay", "Closed")
	has("by its beginning", client.Filter{Title: "BIRCH"}, "", "birch quay")
	practising := true
	has("for practice", client.Filter{Practice: &practising}, "", "Cedar quay")
	page := has("with room", client.Filter{Free: 3}, "fullest", "Cedar quay", "birch quay")
	want := "[{closed to newcomers 1} {found by code only 1} {with too few free places 1}]"
	if got := fmt.Sprint(page.LeftOut); got != want {
		t.Errorf("left out: %s", got)
	}
	page = has("elsewhere", client.Filter{Region: "moon"}, "")
	if got := fmt.Sprint(page.LeftOut); got != "[{in another region: local 5}]" {
		t.Errorf("left out: %s", got)
	}
	var paged []string
	for cursor := ""; ; {
		p, err := s.Lobbies(ctx, client.Filter{Rulebook: book}, "title", 1, cursor)
		if err != nil || len(p.Lobbies) != 1 {
			t.Fatal(p, err)
		}
		if paged = append(paged, p.Lobbies[0].Title); p.Next == "" {
			break
		}
		cursor = p.Next
	}
	if fmt.Sprint(paged) != "[Alder quay birch quay Cedar quay Closed]" {
		t.Errorf("page by page: %v", paged)
	}

	waits := func(what string, f func(map[string]client.Lobby) bool) {
		t.Helper()
		if err := live.Wait(ctx, f); err != nil {
			t.Fatalf("%s: %v; the list: %v", what, err, live.Lobbies())
		}
	}
	waits("three with room", func(m map[string]client.Lobby) bool { return len(m) == 3 })
	a := join(t, mara, client.Options{Lobby: small})
	waits("one place is taken",
		func(m map[string]client.Lobby) bool { return m[small].Seats == 1 && m[small].Free == 1 })
	b := join(t, player(t, "Joss"), client.Options{Lobby: small})
	waits("a full lobby goes", func(m map[string]client.Lobby) bool { return m[small].Code == "" })
	if code := <-gone; code != small {
		t.Errorf("%s was told to be gone", code)
	}
	if err := b.Leave(ctx); err != nil {
		t.Fatal(err)
	}
	waits("it comes back", func(m map[string]client.Lobby) bool { return m[small].Free == 1 })
	do(t, a, client.Intent{Do: "settings", Args: map[string]any{"listed": false}})
	waits("it is not listed any more", func(m map[string]client.Lobby) bool { return m[small].Code == "" })
	wants(t, "closing as an operator", operator(t).Call(ctx, "DELETE", "/v1/lobbies/"+wide, nil, nil), "")
	waits("a closed lobby goes", func(m map[string]client.Lobby) bool { return len(m) == 1 && m[practice].Practice })
	if last.Rulebook != book {
		t.Errorf("the last change told of %+v", last)
	}
	has("at the end", client.Filter{}, "", "Closed", "Cedar quay")
}

// TestListedArena: listings tell the arena of the running match, and of the next one between matches, also where a
// round changes it and nothing else.
func TestListedArena(t *testing.T) {
	name := "piers_" + fresh()
	_, problems, err := node.Library.Load(soon(t), []byte(`turnvex: 1
name: `+name+`
players: {least: 1, most: 2}
start: {countdown: 0s}
arenas: {changes: round, list: {mole: {width: 9m, height: 9m}, reef: {width: 8m, height: 8m}}}
actions:
  pick: {do: [{arena: reef}]}
  move: {do: [{go: play}]}
phases: {play: {lasts: 10m}}
rounds: {phase: play, number: 3}
`))
	if err != nil {
		t.Fatal(err, problems)
	}
	mara := player(t, "Mara")
	live, err := as(mara).WatchLobbies(soon(t), client.Filter{Rulebook: name}, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer live.Close()
	code := lobby(t, mara, client.Opening{Rulebook: name})
	c := join(t, mara, client.Options{Lobby: code})
	at := func(state, arena string) {
		t.Helper()
		if err := live.Wait(soon(t), func(m map[string]client.Lobby) bool {
			return m[code].State == state && m[code].Arena == arena
		}); err != nil {
			t.Fatalf("%v; the list: %v", err, live.Lobbies())
		}
	}
	at("gathering", "mole")
	play(t, c)
	do(t, c, client.Intent{Do: "act", Name: "pick"})
	until(t, c, "the next one", func(c *client.Copy) bool { return c.Lobby().Text("arena") == "reef" })
	at("playing", "mole")
	do(t, c, client.Intent{Do: "act", Name: "move"})
	at("playing", "reef")
	asked(t, "a page of the list has the arena", func(ctx context.Context) bool {
		page, err := as(mara).Lobbies(ctx, client.Filter{Rulebook: name}, "", 10, "")
		if err != nil {
			t.Fatal(err)
		}
		return len(page.Lobbies) == 1 && page.Lobbies[0].Arena == "reef"
	})
}
