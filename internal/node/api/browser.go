package api

import (
	"net/http"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
)

var browserRoutes = []route{
	{
		method: "POST", path: "/v1/console/session", out: account.SignedIn{},
		do: taking((*sessions).browse),
		summary: "Sign in with a service key in a browser: a cookie that scripts cannot read renews the token " +
			"for up to 12 hours, at least once an hour",
	},
	{method: "POST", path: "/v1/console/session/renew", out: account.SignedIn{}, do: by((*sessions).renewBrowser),
		summary: "The next token for this browser's session, by its cookie"},
	{method: "DELETE", path: "/v1/console/session", do: by((*sessions).endBrowser),
		summary: "End the session in this browser"},
}

// browserCookie holds the secret of a session. It never goes along with a request that another site's page makes, and
// over HTTPS no other host can set it (RFC 6265bis, SameSite and the prefix __Host-, which asks for the path /).
const browserCookie = "turnvex-console"

func (c *call) setCookie(secret string, seconds int) {
	cookie := http.Cookie{Name: c.cookieName(), Value: secret, Path: "/v1/console", MaxAge: seconds, HttpOnly: true,
		SameSite: http.SameSiteStrictMode}
	if cookie.Secure = schemeOf(c.r) == "https"; cookie.Secure {
		cookie.Path = "/"
	}
	http.SetCookie(c.w, &cookie)
}

func (c *call) cookieName() string {
	if schemeOf(c.r) == "https" {
		return "__Host-" + browserCookie
	}
	return browserCookie
}

func (s *sessions) browse(c *call, in keyRequest) (any, error) {
	out, secret, err := s.Accounts.Browse(c.r.Context(), in.Key, addressOf(c.r))
	if err == nil {
		c.setCookie(secret, int(account.BrowserLife.Seconds()))
	}
	return out, err
}

func (s *sessions) renewBrowser(c *call) (any, error) {
	cookie, err := c.r.Cookie(c.cookieName())
	if err != nil {
		return nil, fault.New(code.NoToken, "there is no session in this browser: sign in with a key")
	}
	out, err := s.Accounts.RenewBrowser(c.r.Context(), cookie.Value)
	if fault.CodeOf(err) == code.BadToken {
		c.setCookie("", -1)
	}
	return out, err
}

func (s *sessions) endBrowser(c *call) (any, error) {
	c.setCookie("", -1)
	if cookie, err := c.r.Cookie(c.cookieName()); err == nil {
		return nil, s.Accounts.EndBrowser(c.r.Context(), cookie.Value)
	}
	return nil, nil
}
