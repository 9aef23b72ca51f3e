package api

import (
	"net/http/httptest"
	"testing"

	"turnvex.example/turnvex/internal/node/ledger"
)

// TestWhoHasALimit: a request has a time limit, but for routes that may take long, with a token too, and for those that
// memory answers, as long as nobody's token has to be looked up.
func TestWhoHasALimit(t *testing.T) {
	for _, x := range []struct {
		route route
		token bool
		want  bool
	}{{route{}, false, true}, {route{}, true, true}, {route{long: true}, false, false},
		{route{long: true}, true, false}, {route{lazy: true}, false, false}, {route{lazy: true}, true, true}} {
		limited := false
		x.route.method, x.route.path = "GET", "/here"
		x.route.do = deed{do: func(_ *server, c *call) (any, error) {
			_, limited = c.r.Context().Deadline()
			return nil, nil
		}}
		s := &server{Config: Config{Ledger: &ledger.Ledger{}}}
		r := httptest.NewRequest("GET", "/here", nil)
		if x.token {
			r.Header.Set("Authorization", "Other x")
		}
		s.handle(x.route)(httptest.NewRecorder(), r)
		if limited != x.want {
			t.Errorf("long %v, lazy %v, token %v: limited %v", x.route.long, x.route.lazy, x.token, limited)
		}
	}
}
