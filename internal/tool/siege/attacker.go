package siege

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/client"
)

// tally is what an attack came to.
type tally struct {
	Sent    int            `json:"sent"`
	Answers map[string]int `json:"answers"` // by status, or by what happened to a connection
	Broken  []string       `json:"broken"`  // promises that did not hold
}

func (t *tally) answers() string {
	var out []string
	for _, k := range slices.Sorted(maps.Keys(t.Answers)) {
		out = append(out, fmt.Sprintf("%s×%d", k, t.Answers[k]))
	}
	return strings.Join(out, " ")
}

// attacker sends what an attack is made of.
type attacker struct {
	node   string // where it signs in before
	target string // where its traffic goes
	next   atomic.Int64
	mu     sync.Mutex
	tally  tally // guarded by mu
}

// bare tells whether the traffic goes to the listener that refuses everything.
func (a *attacker) bare() bool { return a.node != a.target }

func (a *attacker) count(answer string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.tally.Sent++
	a.tally.Answers[answer]++
}

// breaks notes a promise that did not hold.
func (a *attacker) breaks(format string, args ...any) {
	if a.bare() {
		return
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if len(a.tally.Broken) < 5 {
		a.tally.Broken = append(a.tally.Broken, fmt.Sprintf(format, args...))
	}
}

// from is a client that comes from an address of the attackers'.
func from(n int) *http.Client {
	d := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 66, byte(n/250), byte(n%250+1))}}
	return &http.Client{Timeout: 40 * time.Second, Transport: &http.Transport{DialContext: d.DialContext,
		MaxIdleConnsPerHost: 64}}
}

// guest signs a new player in at the node.
func (a *attacker) guest(ctx context.Context) *client.Signed {
	var in client.Signed
	key := fmt.Sprintf("a-device-of-the-besiegers-%d-%d", os.Getpid(), a.next.Add(1))
	for ctx.Err() == nil {
		err := client.Service{Address: a.node, HTTP: from(240)}.Call(ctx, "POST", "/v1/sign-in/device",
			map[string]string{"device": key, "name": "Besieger"}, &in)
		if err == nil {
			return &in
		}
		if client.CodeOf(err) != "too-many-requests" {
			panic(err)
		}
		time.Sleep(100 * time.Millisecond)
	}
	return &in
}

// call sends one request and counts its answer.
func (a *attacker) call(ctx context.Context, h *http.Client, method, path, token string, body any) (status int,
	answer []byte) {
	var r io.Reader
	switch b := body.(type) {
	case nil:
	case []byte:
		r = bytes.NewReader(b)
	default:
		data, _ := json.Marshal(b)
		r = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, a.target+path, r)
	if err != nil {
		a.count("bad")
		return 0, nil
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	res, err := h.Do(req)
	if err != nil {
		if ctx.Err() == nil {
			a.count("cut off")
		}
		return 0, nil
	}
	answer, _ = io.ReadAll(res.Body)
	res.Body.Close()
	a.count(fmt.Sprint(res.StatusCode))
	if res.StatusCode >= 500 && res.StatusCode != http.StatusServiceUnavailable {
		a.breaks("%s %s: %d %.100s", method, path, res.StatusCode, answer)
	}
	return res.StatusCode, answer
}

// dial opens a live connection and says hello, unless that is nil.
func (a *attacker) dial(ctx context.Context, n int, hello map[string]any) *websocket.Conn {
	d := websocket.Dialer{Subprotocols: []string{"turnvex.v1+json"}, NetDialContext: (&net.Dialer{
		LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 66, byte(n/250), byte(n%250+1))}}).DialContext}
	ws, res, err := d.DialContext(ctx, "ws"+strings.TrimPrefix(a.target, "http")+"/v1/live", nil)
	if err != nil {
		switch {
		case res != nil:
			a.count(fmt.Sprint(res.StatusCode))
		case ctx.Err() == nil:
			a.count("no connection")
		}
		return nil
	}
	if hello != nil {
		hello["is"] = "hello"
		ws.WriteJSON(hello)
	}
	return ws
}

// end reads a connection to its end, and counts with which word it ended.
func (a *attacker) end(ctx context.Context, ws *websocket.Conn) string {
	defer ws.Close()
	stop := context.AfterFunc(ctx, func() { ws.Close() })
	defer stop()
	word := "ended"
	for {
		var m struct{ Is, Code string }
		if err := ws.ReadJSON(&m); err != nil {
			if ctx.Err() != nil {
				word = "goes on"
			}
			a.count(word)
			return word
		}
		if m.Is == "bye" {
			word = m.Code
		}
	}
}

// each does something from several goroutines, again and again until the time is up.
func each(ctx context.Context, n int, do func(i int)) {
	var all sync.WaitGroup
	for i := range n {
		all.Go(func() {
			for ctx.Err() == nil {
				do(i)
			}
		})
	}
	all.Wait()
}

// at does something n times at once.
func at(n int, do func(i int)) {
	var all sync.WaitGroup
	for i := range n {
		all.Go(func() { do(i) })
	}
	all.Wait()
}

// runAttack is the process of an attacker: the attack's name, where the node is, where the traffic goes, how long.
func runAttack(ctx context.Context, args []string) error {
	if len(args) != 4 {
		return fmt.Errorf("an attack takes a name, two addresses and a time, not %q", args)
	}
	name, node, target := args[0], args[1], args[2]
	long, err := time.ParseDuration(args[3])
	if err != nil {
		return err
	}
	i := slices.IndexFunc(attacks, func(a *attack) bool { return a.name == name })
	if i < 0 {
		return fmt.Errorf("there is no attack %q", name)
	}
	a := &attacker{node: node, target: target, tally: tally{Answers: map[string]int{}}}
	a.next.Store(time.Now().UnixNano())
	run := attacks[i].prepare(ctx, a)
	fmt.Println("ready")
	ctx, cancel := context.WithTimeout(ctx, long)
	defer cancel()
	run(ctx)
	a.mu.Lock()
	defer a.mu.Unlock()
	return json.NewEncoder(os.Stdout).Encode(a.tally)
}
