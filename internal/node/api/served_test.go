package api_test

import (
	"bytes"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/api"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestDocument: the OpenAPI document beside the code is the one that the routes make.
func TestDocument(t *testing.T) {
	made, err := api.OpenAPI()
	kept, bad := os.ReadFile("../../../docs/openapi.json")
	if err != nil || bad != nil || !bytes.Equal(bytes.TrimSpace(made), bytes.TrimSpace(kept)) {
		t.Errorf("docs/openapi.json is not what the routes make: %v, %v; ./dev docs writes it", err, bad)
	}
}

// TestPracticeJournal: who has a seat in a practice lobby, and a service key, get its journal; nobody else does, and no
// other lobby's. What is no JSON in UTF-8 is not taken.
func TestPracticeJournal(t *testing.T) {
	node := alone(t)
	ctx := trial.Within(t, time.Minute)
	var in []*client.Signed
	for _, name := range []string{"Ada", "Bo"} {
		one, err := client.SignIn(ctx, node.Address, "a-device-key-of-"+name+"-0123456789", name)
		if err != nil {
			t.Fatal(err)
		}
		in = append(in, one)
	}
	op, err := client.SignInKey(ctx, node.Address, "operator-key-of-the-tests")
	if err != nil {
		t.Fatal(err)
	}
	ask := func(method, path, token, kind, body string) (status int, answer string) {
		t.Helper()
		req, err := http.NewRequestWithContext(ctx, method, node.Address+path, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+token)
		if kind != "" {
			req.Header.Set("Content-Type", kind)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		data, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res.StatusCode, string(data)
	}
	const book = "turnvex: 1\nname: barge\nplayers: {least: 1, most: 2}\nphases: {play: {lasts: 60s}}\n"
	if status, answer := ask("POST", "/v1/rulebooks", op.Token, "", book); status != http.StatusOK {
		t.Fatal(answer)
	}
	for kind, want := range map[string]int{"": 400, "application/json": 400, "application/json; charset=UTF-8": 400,
		"application/json; charset=latin1": 415, "text/plain": 415, "application/json; x": 415} {
		if status, answer := ask("POST", "/v1/lobbies", in[0].Token, kind, "{"); status != want {
			t.Errorf("%q is answered with %d: %s", kind, status, answer)
		}
	}
	for _, practice := range []bool{true, false} {
		l, err := client.Service{Address: node.Address, Token: in[0].Token}.Open(ctx, client.Opening{Rulebook: "barge",
			Practice: practice})
		if err != nil {
			t.Fatal(err)
		}
		c, err := client.Connect(ctx, client.Options{Address: node.Address, Token: in[0].Token, Lobby: l.Code})
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		for token, may := range map[string]bool{in[0].Token: practice, in[1].Token: false, op.Token: practice} {
			status, answer := ask("GET", "/v1/lobbies/"+l.Code+"/journal", token, "", "")
			if may != (status == http.StatusOK && len(answer) > 100) || !may && status != http.StatusForbidden {
				t.Errorf("practice %v: %d with %d bytes", practice, status, len(answer))
			}
		}
	}
}
