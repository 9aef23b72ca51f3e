package api

import (
	"io"
	"net"
	"net/http"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/guard"
)

// TestSocketsOfAnAddress: one address has so many connections, of whatever kind; one too many is closed at once, and a
// place is free again when one ends. A proxy's are not counted.
func TestSocketsOfAnAddress(t *testing.T) {
	bare, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	proxies, err := ParseProxies("127.0.9.2")
	if err != nil {
		t.Fatal(err)
	}
	l := &listener{bare, &server{Config: Config{Guard: guard.New(), Proxies: proxies}},
		&guard.Limit{Name: "sockets", By: "address", Most: 5}}
	here := func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, "here") }
	s := &http.Server{Handler: http.HandlerFunc(here)}
	t.Cleanup(func() { s.Close() })
	go s.Serve(l)
	dial := func(from byte) net.Conn {
		d := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, 9, from)}}
		c, err := d.DialContext(t.Context(), "tcp", bare.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Close() })
		c.SetReadDeadline(time.Now().Add(20 * time.Second))
		return c
	}
	answers := func(c net.Conn) bool {
		io.WriteString(c, "GET / HTTP/1.1\r\nHost: x\r\n\r\n")
		n, _ := c.Read(make([]byte, 100))
		return n > 0
	}
	var all []net.Conn
	for i := range 5 {
		c := dial(1)
		if all = append(all, c); !answers(c) {
			t.Errorf("connection %d is not answered", i)
		}
	}
	if answers(dial(1)) {
		t.Error("one too many is answered")
	}
	for i := range 7 {
		if !answers(dial(2)) {
			t.Errorf("connection %d of a proxy is not answered", i)
		}
	}
	all[0].Close()
	for !answers(dial(1)) {
		if t.Context().Err() != nil {
			t.Fatal("no place is given back")
		}
	}
}
