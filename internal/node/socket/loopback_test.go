package socket

import (
	"net/http"
	"testing"
)

// TestLoopbackPage: a page of this machine may call this machine, and nobody else: neither a page of a name that leads
// here, nor one on another machine, nor what a proxy has passed on.
func TestLoopbackPage(t *testing.T) {
	for _, c := range []struct {
		origin, host, from, proxied string
		may                         bool
	}{
		{"http://localhost:5173", "127.0.0.1:7420", "127.0.0.1:50000", "", true},
		{"https://127.0.0.1", "localhost:7420", "[::1]:50000", "", true},
		{"http://[::1]:3000", "[::1]:7420", "127.0.0.9:50000", "", true},
		{"http://localhost", "127.0.0.1", "127.0.0.1:50000", "", true},
		{"http://localhost.example:5173", "127.0.0.1:7420", "127.0.0.1:50000", "", false},
		{"http://game.example", "127.0.0.1:7420", "127.0.0.1:50000", "", false},
		{"http://localhost:5173", "play.example", "127.0.0.1:50000", "", false},
		{"http://localhost:5173", "127.0.0.1:7420", "192.0.2.7:50000", "", false},
		{"http://localhost:5173", "127.0.0.1:7420", "127.0.0.1:50000", "X-Forwarded-For", false},
		{"http://localhost:5173", "127.0.0.1:7420", "127.0.0.1:50000", "Forwarded", false},
		{"http://localhost:5173", "127.0.0.1:7420", "127.0.0.1:50000", "Via", false},
		{"file://localhost", "127.0.0.1:7420", "127.0.0.1:50000", "", false},
		{"null", "127.0.0.1:7420", "127.0.0.1:50000", "", false},
		{"", "127.0.0.1:7420", "127.0.0.1:50000", "", false},
	} {
		r := &http.Request{Host: c.host, RemoteAddr: c.from, Header: http.Header{}}
		if c.origin != "" {
			r.Header.Set("Origin", c.origin)
		}
		if c.proxied != "" {
			r.Header.Set(c.proxied, "for=192.0.2.7")
		}
		if may := LoopbackPage(r); may != c.may {
			t.Errorf("%+v: it may: %v", c, may)
		}
	}
}
