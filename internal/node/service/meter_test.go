package service_test

import (
	"io"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
)

// TestMetrics: what the node counts is what docs/operations.md explains, no more and no less, and it counts; keys alone
// read it, unless it has an address of its own.
func TestMetrics(t *testing.T) {
	s := another(t, service.Config{Metrics: "127.0.0.1:0"})
	mara := player(t, "Mara")
	l, err := at(s, mara).Open(soon(t), client.Opening{Rulebook: "duel"})
	if err != nil {
		t.Fatal(err)
	}
	c, err := client.Connect(soon(t), client.Options{Address: s.Address, Token: mara.Token, Lobby: l.Code})
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	do(t, c, client.Intent{Do: "ready"})
	c.Do(soon(t), client.Intent{Do: "start"})
	wants(t, "a code that does not exist", at(s, mara).Call(soon(t), http.MethodGet, "/v1/lobbies/QQQQQQ", nil, nil),
		"no-such-lobby")
	read := func(address, token string) (int, string) {
		t.Helper()
		req, err := http.NewRequestWithContext(soon(t), http.MethodGet, address, nil)
		if err != nil {
			t.Fatal(err)
		}
		if token != "" {
			req.Header.Set("Authorization", "Bearer "+token)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		text, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(text)
	}
	for token, want := range map[string]int{"": 401, mara.Token: 403, operator(t).Token: 200} {
		if status, _ := read(s.Address+"/metrics", token); status != want {
			t.Errorf("%.8s…: %d, not %d", token, status, want)
		}
	}
	status, text := read(s.Metrics, "")
	if status != 200 {
		t.Fatal(status)
	}
	for _, want := range []string{"turnvex_lobbies 1", "turnvex_seats 1", "turnvex_live_connections 1",
		`turnvex_verdicts_total{code="ok"} 1`, `turnvex_live_messages_total{direction="in"}`,
		`turnvex_http_answers_total{status="404"} 1`,
		"turnvex_ledger_age_seconds 0", "turnvex_faults_total 0", "turnvex_tick_seconds_count"} {
		if !strings.Contains(text, "\n"+want) {
			t.Errorf("%s is not counted:\n%s", want, text)
		}
	}
	page, err := os.ReadFile("../../../docs/operations.md")
	if err != nil {
		t.Fatal(err)
	}
	var counted, explained []string
	for _, m := range regexp.MustCompile(`(?m)^# TYPE (\S+)`).FindAllStringSubmatch(text, -1) {
		counted = append(counted, m[1])
	}
	for _, m := range regexp.MustCompile("(?m)^\\| `(turnvex_[a-z_]+)`").FindAllStringSubmatch(string(page), -1) {
		explained = append(explained, m[1])
	}
	for _, name := range counted {
		if strings.HasPrefix(name, "turnvex_") && !slices.Contains(explained, name) {
			t.Errorf("docs/operations.md does not explain %s", name)
		}
	}
	for _, name := range explained {
		if !slices.Contains(counted, name) && name != "turnvex_refusals_total" { // nothing was refused yet
			t.Errorf("docs/operations.md explains %s, which is not counted", name)
		}
	}
}

// TestWhereAmI: a player, and whoever reads for them, learns in which lobbies they have a seat, so that who has lost
// the code comes back.
func TestWhereAmI(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	var codes []string
	for _, hidden := range []bool{false, true} {
		code := lobby(t, joss, client.Opening{Rulebook: "duel", Hidden: hidden})
		join(t, mara, client.Options{Lobby: code})
		codes = append(codes, code)
	}
	where := func() (out []string) {
		t.Helper()
		list, err := as(mara).MyLobbies(soon(t))
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range list {
			out = append(out, l.Code)
		}
		return out
	}
	if got := where(); len(got) != 2 || !slices.Contains(got, codes[0]) || !slices.Contains(got, codes[1]) {
		t.Errorf("in %v, not %v", got, codes)
	}
	list, err := operator(t).LobbiesOf(soon(t), mara.Player)
	if err != nil || len(list) != 2 {
		t.Errorf("an operator finds %v, %v", list, err)
	}
	_, err = as(joss).LobbiesOf(soon(t), mara.Player)
	wants(t, "asked by another player", err, "forbidden")
	if err := as(mara).Call(soon(t), http.MethodDelete, "/v1/lobbies/"+codes[0]+"/seat", nil, nil); err != nil {
		t.Fatal(err)
	}
	for got := where(); len(got) != 1 || got[0] != codes[1]; got = where() { // as soon as the lobby has published it
		if soon(t).Err() != nil {
			t.Fatalf("after leaving one: %v", got)
		}
	}
}
