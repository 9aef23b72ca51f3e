package api

import (
	"context"
	"fmt"
	"mime"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
)

// ParseProxies reads the addresses, such as 10.0.0.1, and networks, such as 10.0.0.0/8, of the proxies whose forwarded
// headers are believed.
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

// ParseOrigins reads the origins of pages, as browsers send them (RFC 6454): a scheme and a host, and a port unless it
// is the scheme's own. What no browser sends can never match.
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
type outside struct {
	address, scheme string
	manner          string // in which another node has passed it on; "" if none has
}

type outsideKey struct{}

// forwarded makes a request that a known proxy has passed on look as it did there: address, host and scheme are those
// of the headers X-Forwarded-For, -Host and -Proto or, where the node is set to that, of Forwarded (RFC 7239): of the
// one that the proxy sets, since whoever asks may send the other. Of others these headers are not believed.
func (s *front) forwarded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		o := outside{address: peer(r), scheme: "http"}
		if r.TLS != nil {
			o.scheme = "https"
		}
		client, manner, passedOn := s.passedOn(r)
		switch {
		case passedOn:
			o.address, o.manner = client, manner
			if proto := r.Header.Get("X-Forwarded-Proto"); proto == "https" {
				o.scheme = proto
			}
		case s.isProxy(o.address):
			hops := hopsOf(r.Header, s.Forwarded)
			o.address = s.client(hops, o.address)
			if len(hops) > 0 {
				if proto := hops[len(hops)-1].proto; proto == "http" || proto == "https" {
					o.scheme = proto
				}
				if host := hops[len(hops)-1].host; host != "" && plainText(host) {
					r = r.Clone(r.Context())
					r.Host = host
				}
			}
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), outsideKey{}, o)))
	})
}

// hop is what a proxy says of the request that it has passed on.
type hop struct{ from, proto, host string }

// hopsOf are the hops that a request is said to have come over, the nearest last.
func hopsOf(h http.Header, forwarded bool) (out []hop) {
	if forwarded {
		all := strings.Join(h.Values("Forwarded"), ",")
		if all == "" {
			return nil
		}
		for _, element := range elements(all) {
			_, params, err := mime.ParseMediaType("hop;" + strings.TrimSpace(element)) // the same form of parameters
			if err != nil {
				out = append(out, hop{}) // nothing beyond it is believed
				continue
			}
			out = append(out, hop{params["for"], strings.ToLower(params["proto"]), params["host"]})
		}
		return out
	}
	for _, from := range strings.Split(strings.Join(h.Values("X-Forwarded-For"), ","), ",") {
		out = append(out, hop{from: strings.TrimSpace(from)})
	}
	nearest := &out[len(out)-1]
	nearest.proto, nearest.host = last(h.Get("X-Forwarded-Proto")), last(h.Get("X-Forwarded-Host"))
	return out
}

// elements splits a list at its commas, but for those within quotes (RFC 9110, section 5.6.4).
func elements(list string) (out []string) {
	begin, quoted := 0, false
	for i := 0; i < len(list); i++ {
		switch {
		case quoted && list[i] == '\\':
			i++
		case list[i] == '"':
			quoted = !quoted
		case list[i] == ',' && !quoted:
			out = append(out, list[begin:i])
			begin = i + 1
		}
	}
	return append(out, list[begin:])
}

// client is the address nearest to us of those that were passed on that is no proxy.
func (s *front) client(hops []hop, peer string) string {
	for i := len(hops) - 1; i >= 0; i-- {
		a, err := nodeAddress(hops[i].from)
		if err != nil {
			break
		}
		if peer = a.Unmap().WithZone("").String(); !s.isProxy(peer) {
			break
		}
	}
	return peer
}

// nodeAddress reads an address as proxies write it: with or without a port, and that of the sixth version in brackets
// or not (RFC 7239, section 6).
func nodeAddress(text string) (netip.Addr, error) {
	if ap, err := netip.ParseAddrPort(text); err == nil {
		return ap.Addr(), nil
	}
	return netip.ParseAddr(strings.TrimSuffix(strings.TrimPrefix(text, "["), "]"))
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
