package service_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/seed"
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

// described is a route as docs/http.md has it.
type described struct {
	method, path string
	names        []string // of parameters and of fields of the body
}

func describedRoutes(t *testing.T) (out []described) {
	page, err := os.ReadFile("../../../docs/http.md")
	if err != nil {
		t.Fatal(err)
	}
	heading, row := regexp.MustCompile("(?m)^### `([A-Z]+) (/v1/[^`]*)`$"), regexp.MustCompile("(?m)^\\| `([a-z_]+)\\??`")
	at := heading.FindAllSubmatchIndex(page, -1)
	for i, m := range at {
		end := len(page)
		if i+1 < len(at) {
			end = at[i+1][0]
		}
		d := described{method: string(page[m[2]:m[3]]), path: string(page[m[4]:m[5]])}
		for _, f := range row.FindAllSubmatch(page[m[1]:end], -1) {
			d.names = append(d.names, string(f[1]))
		}
		switch d.method + " " + d.path {
		case "DELETE /v1/me", "POST /v1/me/sign-out": // they would sign the tester out
		default:
			out = append(out, d)
		}
	}
	return out
}

// TestNothingMakesItFail throws what does not belong there at every route, alone and signed
// in: whatever comes, the fault is not the service's, and its answer tells nothing of its
// inside.
func TestNothingMakesItFail(t *testing.T) {
	seed := seed.Of(t)
	r := rand.New(rand.NewPCG(seed, 1))
	mara, op := player(t, "Mara"), operator(t)
	code := lobby(t, mara, client.Opening{Rulebook: "duel"})
	join(t, mara, client.Options{Lobby: code})
	routes := describedRoutes(t)
	if len(routes) < 50 {
		t.Fatalf("docs/http.md has %d routes", len(routes))
	}
	inside := regexp.MustCompile(`SQLSTATE|gorm|pgx|panic|goroutine|\.go:|internal/|byte sequence| json: |strconv`)
	for n := range 40 {
		h := &http.Client{Transport: &http.Transport{DialContext: (&net.Dialer{ // an address of its own each time
			LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, 1, byte(n+1))}}).DialContext}}
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
					t.Errorf("seed %d: %s %.300q: %d %.300s", seed, req.Method, req.URL.String()+" "+req.Header.Get("Probe"),
						res.StatusCode, body)
				}
			}
		}
		h.CloseIdleConnections()
	}
}

// probe is a request to a route with something in it that does not belong there.
func probe(ctx context.Context, r *rand.Rand, d described, code string) *http.Request {
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
	if len(d.names) > 0 {
		var fields []string
		for range 1 + r.IntN(3) {
			name := any(d.names)
			q.Set(name, any(nasty))
			fields = append(fields, fmt.Sprintf("%q:%s", name, any(nastyJSON)))
		}
		body = "{" + strings.Join(fields, ",") + "}"
	}
	switch {
	case d.method == "GET":
		body = ""
	case r.IntN(8) == 0:
		body = any(append(nasty, nastyJSON...))
	default:
		q = url.Values{}
	}
	req, err := http.NewRequestWithContext(ctx, d.method, node.Address+path+"?"+q.Encode(), bytes.NewReader([]byte(body)))
	if err != nil {
		panic(err)
	}
	req.Header.Set("Probe", fmt.Sprintf("%.200q", body))
	return req
}
