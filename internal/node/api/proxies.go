package api

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
)

// ParseProxies reads the addresses, such as 10.0.0.1, and networks, such as 10.0.0.0/8, of
// the proxies whose forwarded headers are believed.
func ParseProxies(text string) (out []netip.Prefix, err error) {
	for _, word := range strings.Fields(strings.ReplaceAll(text, ",", " ")) {
		p, err := netip.ParsePrefix(word)
		if err != nil {
			a, e := netip.ParseAddr(word)
			if e != nil {
				return nil, fmt.Errorf("%q is neither an address, such as 10.0.0.1, nor a network, such as 10.0.0.0/8",
					word)
			}
			p = netip.PrefixFrom(a, a.BitLen())
		}
		out = append(out, p.Masked())
	}
	return out, nil
}

// ParseOrigins reads the origins of pages, as browsers send them (RFC 6454): a scheme and a
// host, and a port unless it is the scheme's own. What no browser sends can never match.
func ParseOrigins(text string) (out []string, err error) {
	for _, word := range strings.Fields(strings.ReplaceAll(text, ",", " ")) {
		u, err := url.Parse(word)
		usual := map[string]string{"http": "80", "https": "443"}
		if err != nil || usual[u.Scheme] == "" || u.Host == "" || u.Scheme+"://"+u.Host != word ||
			strings.ToLower(word) != word || u.Port() == usual[u.Scheme] {
			return nil, fmt.Errorf("no browser sends the origin %q; one is https://play.example or "+
				"http://localhost:5173: small letters, no path, and no port that is the scheme's own", word)
		}
		out = append(out, word)
	}
	return out, nil
}

// outside is how a request looked where it came in from outside.
type outside struct{ address, scheme string }

type outsideKey struct{}

// forwarded makes a request that a known proxy has passed on look as it did there: address,
// host and scheme are those of its headers X-Forwarded-For, -Host and -Proto. Of others these
// headers are not believed.
func (s *server) forwarded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		o := outside{address: peer(r), scheme: "http"}
		if r.TLS != nil {
			o.scheme = "https"
		}
		if s.isProxy(o.address) {
			o.address = s.client(r, o.address)
			if proto := last(r.Header.Get("X-Forwarded-Proto")); proto == "http" || proto == "https" {
				o.scheme = proto
			}
			if host := last(r.Header.Get("X-Forwarded-Host")); host != "" && plainText(host) {
				r = r.Clone(r.Context())
				r.Host = host
			}
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), outsideKey{}, o)))
	})
}

// client is the address nearest to us of those that were passed on that is no proxy.
func (s *server) client(r *http.Request, peer string) string {
	all := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(all) - 1; i >= 0; i-- {
		a, err := netip.ParseAddr(strings.TrimSpace(all[i]))
		if err != nil {
			break
		}
		if peer = a.Unmap().String(); !s.isProxy(peer) {
			break
		}
	}
	return peer
}

func (s *server) isProxy(address string) bool {
	a, err := netip.ParseAddr(address)
	if err != nil {
		return false
	}
	for _, p := range s.Proxies {
		if p.Contains(a.Unmap()) {
			return true
		}
	}
	return false
}

func last(list string) string {
	return strings.TrimSpace(list[strings.LastIndex(list, ",")+1:])
}

// peer is the address at the other end of the connection.
func peer(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// addressOf is the address that a request came from, seen from outside.
func addressOf(r *http.Request) string {
	if o, known := r.Context().Value(outsideKey{}).(outside); known {
		return o.address
	}
	return peer(r)
}

// schemeOf is the scheme with which a request came in from outside.
func schemeOf(r *http.Request) string {
	o, _ := r.Context().Value(outsideKey{}).(outside)
	return o.scheme
}
