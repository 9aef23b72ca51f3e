package api

import (
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5/middleware"
)

// TestRequestIDs: a request keeps the ID that it brings, if that may stand in a log as it is; otherwise it gets one of
// its own, which says nothing of this machine.
func TestRequestIDs(t *testing.T) {
	var got string
	h := requestID(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		got = middleware.GetReqID(r.Context())
	}))
	host, _ := os.Hostname()
	seen := map[string]bool{}
	for brings, kept := range map[string]bool{"": false, "a-1.b_2": true, strings.Repeat("x", 64): true,
		strings.Repeat("x", 65): false, "a b": false, "a\nb": false, "\x1b[31m": false, "ø": false} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.Header.Set("X-Request-Id", brings)
		h.ServeHTTP(httptest.NewRecorder(), r)
		if (got == brings) != kept || got == "" || host != "" && strings.Contains(got, host) || seen[got] {
			t.Errorf("with %q the request is called %q", brings, got)
		}
		seen[got] = true
	}
}
