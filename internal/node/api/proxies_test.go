package api

import (
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"
)

// TestForwarded: who a request comes from is believed of known proxies alone, of several the outermost that is one;
// what else the headers hold is the client's own invention.
func TestForwarded(t *testing.T) {
	proxies, err := ParseProxies("10.0.0.0/8, 192.0.2.7 ::1")
	if err != nil {
		t.Fatal(err)
	}
	s := &server{Config: Config{Proxies: proxies}}
	for _, c := range []struct {
		peer, chain, host, proto string
		address, seenHost, link  string
	}{
		{"203.0.113.5:40", "", "", "", "203.0.113.5", "inside", "http"},
		{"203.0.113.5:40", "1.2.3.4", "evil.example", "https", "203.0.113.5", "inside", "http"},
		{"10.1.1.1:40", "198.51.100.9", "play.example", "https", "198.51.100.9", "play.example", "https"},
		{"10.1.1.1:40", "1.2.3.4, 198.51.100.9, 192.0.2.7", "a, play.example", "http", "198.51.100.9", "play.example",
			"http"},
		{"[::1]:40", "2001:db8::9", "", "gopher", "2001:db8::9", "inside", "http"},
		{"10.1.1.1:40", "10.2.2.2", "", "", "10.2.2.2", "inside", "http"},
		{"10.1.1.1:40", "nonsense, 10.2.2.2", "", "", "10.2.2.2", "inside", "http"},
		{"10.1.1.1:40", "", "bad\x00host", "", "10.1.1.1", "inside", "http"},
	} {
		r := httptest.NewRequest("GET", "http://inside/", nil)
		r.RemoteAddr = c.peer
		r.Header.Set("Forwarded", "for=6.6.6.6;host=evil.example") // which nobody has said is to be believed
		for name, v := range map[string]string{"For": c.chain, "Host": c.host, "Proto": c.proto} {
			if v != "" {
				r.Header.Set("X-Forwarded-"+name, v)
			}
		}
		(&front{s}).forwarded(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
			if addressOf(r) != c.address || r.Host != c.seenHost || schemeOf(r) != c.link {
				t.Errorf("%v: %s %s %s", c, addressOf(r), r.Host, schemeOf(r))
			}
		})).ServeHTTP(httptest.NewRecorder(), r)
	}
	s.Forwarded = true
	for header, want := range map[string]string{
		"": "10.1.1.1 inside http",
		`for=198.51.100.9;proto=https;host=play.example`:            "198.51.100.9 play.example https",
		`for=1.2.3.4, For="198.51.100.9:4711";Host="play.example"`:  "198.51.100.9 play.example http",
		`for="[2001:db8::9]:4711";proto=HTTPS, for=10.9.9.9`:        "2001:db8::9 inside http",
		`for=1.2.3.4;by="a,b;c", for="_hidden"`:                     "10.1.1.1 inside http",
		`for=198.51.100.9;ext="x\", for=6.6.6.6";host=play.example`: "198.51.100.9 play.example http",
		`nonsense`: "10.1.1.1 inside http",
	} {
		r := httptest.NewRequest("GET", "http://inside/", nil)
		r.RemoteAddr = "10.1.1.1:40"
		r.Header.Set("Forwarded", header)
		r.Header.Set("X-Forwarded-For", "6.6.6.6") // nor this
		r.Header.Set("X-Forwarded-Host", "evil.example")
		(&front{s}).forwarded(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
			if got := addressOf(r) + " " + r.Host + " " + schemeOf(r); got != want {
				t.Errorf("%s: %s, not %s", header, got, want)
			}
		})).ServeHTTP(httptest.NewRecorder(), r)
	}
	if _, err := ParseProxies("10.0.0.0/8 proxy.example"); err == nil {
		t.Error("a name is taken for an address")
	}
}

// TestOrigins: an origin is one that a browser sends.
func TestOrigins(t *testing.T) {
	if got, err := ParseOrigins("https://play.example, http://localhost:5173"); err != nil || len(got) != 2 {
		t.Errorf("%v, %v", got, err)
	}
	for _, bad := range []string{"play.example", "https://play.example/", "https://Play.example",
		"https://play.example:443", "*", "ftp://play.example", "https://play.example/x", "https://"} {
		if got, err := ParseOrigins(bad); err == nil {
			t.Errorf("%q is %q", bad, got)
		}
	}
}

// TestCORS: pages of the origins that are allowed may call the HTTP routes, with a token, and pages of this machine may
// call a loopback address, but not the routes of the console's cookie; others are told nothing.
func TestCORS(t *testing.T) {
	s := &server{Config: Config{Origins: []string{"https://play.example"}}}
	fine := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(200) })
	h := (&front{s}).crossOrigin()(fine)
	const local, own = "http://localhost:5173", "http://127.0.0.1:7420"
	for _, c := range [][3]string{{"https://play.example", "http://inside/v1/me", "https://play.example"},
		{"https://other.example", "http://inside/v1/me", ""}, {local, own + "/v1/me", local},
		{local, own + "/v1/console/session", ""}, {local, own + "/v1/console/session/renew", ""},
		{"https://play.example", own + "/v1/console/session", "https://play.example"},
		{local, "http://inside/v1/me", ""}} {
		origin, want := c[0], c[2]
		r := httptest.NewRequest("OPTIONS", c[1], nil)
		r.RemoteAddr = "127.0.0.1:50000"
		r.Header.Set("Origin", origin)
		r.Header.Set("Access-Control-Request-Method", "PATCH")
		r.Header.Set("Access-Control-Request-Headers", "authorization,content-type")
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		if got := w.Header().Get("Access-Control-Allow-Origin"); got != want {
			t.Errorf("%s may ask %s: %q", origin, c[1], got)
		}
		if got := w.Header().Get("Access-Control-Allow-Methods"); (got == "PATCH") != (want != "") {
			t.Errorf("%s may use %q", origin, got)
		}
	}
}

// FuzzForwarded: whatever a proxy passes on, the address that is counted is one, and that of a client that comes
// without a proxy is its own.
func FuzzForwarded(f *testing.F) {
	for _, seed := range []string{"", "1.2.3.4", `for="[2001:db8::9]:4711";proto=https`, `for=a,for="b\",c"`, ",,;=\""} {
		f.Add(seed, seed, "play.example")
	}
	proxies, _ := ParseProxies("10.0.0.0/8")
	s := &server{Config: Config{Proxies: proxies}}
	f.Fuzz(func(t *testing.T, forwarded, chain, host string) {
		for _, peer := range []string{"10.1.1.1", "203.0.113.5"} {
			s.Forwarded = len(chain)%2 == 0
			r := httptest.NewRequest("GET", "http://inside/", nil)
			r.RemoteAddr = peer + ":40"
			r.Header = http.Header{"Forwarded": {forwarded}, "X-Forwarded-For": {chain}, "X-Forwarded-Host": {host}}
			(&front{s}).forwarded(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
				a, err := netip.ParseAddr(addressOf(r))
				if err != nil || a.String() != addressOf(r) || !plainText(r.Host) {
					t.Errorf("%q %q %q: %q, %q", forwarded, chain, host, addressOf(r), r.Host)
				}
				if peer[0] == '2' && (addressOf(r) != peer || r.Host != "inside" || schemeOf(r) != "http") {
					t.Errorf("believed of a client: %q %q", addressOf(r), r.Host)
				}
			})).ServeHTTP(httptest.NewRecorder(), r)
		}
	})
}
