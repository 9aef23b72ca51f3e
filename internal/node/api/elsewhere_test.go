package api

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

// TestWhoPassesForANode: what a node has signed is believed by the others, for this request and for half a minute; what
// anybody has bent, or signed for another request, is not.
func TestWhoPassesForANode(t *testing.T) {
	s := &server{Config: Config{Peers: []byte("a secret of all nodes")}}
	stranger := &server{Config: Config{Peers: []byte("another secret")}}
	request := func(method, path string) *http.Request { return httptest.NewRequest(method, path, nil) }
	good := s.sign(request("GET", "/v1/lobbies/ABCDEF?x=1"), "203.0.113.7", asItIs)
	with := func(r *http.Request, said string) *http.Request {
		r.Header.Set(peerHeader, said)
		return r
	}
	client, manner, ok := s.passedOn(with(request("GET", "/v1/lobbies/ABCDEF?x=1"), good))
	if !ok || client != "203.0.113.7" || manner != asItIs {
		t.Errorf("%q, %q, %v", client, manner, ok)
	}
	for what, r := range map[string]*http.Request{
		"another address": with(request("GET", "/v1/lobbies/ABCDEG?x=1"), good),
		"another query":   with(request("GET", "/v1/lobbies/ABCDEF?x=2"), good),
		"another method":  with(request("POST", "/v1/lobbies/ABCDEF?x=1"), good),
		"another client": with(request("GET", "/v1/lobbies/ABCDEF?x=1"), strings.Replace(good,
			"203.0.113.7", "203.0.113.8", 1)),
		"another manner": with(request("GET", "/v1/lobbies/ABCDEF?x=1"), strings.Replace(good, asItIs, findOnly, 1)),
		"another secret": with(request("GET", "/v1/x"), stranger.sign(request("GET", "/v1/x"), "203.0.113.7", asItIs)),
		"nothing":        request("GET", "/v1/lobbies/ABCDEF?x=1"),
		"too little":     with(request("GET", "/v1/lobbies/ABCDEF?x=1"), "1 2 3"),
		"a long time ago": with(request("GET", "/v1/lobbies/ABCDEF?x=1"), late(s, request("GET",
			"/v1/lobbies/ABCDEF?x=1"))),
		"a time that is no one": with(request("GET", "/v1/x"), "now 203.0.113.7 here 00"),
	} {
		if _, _, ok := s.passedOn(r); ok {
			t.Errorf("%s is believed", what)
		}
	}
	if _, _, ok := (&server{}).passedOn(with(request("GET", "/v1/x"), (&server{}).sign(request("GET", "/v1/x"),
		"203.0.113.7", asItIs))); ok {
		t.Error("without a secret somebody is believed")
	}
}

// late is what was signed a minute ago.
func late(s *server, r *http.Request) string {
	said := fmt.Sprintf("%d 203.0.113.7 here", time.Now().Add(-time.Minute).UnixMilli())
	return said + " " + s.signature(r, said)
}

// FuzzPassedOn: whatever stands in the header, nobody is believed who has not signed it.
func FuzzPassedOn(f *testing.F) {
	f.Add("")
	f.Add("1764190000000 203.0.113.7 here 00")
	f.Add("9223372036854775807 a b c")
	s := &server{Config: Config{Peers: []byte("a secret of all nodes")}}
	f.Fuzz(func(t *testing.T, said string) {
		r := httptest.NewRequest("GET", "/v1/lobbies", nil)
		r.Header[peerHeader] = []string{said}
		if _, _, ok := s.passedOn(r); ok {
			t.Errorf("%q is believed", said)
		}
	})
}
