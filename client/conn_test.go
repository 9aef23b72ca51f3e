package client_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"sync/atomic"
	"testing"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/trial"
)

// vectors are what docs/protocol-vectors.json holds of a story: a snapshot and what follows it, with the hashes of the
// copies.
type vectors struct {
	Schema json.RawMessage
	Story  []struct {
		JSON json.RawMessage
		Hash uint32
	}
}

func readVectors(t *testing.T) *vectors {
	t.Helper()
	file, err := os.ReadFile("../docs/protocol-vectors.json")
	v := new(vectors)
	if err == nil {
		err = json.Unmarshal(file, v)
	}
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// fake is a service that a test plays, message by message, in JSON: it shows what a client does with what a real
// service would never send.
type fake struct {
	t       *testing.T
	address string
	came    chan *websocket.Conn
	ws      *websocket.Conn
	refuses atomic.Int32 // with which status the next handshake is refused, once; none if 0
}

func newFake(t *testing.T) *fake {
	f := &fake{t: t, came: make(chan *websocket.Conn, 4)}
	up := websocket.Upgrader{Subprotocols: []string{"turnvex.v1+json"}}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if status := f.refuses.Swap(0); status != 0 {
			w.WriteHeader(int(status))
			fmt.Fprint(w, `{"code":"too-many-requests","detail":"come again"}`)
			return
		}
		if ws, err := up.Upgrade(w, r, nil); err == nil {
			f.came <- ws
		}
	}))
	t.Cleanup(s.Close)
	f.address = s.URL
	return f
}

// accept waits for the next connection and returns its hello.
func (f *fake) accept() map[string]any {
	f.ws = <-f.came
	f.t.Cleanup(func() { f.ws.Close() })
	return f.next("hello")
}

func (f *fake) say(m any) {
	if raw, ok := m.(string); ok {
		m = json.RawMessage(raw)
	}
	if err := f.ws.WriteJSON(m); err != nil {
		f.t.Error(err)
	}
}

// next returns the client's next message of a kind; its pings are answered.
func (f *fake) next(is string) map[string]any {
	f.ws.SetReadDeadline(time.Now().Add(10 * time.Second))
	for {
		m := map[string]any{}
		if err := f.ws.ReadJSON(&m); err != nil {
			f.t.Errorf("waiting for %s: %v", is, err)
			return m
		}
		if m["is"] == is {
			return m
		}
		if m["is"] == "ping" && is != "ping" {
			f.say(map[string]any{"is": "pong", "n": m["n"], "tick": 7})
			continue
		}
		f.t.Errorf("%v came, not %s", m, is)
	}
}

func (f *fake) welcome(v *vectors) {
	f.say(
		fmt.Sprintf(
			`{"is":"welcome","lobby":"K7WPQ4","seats":[{"seat":4,"last":0}],"resume":"key-1","rate":10,"tick":0,"hold":5000,"service":"9.9",
		"schema":%s,"book":{"name":"story","title":"Story","version":"1","phases":[]},"of_a_later_version":{"x":1}}`,
			v.Schema,
		),
	)
}

// TestAgainstTheProtocol plays a service by the protocol page and sees that the client keeps to it: what it passes
// over, when it asks for the whole, what it answers to a check, how it comes back and when it gives up.
func TestAgainstTheProtocol(t *testing.T) {
	ctx := trial.Within(t, 20*time.Second)
	v := readVectors(t)
	f := newFake(t)
	connected := make(chan *client.Conn, 1)
	undone := make(chan client.Change, 10)
	notices := make(chan client.Notice, 10)
	go func() {
		c, err := client.Connect(ctx, client.Options{Address: f.address, Token: "token", Lobby: "K7WPQ4", JSON: true,
			OnChange: func(ch client.Change) {
				if ch.Undone {
					undone <- ch
				}
			}, OnNotice: func(n client.Notice) { notices <- n }})
		if err != nil {
			t.Error(err)
		}
		connected <- c
	}()
	hello := f.accept()
	if hello["token"] != "token" || hello["lobby"] != "K7WPQ4" || hello["resume"] != nil || hello["tick"] != nil {
		t.Errorf("hello is %v", hello)
	}
	f.welcome(v)
	f.say(`{"is":"of_a_later_version","x":[1,2]}`)
	f.say(string(v.Story[0].JSON))
	c := <-connected
	defer c.Close()
	check := func(step int) {
		t.Helper()
		var tick struct{ Tick int64 }
		json.Unmarshal(v.Story[step].JSON, &tick)
		f.say(map[string]any{"is": "check", "tick": tick.Tick})
		if h := f.next("hash"); h["hash"] != float64(v.Story[step].Hash) || h["tick"] != float64(tick.Tick) {
			t.Errorf("step %d: the hash is %v, not %d", step, h, v.Story[step].Hash)
		}
	}
	check(0)
	f.say(`{"is":"show","tick":0}`)
	if shown := f.next("shown"); len(shown["parts"].([]any)) < 5 {
		t.Errorf("it shows %v", shown)
	}

	f.say(`{"is":"delta","on":3,"tick":4,"parts":[]}`) // on a tick that the copy does not stand at
	f.next("whole")
	f.say(string(v.Story[1].JSON)) // was under way: passed over
	f.say(string(v.Story[0].JSON))
	f.say(string(v.Story[1].JSON))
	check(1)
	f.say(`{"is":"delta","on":5,"tick":6,"parts":[[99,0,1]]}`) // a sheet that was never told
	f.next("whole")
	f.say(string(v.Story[0].JSON))
	for i := 1; i < 4; i++ {
		f.say(string(v.Story[i].JSON))
		check(i)
	}
	f.say(`{"is":"notice","name":"rammed","tick":25,"with":{"by":4,"at":[1,2],"hard":true,"how":"well"}}`)
	if n := <-notices; n.With["by"] != int64(4) || fmt.Sprint(n.With["at"]) != "[1 2]" || n.With["hard"] != true ||
		n.With["how"] != "well" {
		t.Errorf("the notice is %+v", n)
	}

	pending := c.Send(client.Intent{
		Do:     "act",
		Name:   "hit",
		Target: 6,
		Expect: []client.Expected{{Sheet: 6, Field: "hull", Value: client.Whole(40)}},
	})
	in := f.next("intent")
	if in["seat"] != 4.0 || in["n"] != 1.0 || in["name"] != "hit" {
		t.Errorf("the intent is %v", in)
	}
	f.say(`{"is":"verdict","seat":5,"n":1,"ok":false,"tick":25}`) // another seat's: passed over
	f.say(`{"is":"bye","code":"stopping","reason":"the service is stopping","again":true}`)
	hello = f.accept()
	if hello["resume"] != "key-1" || hello["tick"] != 25.0 {
		t.Errorf("coming back it says %v", hello)
	}
	f.say(
		`{"is":"welcome","lobby":"K7WPQ4","seats":[{"seat":4,"last":0}],"resume":"key-2","kept":true,"rate":10,"tick":30,"hold":5000,"service":"9.9",
		"ended":{"is":"bye","code":"stopping","reason":"the service was stopping","again":true}}`,
	)
	if again := f.next("intent"); fmt.Sprint(again) != fmt.Sprint(in) {
		t.Errorf("sent again: %v, not %v", again, in)
	}
	f.say(`{"is":"verdict","seat":4,"n":1,"ok":false,"code":"cooldown","reason":"wait","tick":30,"left":400}`)
	if verdict, err := pending.Verdict(ctx); err != nil || verdict.Left != 400 ||
		client.CodeOf(c.Lost()) != "stopping" {
		t.Errorf("%+v, %v, %v", verdict, err, c.Lost())
	}
	f.say(string(v.Story[4].JSON)) // the copy that was kept goes on
	check(4)
	f.say(`{"is":"bye","code":"kicked","reason":"the host has removed you","again":false}`)
	<-c.Done()
	if client.CodeOf(c.Err()) != "kicked" {
		t.Errorf("it ends with %v", c.Err())
	}
	if ch := <-undone; ch.Field.Name != "hull" || ch.Old.N[0] != 40 || ch.New.N[0] != 70 {
		t.Errorf("what was expected is taken back as %+v", ch)
	}
}

// connect makes a connection to the pretended service, which has its first copy.
func (f *fake) connect(ctx context.Context, v *vectors, o client.Options) *client.Conn {
	o.Address, o.Token, o.Lobby, o.JSON = f.address, "token", "K7WPQ4", true
	connected := make(chan *client.Conn, 1)
	go func() {
		c, err := client.Connect(ctx, o)
		if err != nil {
			f.t.Error(err)
		}
		connected <- c
	}()
	f.accept()
	f.welcome(v)
	f.say(string(v.Story[0].JSON))
	return <-connected
}

// TestUndone: a client that comes back to another branch is told of which seat which answered intents are undone, says
// of which branch its copy is, and counts on; where nothing is undone it is told nothing.
func TestUndone(t *testing.T) {
	ctx := trial.Within(t, 20*time.Second)
	v, f := readVectors(t), newFake(t)
	undone := make(chan client.Undone, 5)
	c := f.connect(ctx, v, client.Options{OnUndone: func(u client.Undone) { undone <- u }})
	defer c.Close()
	back := func(branch string, last int) map[string]any {
		f.say(`{"is":"bye","code":"stopping","reason":"the service is stopping","again":true}`)
		hello := f.accept()
		f.say(fmt.Sprintf(`{"is":"welcome","lobby":"K7WPQ4","seats":[{"seat":4,"last":%d}],"resume":"key-2",`+
			`"branch":%q,"rate":10,"tick":30,"hold":5000,"service":"9.9"}`, last, branch))
		f.say(string(v.Story[0].JSON))
		return hello
	}
	back("one", 0)
	for n := range 3 {
		p := c.Send(client.Intent{Do: "ready"})
		in := f.next("intent")
		f.say(map[string]any{"is": "verdict", "seat": in["seat"], "n": in["n"], "ok": true, "tick": 31})
		if _, err := p.Verdict(ctx); err != nil || p.Number() != uint64(n+1) {
			t.Fatal(p.Number(), err)
		}
	}
	if hello := back("one", 3); hello["branch"] != "one" {
		t.Errorf("coming back it says %v", hello)
	}
	back("two", 1)
	if u := <-undone; u != (client.Undone{Seat: 4, Last: 1, Heard: 3}) {
		t.Errorf("undone is %+v", u)
	}
	if p := c.Send(client.Intent{Do: "ready"}); p.Number() != 4 {
		t.Errorf("the next number is %d", p.Number())
	}
	f.next("intent")
	if len(undone) > 0 {
		t.Errorf("told again: %+v", <-undone)
	}
}

// TestPanicInACallback: a callback that panics takes the call with it in which it was called, and nothing else: the
// rest is told, and the connection can be used.
func TestPanicInACallback(t *testing.T) {
	ctx := trial.Within(t, 20*time.Second)
	v, f := readVectors(t), newFake(t)
	c := f.connect(ctx, v, client.Options{})
	defer c.Close()
	armed := false
	c.Watch(client.On{Sheet: 6, Field: "hull"}, func(client.Change) {
		if armed {
			panic("a mistake of the game's")
		}
	})
	told := make(chan client.Change, 10)
	c.Watch(client.On{Sheet: 6, Field: "hull"}, func(ch client.Change) { told <- ch })
	<-told
	armed = true
	thrown := func(what string, f func()) {
		defer func() {
			if recover() == nil {
				t.Errorf("the panic in %s did not come through", what)
			}
		}()
		f()
	}
	thrown("Send", func() {
		c.Send(client.Intent{Do: "act", Name: "hit", Target: 6,
			Expect: []client.Expected{{Sheet: 6, Field: "hull", Value: client.Whole(40)}}})
	})
	thrown("Wait", func() { c.Wait(ctx, func(*client.Copy) bool { panic("another one") }) })
	thrown("Read", func() { c.Read(func(*client.Copy) { panic("another one") }) })
	armed = false
	in := f.next("intent")
	f.say(
		map[string]any{"is": "verdict", "seat": in["seat"], "n": in["n"], "ok": false, "code": "cooldown", "tick": 25})
	for _, want := range []int64{40, 100} {
		select {
		case ch := <-told:
			if ch.New.N[0] != want {
				t.Errorf("told %+v, not %d", ch.New, want)
			}
		case <-ctx.Done():
			t.Fatal("what was behind the panic is not told")
		}
	}
}

// TestConnectIsGivenUp: Connect returns when its time is up, also where a callback waits for what it returns.
func TestConnectIsGivenUp(t *testing.T) {
	v, f := readVectors(t), newFake(t)
	ctx, giveUp := context.WithCancel(trial.Within(t, 20*time.Second))
	returned := make(chan error)
	go func() {
		back := make(chan struct{})
		_, err := client.Connect(ctx, client.Options{Address: f.address, Token: "token", Lobby: "K7WPQ4", JSON: true,
			OnNotice: func(client.Notice) { giveUp(); <-back }})
		close(back)
		returned <- err
	}()
	f.accept()
	f.welcome(v)
	f.say(`{"is":"notice","do":"cheer","tick":0}`)
	select {
	case err := <-returned:
		if !errors.Is(err, context.Canceled) {
			t.Errorf("given up, it returns %v", err)
		}
	case <-trial.Within(t, 10*time.Second).Done():
		t.Error("it waits for a callback that waits for it")
	}
}

// TestHandshakeRefused: why a handshake is refused is told with its code; a client that comes back tries again where
// the service has too much to do, and gives up where that cannot help.
func TestHandshakeRefused(t *testing.T) {
	ctx := trial.Within(t, 20*time.Second)
	v, f := readVectors(t), newFake(t)
	o := client.Options{Address: f.address, Token: "token", Lobby: "K7WPQ4", JSON: true}
	f.refuses.Store(http.StatusTooManyRequests)
	_, err := client.Connect(ctx, o)
	if r := (*client.Refusal)(nil); !errors.As(err, &r) || r.Code != "too-many-requests" || r.Status != 429 {
		t.Fatalf("refused with %v", err)
	}
	connected := make(chan *client.Conn, 1)
	go func() {
		c, err := client.Connect(ctx, o)
		if err != nil {
			t.Error(err)
		}
		connected <- c
	}()
	f.accept()
	f.welcome(v)
	f.say(v.Story[0].JSON)
	c := <-connected
	for _, status := range []int32{http.StatusTooManyRequests, http.StatusBadGateway} {
		f.refuses.Store(status)
		f.ws.Close()
		f.accept()
		f.welcome(v)
		f.say(v.Story[0].JSON)
	}
	f.refuses.Store(http.StatusForbidden)
	f.ws.Close()
	select {
	case <-c.Done():
		if client.CodeOf(c.Err()) == "" {
			t.Errorf("it ends with %v", c.Err())
		}
	case <-ctx.Done():
		t.Error("it does not give up")
	}
}
