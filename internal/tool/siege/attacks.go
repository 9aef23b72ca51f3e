package siege

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/client"
)

// attack is one way to attack. It is prepared at the node, and then runs until its time is up.
type attack struct {
	name, what string
	prepare    func(ctx context.Context, a *attacker) func(context.Context)
	long       time.Duration // of a phase; 6 s if 0
}

var attacks = []*attack{
	{name: "books", what: "rulebooks of 90,000 keys to be checked, by nobody", prepare: books},
	{name: "expressions", what: "rulebooks of distinct expressions to be checked, by eight " +
		"guests", prepare: expressions},
	{name: "bodies", what: "300 bodies that are sent a byte at a time", prepare: bodies, long: 34 * time.Second},
	{name: "accounts", what: "one guest asks for an account after the other", prepare: accounts},
	{name: "passwords", what: "a hundred wrong passwords at once on one account", prepare: passwords},
	{name: "refreshes", what: "one refresh token used twice at the same moment", prepare: refreshes},
	{name: "voided", what: "connections whose tokens are signed out", prepare: voided},
	{name: "watchers", what: "watching without the password, a closed lobby, after a ban", prepare: watchers},
	{name: "codes", what: "join codes guessed, as if from a thousand addresses", prepare: codes},
	{name: "texts", what: "titles and names with escapes, line breaks and marks of direction", prepare: texts},
	{name: "junk", what: "NUL bytes, bytes that are no text, bent cursors, odd types", prepare: junk},
	{name: "lobbies", what: "one guest opens lobbies and takes seats in all", prepare: lobbies},
	{name: "listings", what: "one guest watches the listing on 300 connections", prepare: listings},
	{name: "handshakes", what: "connections that are opened and dropped, and such that never say " +
		"hello", prepare: handshakes},
	{name: "pongs", what: "a flood of pongs, and of messages that are too large", prepare: pongs},
	{name: "peers", what: "a guest who passes for another node, drains nodes and asks for playbacks", prepare: peers},
	{name: "topics", what: "one guest watches topics, and those of operators, on 300 connections", prepare: topics},
	{name: "sessions", what: "made-up keys and cookies of browsers' sessions", prepare: sessions},
	{name: "acts", what: "a guest does what the console offers to operators, and searches boards", prepare: acts},
	{name: "runners", what: "six players who claim to be farther than they can have come", prepare: runners,
		long: 10 * time.Second},
	{name: "climbers", what: "two players who claim to hover, and to have come up to a deck", prepare: climbers},
	{name: "requests", what: "a flood of requests for the list of lobbies", prepare: requests},
}

func books(_ context.Context, a *attacker) func(context.Context) {
	var b bytes.Buffer
	for i := range 90_000 {
		fmt.Fprintf(&b, "k%d: 1\n", i)
	}
	return func(ctx context.Context) {
		h := from(1)
		each(ctx, 4, func(int) {
			if status, _ := a.call(ctx, h, "POST", "/v1/rulebooks/check", "", b.Bytes()); status == http.StatusOK {
				a.breaks("a rulebook is checked for nobody")
			}
		})
	}
}

func expressions(ctx context.Context, a *attacker) func(context.Context) {
	var guests []*client.Signed
	for range 8 {
		guests = append(guests, a.guest(ctx))
	}
	return func(ctx context.Context) {
		each(ctx, 8, func(i int) {
			var b strings.Builder
			b.WriteString("turnvex: 1\nname: siege\nrules:\n")
			for n := 0; b.Len() < 1<<20-200; n++ {
				fmt.Fprintf(&b, "  - {when: (me.n * %d + %d) %% 7 > 3, do: [{set: me.n, to: "+
					"%d}]}\n", n, rand.IntN(1e9), n)
			}
			a.call(ctx, from(10+i), "POST", "/v1/rulebooks/check", guests[i].Token, []byte(b.String()))
		})
	}
}

// within is the time in which a request must be there.
const within = 30 * time.Second

func bodies(_ context.Context, a *attacker) func(context.Context) {
	return func(ctx context.Context) {
		address := strings.TrimPrefix(a.target, "http://")
		var open atomic.Int64
		at(300, func(i int) {
			d := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 66, 1, byte(i%250+1))}}
			c, err := d.DialContext(ctx, "tcp", address)
			if err != nil {
				a.count("no connection")
				return
			}
			defer c.Close()
			open.Add(1)
			defer open.Add(-1)
			fmt.Fprintf(c, "POST /v1/sign-in/device HTTP/1.1\r\nHost: x\r\nContent-Length: 60000\r\n\r\n{")
			began, b := time.Now(), make([]byte, 512)
			for ctx.Err() == nil {
				c.SetReadDeadline(time.Now().Add(250 * time.Millisecond))
				if _, err := c.Read(b); err == nil || !isLate(err) {
					a.count("ended")
					return
				}
				if _, err := c.Write([]byte(" ")); err != nil {
					a.count("ended")
					return
				}
				if time.Since(began) > within+3*time.Second {
					a.breaks("a body is waited for longer than %s", within)
					a.count("goes on")
					return
				}
			}
			a.count("goes on")
		})
	}
}

func isLate(err error) bool {
	late, is := err.(net.Error)
	return is && late.Timeout()
}

func accounts(ctx context.Context, a *attacker) func(context.Context) {
	in := a.guest(ctx)
	return func(ctx context.Context) {
		h := from(30)
		var n, asked atomic.Int64
		each(ctx, 16, func(int) {
			body := map[string]string{"login": fmt.Sprintf("taken%d", n.Add(1)), "password": "seven wet lanterns"}
			if status, _ := a.call(ctx, h, "POST", "/v1/me/account", in.Token, body); status != 0 &&
				status != http.StatusTooManyRequests && asked.Add(1) > 12 {
				a.breaks("one guest asked for an account %d times", asked.Load())
			}
		})
	}
}

func passwords(ctx context.Context, a *attacker) func(context.Context) {
	login := fmt.Sprintf("victim%d", a.next.Add(1))
	svc := client.Service{Address: a.node, Token: a.guest(ctx).Token, HTTP: from(241)}
	if err := svc.MakeAccount(ctx, login, "seven wet lanterns"); err != nil {
		panic(err)
	}
	return func(ctx context.Context) {
		h := from(31)
		var tried atomic.Int64
		at(100, func(i int) {
			body := map[string]string{"login": login, "password": fmt.Sprintf("a wrong one, the %dth", i)}
			if status, _ := a.call(ctx, h, "POST", "/v1/sign-in/account", "", body); status == http.StatusUnauthorized {
				tried.Add(1)
			}
		})
		if n := tried.Load(); n > 6 { // five, and one more after a minute
			a.breaks("%d of a hundred wrong passwords at once were tried", n)
		}
		began := time.Now()
		_, err := client.SignInAccount(ctx, a.node, login, "seven wet lanterns", "")
		if took := time.Since(began); err != nil || took > 3*time.Second {
			a.breaks("its player, from elsewhere, signs in after %s: %v", took, err)
		}
		<-ctx.Done()
	}
}

func refreshes(ctx context.Context, a *attacker) func(context.Context) {
	var guests []*client.Signed
	for range 40 {
		guests = append(guests, a.guest(ctx))
	}
	return func(ctx context.Context) {
		h := from(32)
		for _, in := range guests {
			var good [2]client.Signed
			at(2, func(i int) {
				status, answer := a.call(ctx, h, "POST", "/v1/sign-in/refresh", "",
					map[string]string{"refresh": in.Refresh})
				if status == http.StatusOK {
					json.Unmarshal(answer, &good[i])
				}
			})
			for _, g := range good {
				if g.Refresh == "" {
					continue
				}
				if status, _ := a.call(ctx, h, "POST", "/v1/sign-in/refresh", "",
					map[string]string{"refresh": g.Refresh}); status ==
					http.StatusOK {
					a.breaks("a line of which a token came twice is still good")
				}
			}
			if good[0].Token != "" && good[1].Token != "" {
				a.breaks("a refresh token was good twice")
			}
		}
		<-ctx.Done()
	}
}

func voided(ctx context.Context, a *attacker) func(context.Context) {
	var guests []*client.Signed
	for range 20 {
		guests = append(guests, a.guest(ctx))
	}
	return func(ctx context.Context) {
		at(len(guests), func(i int) {
			in := guests[i]
			ws := a.dial(ctx, 40+i, map[string]any{"token": in.Token, "list": map[string]any{}})
			if ws == nil {
				return
			}
			var m map[string]any
			ws.ReadJSON(&m)
			a.call(ctx, from(40+i), "POST", "/v1/me/sign-out", in.Token, nil)
			began := time.Now()
			a.end(ctx, ws)
			if took := time.Since(began); took > 2*time.Second { // a second, and what the lowest priority costs
				a.breaks("a connection went on for %s after its player signed out everywhere", took)
			}
		})
		<-ctx.Done()
	}
}

func watchers(ctx context.Context, a *attacker) func(context.Context) {
	host, in := a.guest(ctx), a.guest(ctx)
	svc := client.Service{Address: a.node, Token: host.Token, HTTP: from(242)}
	codes := map[string]string{}
	for what, o := range map[string]client.Opening{"locked": {Password: "the word"}, "closed": {Closed: true}} {
		o.Rulebook = "clash"
		l, err := svc.Open(ctx, o)
		if err != nil {
			panic(err)
		}
		codes[what] = l.Code
	}
	return func(ctx context.Context) {
		each(ctx, 4, func(i int) {
			for _, what := range []string{"locked", "closed"} {
				ws := a.dial(ctx, 60+i, map[string]any{"token": in.Token, "lobby": codes[what], "watch": true})
				if ws == nil {
					continue
				}
				word := a.end(ctx, ws)
				if !slices.Contains([]string{"wrong-password", "lobby-closed", "too-many-requests", "goes " +
					"on", "ended"}, word) ||
					word == "ended" && ctx.Err() == nil && !a.bare() {
					a.breaks("watching a %s lobby ends with %q", what, word)
				}
			}
			time.Sleep(20 * time.Millisecond)
		})
	}
}

func codes(ctx context.Context, a *attacker) func(context.Context) {
	seated, other := a.guest(ctx), a.guest(ctx)
	svc := client.Service{Address: a.node, Token: seated.Token, HTTP: from(243)}
	l, err := svc.Open(ctx, client.Opening{Rulebook: "clash"})
	if err != nil {
		panic(err)
	}
	if err := svc.Call(ctx, "POST", "/v1/lobbies/"+l.Code+"/seat", map[string]any{}, nil); err != nil {
		panic(err)
	}
	return func(ctx context.Context) {
		h := from(33)
		var looked atomic.Int64
		each(ctx, 8, func(i int) {
			req, _ := http.NewRequestWithContext(ctx, "GET", a.target+"/v1/lobbies/"+randomCode(), nil)
			req.Header.Set("X-Forwarded-For", fmt.Sprintf("198.51.100.%d", rand.IntN(250)))
			req.Header.Set("Authorization", "Bearer "+other.Token)
			res, err := h.Do(req)
			if err != nil {
				return
			}
			io.Copy(io.Discard, res.Body)
			res.Body.Close()
			a.count(fmt.Sprint(res.StatusCode))
			if res.StatusCode == http.StatusNotFound && looked.Add(1) > 60 {
				a.breaks("one guesser looked for %d codes", looked.Load())
			}
		})
		if !a.bare() {
			hers := client.Service{Address: a.node, Token: seated.Token, HTTP: from(33)} // the guesser's address
			for range 200 {
				if _, err := hers.Lobby(context.WithoutCancel(ctx), l.Code); err == nil {
					return
				} else if client.CodeOf(err) != "too-many-requests" || !strings.Contains(err.Error(), "requests:") {
					a.breaks("who has a seat there is refused beside the guesser: %v", err)
					return
				}
				time.Sleep(50 * time.Millisecond) // the address asks too often as a whole, and waits
			}
		}
	}
}

func randomCode() string {
	const letters = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
	b := make([]byte, 6)
	for i := range b {
		b[i] = letters[rand.IntN(len(letters))]
	}
	return string(b)
}

func texts(ctx context.Context, a *attacker) func(context.Context) {
	in := a.guest(ctx)
	bad := []string{"\x1b[2Jgone", "two\nlines", "\u202egnirts", "zero\u200bwidth", "\x00", "a\rb", "\u2066x"}
	return func(ctx context.Context) {
		h := from(34)
		each(ctx, 2, func(int) {
			text := bad[rand.IntN(len(bad))]
			for path, body := range map[string]any{"/v1/lobbies": map[string]any{"rulebook": "clash", "title": text}} {
				if status, _ := a.call(ctx, h, "POST", path, in.Token, body); status == http.StatusCreated {
					a.breaks("the title %q is taken", text)
				}
			}
			if status, _ := a.call(ctx, h, "PATCH", "/v1/me", in.Token,
				map[string]string{"name": text}); status == http.StatusOK {
				a.breaks("the name %q is taken", text)
			}
			time.Sleep(20 * time.Millisecond)
		})
	}
}

func junk(ctx context.Context, a *attacker) func(context.Context) {
	in := a.guest(ctx)
	cursor := base64.RawURLEncoding.EncodeToString([]byte(`{"t":"2026-01-01T00:00:00Z","i":"x"}`))
	asked := []string{"/v1/lobbies?title=" + url.QueryEscape("\x00"), "/v1/lobbies?cursor=" + cursor,
		"/v1/matches?cursor=%ff", "/v1/matches?player=%00", "/v1/matches/" + url.PathEscape("\xff\xfe"),
		"/v1/lobbies/%00", "/v1/lobbies?limit=1e9", "/v1/boards/clash/" + url.PathEscape("\u202e"),
		"/v1/players/x/totals", "/v1/series/%27", "/v1/lobbies?free=-1"}
	sent := []string{"{\"device\":\"\xff\"}", `{"device":"\u0000"}`, `{"device":1}`, `[]`, "",
		`{"device":null,"device":""}`,
		strings.Repeat("[", 50_000), `{"Device":"x"}`, `{"device":"` + strings.Repeat("x", 60_000) + `"}`}
	return func(ctx context.Context) {
		each(ctx, 4, func(i int) {
			h := from(70 + rand.IntN(150))
			a.call(ctx, h, "GET", asked[rand.IntN(len(asked))], in.Token, nil)
			a.call(ctx, h, "POST", "/v1/sign-in/device", "", []byte(sent[rand.IntN(len(sent))]))
			h.CloseIdleConnections()
		})
	}
}

func lobbies(ctx context.Context, a *attacker) func(context.Context) {
	in := a.guest(ctx)
	return func(ctx context.Context) {
		h := from(35)
		began := time.Now()
		var opened, seats atomic.Int64
		each(ctx, 4, func(int) {
			status, answer := a.call(ctx, h, "POST", "/v1/lobbies", in.Token, map[string]any{"rulebook": "clash"})
			if status != http.StatusCreated {
				time.Sleep(10 * time.Millisecond)
				return
			}
			if n, most := opened.Add(1), 62+int64(time.Since(began)/(2*time.Second)); n > most {
				a.breaks("one guest opened %d lobbies", n)
			}
			var l struct{ Code string }
			json.Unmarshal(answer, &l)
			if status, _ = a.call(ctx, h, "POST", "/v1/lobbies/"+l.Code+"/seat", in.Token, map[string]any{}); status ==
				http.StatusCreated {
				if n := seats.Add(1); n > 13 {
					a.breaks("one guest took %d seats", n)
				}
			}
		})
	}
}

func listings(ctx context.Context, a *attacker) func(context.Context) {
	in := a.guest(ctx)
	return func(ctx context.Context) {
		var open atomic.Int64
		at(300, func(i int) {
			a.watches(ctx, 36, map[string]any{"token": in.Token, "list": map[string]any{}}, "listing", &open)
		})
	}
}

// watches opens a connection that is answered with the message is where it may watch, counts those that are open, and
// tells whether it may.
func (a *attacker) watches(ctx context.Context, host int, hello map[string]any, is string, open *atomic.Int64) bool {
	ws := a.dial(ctx, host, hello)
	if ws == nil {
		return false
	}
	var m struct{ Is, Code string }
	if ws.ReadJSON(&m) == nil && m.Is == "bye" {
		a.count(m.Code)
		ws.Close()
		return false
	}
	if m.Is == is {
		if n := open.Add(1); n > 50 {
			a.breaks("one guest has %d connections that watch a %s", n, is)
		}
		defer open.Add(-1)
	}
	a.end(ctx, ws)
	return m.Is == is
}

func handshakes(_ context.Context, a *attacker) func(context.Context) {
	return func(ctx context.Context) {
		var silent atomic.Int64
		var all sync.WaitGroup
		for range 300 {
			all.Go(func() {
				ws := a.dial(ctx, 37, nil)
				if ws == nil {
					return
				}
				if n := silent.Add(1); n > 256 {
					a.breaks("%d connections of one address have not said hello", n)
				}
				a.end(ctx, ws)
				silent.Add(-1)
			})
		}
		each(ctx, 4, func(i int) {
			if ws := a.dial(ctx, 38, nil); ws != nil {
				a.count("opened")
				ws.Close()
			}
		})
		all.Wait()
	}
}

func pongs(ctx context.Context, a *attacker) func(context.Context) {
	in := a.guest(ctx)
	large := []byte(`{"is":"whole","x":"` + strings.Repeat("y", 1<<20) + `"}`)
	return func(ctx context.Context) {
		each(ctx, 4, func(i int) {
			ws := a.dial(ctx, 39, map[string]any{"token": in.Token, "list": map[string]any{}})
			if ws == nil {
				time.Sleep(10 * time.Millisecond)
				return
			}
			go func() {
				for err := error(nil); err == nil && ctx.Err() == nil; {
					switch i {
					case 0:
						err = ws.WriteMessage(websocket.PongMessage, nil)
					case 1:
						err = ws.WriteMessage(websocket.PingMessage, []byte("x"))
					case 2:
						err = ws.WriteMessage(websocket.TextMessage, []byte(`{"is":"pong","n":1}`))
					default:
						err = ws.WriteMessage(websocket.TextMessage, large)
					}
				}
			}()
			began := time.Now()
			if a.end(ctx, ws); time.Since(began) > 5*time.Second {
				a.breaks("a flood of kind %d goes on", i)
			}
		})
	}
}

func requests(_ context.Context, a *attacker) func(context.Context) {
	return func(ctx context.Context) {
		h := from(44)
		began := time.Now()
		var good atomic.Int64
		each(ctx, 16, func(int) {
			if status, _ := a.call(ctx, h, "GET", "/v1/lobbies", "", nil); status == http.StatusOK {
				if n, most := good.Add(1), 210+int64(time.Since(began)/(20*time.Millisecond)); n > most {
					a.breaks("one address was answered %d times", n)
				}
			}
		})
	}
}
