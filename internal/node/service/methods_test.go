package service_test

import (
	"io"
	"net/http"
	"strings"
	"testing"
)

// TestMediaTypes: JSON in UTF-8 is JSON however its type is written; nothing else is.
func TestMediaTypes(t *testing.T) {
	for kind, want := range map[string]int{"": 400, "application/json": 400, "Application/JSON; charset=UTF-8": 400,
		"application/jsonx": 415, "text/json": 415, "application/json; charset=latin-1": 415, "application/json;;": 415,
		"application/x-www-form-urlencoded": 415} {
		req, err := http.NewRequestWithContext(soon(t), "POST", node.Address+"/v1/sign-in/device",
			strings.NewReader("{}"))
		if err != nil {
			t.Fatal(err)
		}
		if kind != "" {
			req.Header.Set("Content-Type", kind)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode != want {
			t.Errorf("%q: %d, not %d", kind, res.StatusCode, want)
		}
	}
}

// TestMethods: an address says which methods it takes; HEAD is GET without the body; under /v1 what is not there is a
// problem document, and not the console.
func TestMethods(t *testing.T) {
	for _, c := range []struct {
		method, path string
		status       int
		allow        string
	}{{"PUT", "/v1/lobbies", 405, "GET, HEAD, POST, OPTIONS"}, {"GET", "/v1/sign-out", 405, "POST, OPTIONS"},
		{"POST", "/health", 405, "GET, HEAD, OPTIONS"}, {"HEAD", "/v1/lobbies", 200, ""},
		{"HEAD", "/v1/matches/none", 404, ""}, {"GET", "/v1", 404, ""}, {"GET", "/v1/nothing", 404, ""}} {
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

// TestHeaders: no answer lets a page of others frame it, load from elsewhere, guess types or tell where it came from;
// no folder is listed, and no file of the machine is shown.
func TestHeaders(t *testing.T) {
	for _, path := range []string{"/", "/assets/", "/assets", "/..%2fgo.mod", "/health", "/v1/lobbies", "/v1/nothing"} {
		req, err := http.NewRequestWithContext(soon(t), "GET", node.Address+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		body, _ := io.ReadAll(res.Body)
		res.Body.Close()
		policy := res.Header.Get("Content-Security-Policy")
		if !strings.HasPrefix(policy, "default-src 'self';") || !strings.Contains(policy, "frame-ancestors 'none'") ||
			res.Header.Get("X-Content-Type-Options") != "nosniff" ||
			res.Header.Get("Referrer-Policy") != "no-referrer" ||
			res.Header.Get("Server") != "" {
			t.Errorf("%s: %v", path, res.Header)
		}
		if text := string(body); strings.Contains(text, "<pre>") || strings.Contains(text, "module turnvex") {
			t.Errorf("%s shows %.100s", path, body)
		}
	}
}
