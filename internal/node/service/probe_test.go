package service_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/tool/trial"
	"turnvex.example/turnvex/internal/wire"
	"turnvex.example/turnvex/internal/wire/spec"
)

// What is thrown at the routes: raw in paths and queries, and as JSON in bodies.
var (
	nasty = []string{"\x00", "a\x00b", "\xff\xfe", "\u202e", "\x1b[2J", strings.Repeat("x", 5000), "-1", "0", "1",
		"99999999999999999999", "1e999", "NaN", "%", "'", "\"; --", "{}", "null", "..", "../..", "me", "tide", "duel",
		"2026-13-45T00:00:00Z", "0001-01-01T00:00:00Z", "9999999-01-01T00:00:00Z",
		"00000000-0000-0000-0000-000000000000",
		cursor("\x00"), cursor("\xff\x00|1"), cursor("2026-01-01T00:00:00Z|x"), cursor("a,b,c"), cursor(`{"n":1e99}`),
		cursor("1|2|3|4|5"), cursor("9223372036854775807 9223372036854775807"), "=", "true", "oldest", "csv"}
	nastyJSON = []string{`"\u0000"`, `"a\u0000b"`, "\"\xff\"", `"\ud800"`, `"\u202e"`, `1e400`, `-1`, `0`, `1.5`,
		`99999999999999999999`, `null`, `true`, `{}`, `[]`, `[null]`, `[""]`, `["\u0000"]`, `{"":0}`,
		`{"\u0000":"\u0000"}`,
		`""`, `"duel"`, `"00000000-0000-0000-0000-000000000000"`, `"` + strings.Repeat("y", 3000) + `"`,
		strings.Repeat("[", 3000), `[[[[[[[[[[1]]]]]]]]]]`}
)

func cursor(text string) string { return base64.RawURLEncoding.EncodeToString([]byte(text)) }

// TestNothingMakesItFail throws what does not belong there at every route, alone and signed in: whatever comes, the
// fault is not the service's, and its answer tells nothing of its inside.
func TestNothingMakesItFail(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 1))
	mara := player(t, "Mara")
	op, _ := ownOperator(t)
	code := lobby(t, mara, client.Opening{Rulebook: "duel"})
	join(t, mara, client.Options{Lobby: code})
	routes := slices.DeleteFunc(slices.Clone(openAPI.routes), func(d *described) bool {
		return !strings.HasPrefix(d.path, "/v1/") || // and what would sign the testers out, and all others
			slices.Contains([]string{"DELETE /v1/me", "POST /v1/me/sign-out", "POST " +
				"/v1/signing-keys"}, d.method+" "+d.path)
	})
	if len(routes) < 65 {
		t.Fatalf("the document has %d routes", len(routes))
	}
	inside := regexp.MustCompile(`SQLSTATE|gorm|pgx|panic|goroutine|\.go:|internal/|byte sequence| json: |strconv`)
	for n := range 20 {
		from := &http.Transport{DialContext: (&net.Dialer{ // an address of its own each time
			LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, 1, byte(n+1))}}).DialContext}
		h := &http.Client{Transport: roundTrip(func(req *http.Request) (*http.Response, error) {
			return openAPI.through(from, req)
		})}
		for range 3 {
			for _, d := range routes {
				req := probe(t.Context(), r, d, code)
				if token := []string{"", mara.Token, op.Token}[r.IntN(3)]; token != "" {
					req.Header.Set("Authorization", "Bearer "+token)
				}
				res, err := h.Do(req)
				if err != nil {
					t.Fatalf("seed %d: %s %s: %v", seed, req.Method, req.URL, err)
				}
				body, _ := io.ReadAll(io.LimitReader(res.Body, 1<<20))
				res.Body.Close()
				if res.StatusCode >= 500 || res.StatusCode >= 400 && inside.Match(body) {
					t.Errorf("seed %d: %s %.300q: %d %.300s", seed, req.Method, req.URL.String()+" "+
						""+req.Header.Get("Probe"),
						res.StatusCode, body)
				}
			}
		}
		from.CloseIdleConnections()
	}
}

// probe is a request to a route with something in it that does not belong there.
func probe(ctx context.Context, r *rand.Rand, d *described, code string) *http.Request {
	any := func(list []string) string { return list[r.IntN(len(list))] }
	path := regexp.MustCompile(`\{[a-z]+\}`).ReplaceAllStringFunc(d.path, func(name string) string {
		if name == "{code}" && r.IntN(2) == 0 {
			return code
		}
		if name == "{rulebook}" && r.IntN(2) == 0 {
			return "duel"
		}
		return url.PathEscape(any(nasty))
	})
	q, body := url.Values{}, ""
	for range r.IntN(3) {
		if len(d.query) > 0 {
			q.Set(any(d.query), any(nasty))
		}
	}
	if len(d.body) > 0 {
		var fields []string
		for range 1 + r.IntN(3) {
			fields = append(fields, fmt.Sprintf("%q:%s", any(d.body), any(nastyJSON)))
		}
		body = "{" + strings.Join(fields, ",") + "}"
	}
	if d.method != "GET" && (body == "" || r.IntN(8) == 0) {
		body = any(append(nasty, nastyJSON...))
	}
	req, err := http.NewRequestWithContext(ctx, d.method, node.Address+path+"?"+q.Encode(),
		bytes.NewReader([]byte(body)))
	if err != nil {
		panic(err)
	}
	req.Header.Set("Probe", fmt.Sprintf("%.200q", body))
	return req
}

// roundTrip is a function that sends requests.
type roundTrip func(*http.Request) (*http.Response, error)

func (f roundTrip) RoundTrip(r *http.Request) (*http.Response, error) { return f(r) }

// TestNoMessageMakesItFail sends messages with something in them that does not belong there, in both encodings, as
// everybody who may connect: each connection goes on, or ends with a word that is no fault of the service's and tells
// nothing of its inside.
func TestNoMessageMakesItFail(t *testing.T) {
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 2))
	code, a, _ := started(t, "duel", client.Options{})
	op, _ := ownOperator(t)
	inside := regexp.MustCompile(`SQLSTATE|gorm|pgx|panic|goroutine|\.go:|internal/|json: |cbor: |strconv|wire\.`)
	for n := range 150 {
		enc := replica.Encoding(r.IntN(2))
		hello := map[string]any{"is": "hello", "lobby": code}
		switch r.IntN(6) {
		case 0:
			hello["token"], hello["watch"] = player(t, "Ines").Token, true
		case 1:
			hello["token"], hello["all"] = op.Token, true
		case 2:
			hello["token"], hello["referee"] = op.Token, true
		case 3:
			hello = map[string]any{"is": "hello", "token": op.Token, "list": map[string]any{}}
		case 4:
			topic := []string{"results", "nodes", "metrics", "players", "audit", "nothing"}[r.IntN(6)]
			hello = map[string]any{"is": "hello", "token": op.Token, "topic": map[string]any{"name": topic}}
		default:
			hello["token"] = player(t, "Ines").Token
		}
		ws, _, err := (&websocket.Dialer{Subprotocols: []string{wire.Subprotocols[enc]}}).DialContext(soon(t),
			"ws"+strings.TrimPrefix(node.Address, "http")+"/v1/live", nil)
		if err != nil {
			t.Fatal(err)
		}
		kind := []int{websocket.TextMessage, websocket.BinaryMessage}[enc]
		var sent [][]byte
		if n%10 != 0 { // otherwise the first message is a bad one
			sent = append(sent, wire.Encode(enc, hello))
		}
		for range 1 + r.IntN(4) {
			sent = append(sent, badMessage(r, enc))
		}
		for _, m := range sent {
			ws.WriteMessage(kind, m)
		}
		ws.WriteMessage(kind, []byte("the end")) // which is no message
		ws.SetReadDeadline(time.Now().Add(20 * time.Second))
		for {
			_, data, err := ws.ReadMessage()
			if err != nil {
				if late := net.Error(nil); errors.As(err, &late) && late.Timeout() {
					t.Errorf("seed %d: after %q the connection hangs", seed, sent)
				}
				break
			}
			if is, _ := wire.Kind(enc, data); is != "bye" && is != "verdict" && is != "ruled" {
				continue
			}
			if inside.Match(data) || bytes.Contains(data, []byte(`internal`)) {
				t.Errorf("seed %d: after %q it says %q", seed, sent, data)
			}
		}
		ws.Close()
	}
	do(t, a, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": 1}})
}

// badMessage is one of a client's messages with a value changed, a key added, or bytes bent.
func badMessage(r *rand.Rand, enc replica.Encoding) []byte {
	var list []spec.Message
	for _, m := range spec.Messages {
		if m.From != spec.Service {
			list = append(list, m)
		}
	}
	m := map[string]any{}
	if err := json.Unmarshal([]byte(list[r.IntN(len(list))].Example), &m); err != nil {
		panic(err)
	}
	values := []any{nil, true, -1, 1.5, 1e300, "", "\x00", "\u202e", strings.Repeat("x", 5000), []any{},
		map[string]any{},
		[]any{1, 2}, "everything", 1 << 40, map[string]any{"a": []any{nil}}}
	keys := slices.Sorted(maps.Keys(m))
	for range 1 + r.IntN(2) {
		key := keys[r.IntN(len(keys))]
		if r.IntN(6) == 0 {
			key = "odd"
		}
		m[key] = values[r.IntN(len(values))]
	}
	data := wire.Encode(enc, m)
	if r.IntN(4) == 0 && len(data) > 0 {
		data[r.IntN(len(data))] ^= byte(1 << r.IntN(8))
	}
	return data
}
