package socket

import (
	"cmp"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
)

// proxyHeaders are what proxies add to a request: one that has any of them may come from anywhere.
var proxyHeaders = []string{"Forwarded", "Via", "X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Real-Ip"}

// LoopbackPage tells whether a request comes from a page that was loaded from this very machine, straight to a loopback
// address of the service: such pages are those of who develops a game here. Programs elsewhere cannot reach that
// address, and no page of another site has such an origin.
func LoopbackPage(r *http.Request) bool {
	if slices.ContainsFunc(proxyHeaders, func(h string) bool { return r.Header.Get(h) != "" }) {
		return false
	}
	u, err := url.Parse(r.Header.Get("Origin"))
	if err != nil || u.Scheme != "http" && u.Scheme != "https" {
		return false
	}
	return isLoopback(u.Host) && isLoopback(r.Host) && isLoopback(r.RemoteAddr)
}

// isLoopback tells whether a host, with or without a port, is this machine.
func isLoopback(host string) bool {
	name, _, err := net.SplitHostPort(host)
	if err != nil {
		name = strings.Trim(host, "[]")
	}
	a, err := netip.ParseAddr(cmp.Or(name, "-"))
	return name == "localhost" || err == nil && a.Unmap().IsLoopback()
}
