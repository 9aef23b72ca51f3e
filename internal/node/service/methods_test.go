package service_test

import (
	"io"
	"net/http"
	"testing"
)

// TestMethods: an address says which methods it takes; HEAD is GET without the body; under
// /v1 what is not there is a problem document, and not the console.
func TestMethods(t *testing.T) {
	for _, c := range []struct {
		method, path string
		status       int
		allow        string
	}{
		{"PUT", "/v1/lobbies", 405, "GET, HEAD, POST, OPTIONS"},
		{"GET", "/v1/sign-out", 405, "POST, OPTIONS"},
		{"POST", "/health", 405, "GET, HEAD, OPTIONS"},
		{"HEAD", "/v1/lobbies", 200, ""},
		{"HEAD", "/v1/matches/none", 404, ""},
		{"GET", "/v1", 404, ""},
		{"GET", "/v1/nothing", 404, ""},
	} {
		req, err := http.NewRequestWithContext(soon(t), c.method, node.Address+c.path, nil)
		if err != nil {
			t.Fatal(err)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		body, _ := io.ReadAll(res.Body)
		res.Body.Close()
		kind := res.Header.Get("Content-Type")
		if res.StatusCode != c.status || res.Header.Get("Allow") != c.allow ||
			c.status >= 400 && kind != "application/problem+json" || c.method == "HEAD" && len(body) > 0 {
			t.Errorf("%s %s: %d, Allow %q, %s, %.80s", c.method, c.path, res.StatusCode, res.Header.Get("Allow"), kind,
				body)
		}
	}
}
