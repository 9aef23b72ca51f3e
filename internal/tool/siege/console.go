package siege

import (
	"context"
	"crypto/rand"
	"encoding/json"
	mrand "math/rand/v2"
	"net/http"
	"slices"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/client"
)

// topics watches every topic on many connections: those that are for service keys are refused, and of the others one
// guest has no more than the limit for watching.
func topics(ctx context.Context, a *attacker) func(context.Context) {
	in := a.guest(ctx)
	names := []string{"results", "nodes", "metrics", "players", "audit", "\x00", "results/../audit"}
	return func(ctx context.Context) {
		var open atomic.Int64
		at(300, func(i int) {
			name := names[i%len(names)]
			if i >= 100 {
				name = "results"
			}
			hello := map[string]any{"token": in.Token, "topic": map[string]any{"name": name}}
			if a.watches(ctx, 45, hello, "topic", &open) && name != "results" {
				a.breaks("a guest watches the topic %q", name)
			}
		})
	}
}

// sessions guesses keys and the cookies of browsers' sessions.
func sessions(_ context.Context, a *attacker) func(context.Context) {
	return func(ctx context.Context) {
		h := from(46)
		each(ctx, 8, func(i int) {
			if i%2 == 0 {
				status, _ := a.call(ctx, h, "POST", "/v1/console/session", "", map[string]string{"key": rand.Text()})
				if status < 300 && status > 0 {
					a.breaks("a made-up key signs in")
				}
				return
			}
			req, _ := http.NewRequestWithContext(ctx, "POST", a.target+"/v1/console/session/renew", nil)
			req.AddCookie(&http.Cookie{Name: "turnvex-console", Value: rand.Text()})
			res, err := h.Do(req)
			if err != nil {
				return
			}
			res.Body.Close()
			a.count(res.Status[:3])
			if res.StatusCode < 300 {
				a.breaks("a made-up cookie renews a session")
			}
		})
	}
}

// acts does what the console offers to operators alone, as a guest.
func acts(ctx context.Context, a *attacker) func(context.Context) {
	guest, other := a.guest(ctx), a.guest(ctx)
	l, err := client.Service{Address: a.node, Token: other.Token, HTTP: from(244)}.
		Open(ctx, client.Opening{Rulebook: "clash", Practice: true})
	if err != nil {
		panic(err)
	}
	book := []byte("turnvex: 1\nname: siege\nplayers: {least: 1, most: 2}\nphases: {play: {lasts: 1h}}\n")
	type ask struct {
		method, path string
		body         any
	}
	asks := []ask{
		{"POST", "/v1/rulebooks/rehearse?matches=200", book},
		{"GET", "/v1/players/" + other.Player + "/devices", nil},
		{"DELETE", "/v1/players/" + other.Player + "/devices/" + other.Player, nil},
		{"POST", "/v1/players/" + other.Player + "/recovery", nil},
		{"POST", "/v1/lobbies/" + l.Code + "/set", map[string]any{"sheet": 1, "field": "played", "value": 1}},
		{"POST", "/v1/lobbies/" + l.Code + "/advance", map[string]any{"ticks": 36000}},
		{"GET", "/v1/lobbies/" + l.Code + "/copies", nil},
		{"GET", "/v1/rulebooks/clash", nil},
	}
	return func(ctx context.Context) {
		h := from(47)
		began := time.Now()
		var good atomic.Int64
		each(ctx, 8, func(i int) {
			if i%2 == 0 {
				x := asks[mrand.IntN(len(asks))]
				if status, _ := a.call(ctx, h, x.method, x.path, guest.Token, x.body); status > 0 && status < 300 {
					a.breaks("a guest is let through: %s %s", x.method, x.path)
				}
				return
			}
			name := []string{"%25", "_", "B", "%00", "%5C"}[mrand.IntN(5)]
			status, answer := a.call(ctx, h, "GET", "/v1/boards/clash/wins?name="+name, guest.Token, nil)
			if status != http.StatusOK {
				return
			}
			var page struct{ Rows []struct{ Name string } }
			json.Unmarshal(answer, &page)
			if name != "B" && slices.ContainsFunc(page.Rows, func(r struct{ Name string }) bool {
				return r.Name != "" && r.Name[0] != name[0]
			}) {
				a.breaks("the name %q finds %d rows", name, len(page.Rows))
			}
			if n, most := good.Add(1), 210+int64(time.Since(began)/(20*time.Millisecond)); n > most {
				a.breaks("one address was answered %d times", n)
			}
		})
	}
}
