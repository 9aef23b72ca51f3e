package api

import (
	"context"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/fault"
)

// access says who may call a route.
type access uint8

const (
	public   access = iota
	signedIn        // a player's token
	leaving         // a player's token, or one of who is leaving and may be banned
	tokened         // a player's token or a service key's
	reading         // a service key with any scope
	granting        // a service key with the scope grants or operator
	operator        // a service key with the scope operator
)

// route is one HTTP route: what the router, the access check and the OpenAPI document know of it.
type route struct {
	method  string
	path    string
	access  access
	summary string
	params  []param
	in      any // what the request's body is, where do does not say so; nil for none
	out     any // what the answer is
	status  int
	do      deed
	long    bool // may take longer than answerWithin
	lazy    bool // takes its time where it needs it, by call.timed: a limit costs more than what memory tells
	looks   bool // changes nothing, though it is no GET

	kinds []string // the media types of the answer, where it is not JSON
}

// body is what the request's body is, nil for none.
func (rt *route) body() any {
	if rt.do.in != nil {
		return rt.do.in
	}
	return rt.in
}

// answerWithin is the time for a request and all its statements.
const answerWithin = 20 * time.Second

// awayWithin is that time while the database is away: what needs it is refused soon, and what does not is answered
// anyway.
const awayWithin = 3 * time.Second

func (s *server) within() time.Duration {
	if _, since := s.Ledger.Waiting(); !since.IsZero() && time.Since(since) > time.Second {
		return awayWithin
	}
	return answerWithin
}

// param is a parameter in the query.
type param struct {
	name string
	doc  string
	kind string // string or integer
}

// call is one request with what the handlers need of it.
type call struct {
	w   http.ResponseWriter
	r   *http.Request
	who *account.Who // nil for a public route without a token
	q   url.Values   // what stands behind the path

	over context.CancelFunc // ends the time that it was given; nil if it was given none
}

// timed gives a request so much time from now on, once.
func (c *call) timed(within time.Duration) {
	if c.over == nil {
		var ctx context.Context
		ctx, c.over = context.WithTimeout(c.r.Context(), within)
		c.r = c.r.WithContext(ctx)
	}
}

func (c *call) end() {
	if c.over != nil {
		c.over()
	}
}

func (c *call) path(name string) string { return chi.URLParam(c.r, name) }

func (c *call) query(name string) string { return c.q.Get(name) }

// limit reads the number of entries wanted.
func (c *call) limit(most, otherwise int) (int, error) {
	raw := c.query("limit")
	if raw == "" {
		return otherwise, nil
	}
	n, err := strconv.Atoi(raw)
	if err != nil || n < 1 || n > most {
		return 0, fault.New(code.OutOfRange, "limit is from 1 to %d, not %q", most, raw)
	}
	return n, nil
}

func (s *server) handle(rt route) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		c := &call{w: w, r: r}
		defer c.end()
		if !rt.long && (!rt.lazy || r.Header.Get("Authorization") != "") { // a token may need the database
			c.timed(s.within())
			r = c.r
		}
		if err := c.readAddress(); err != nil {
			s.fail(w, r, err)
			return
		}
		if err := s.authorise(c, rt.access); err != nil {
			s.fail(w, r, err)
			return
		}
		if err := knownParams(rt, c.q); err != nil {
			s.fail(w, r, err)
			return
		}
		if to, err := s.another(c, &rt); err != nil {
			s.fail(w, r, err)
			return
		} else if to != nil {
			s.passOn(w, r, to)
			return
		}
		out, err := s.answer(c, &rt)
		if err == nil && rt.lobby() && !s.lease.Holds() { // nobody knows whether it counts
			err = comesBack("this node cannot be sure that the lobby is still its own; try again in a moment")
		}
		if err != nil {
			s.fail(w, r, err)
			return
		}
		s.send(w, r, rt.success(), out)
	}
}

// lobby tells whether a route is about one lobby.
func (rt *route) lobby() bool { return strings.HasPrefix(rt.path, "/v1/lobbies/{code}") }

// another is the node that is to answer, if the request is about a lobby that is alive there.
func (s *server) another(c *call, rt *route) (*cluster.Member, error) {
	if !rt.lobby() || c.manner() != "" {
		return nil, nil
	}
	return s.elsewhere(c.r, c.who, c.path("code"))
}

// manner is how another node has passed the request on; "" if none has.
func (c *call) manner() string {
	o, _ := c.r.Context().Value(outsideKey{}).(outside)
	return o.manner
}

// answer does what is asked for, noted in the audit trail if a service key asks.
func (s *server) answer(c *call, rt *route) (any, error) {
	if err := s.openCursor(c, rt); err != nil {
		return nil, err
	}
	end, err := s.note(c, rt)
	if err != nil {
		return nil, err
	}
	out, err := rt.do.do(s, c)
	end(err)
	if err != nil {
		return nil, err
	}
	return s.sealCursor(c, rt, out), nil
}

func (s *server) authorise(c *call, a access) error {
	token, has := strings.CutPrefix(c.r.Header.Get("Authorization"), "Bearer ")
	if a == public && !has {
		return nil
	}
	check := s.Accounts.Check
	if a == leaving {
		check = s.Accounts.CheckLeaving
	}
	who, err := check(c.r.Context(), token)
	if err != nil {
		return err
	}
	c.who = who
	switch {
	case a == operator && !who.Can(account.Operator):
		return fault.New(code.Forbidden, "this needs a service key with the scope operator")
	case a == granting && !who.Can(account.Grants):
		return fault.New(code.Forbidden, "this needs a service key with the scope grants or operator")
	case a == reading && len(who.Scopes) == 0:
		return fault.New(code.Forbidden, "this needs a service key")
	case (a == signedIn || a == leaving) && !who.IsPlayer():
		return fault.New(code.Forbidden, "this needs a player's token, not a service key's")
	}
	return nil
}

// readAddress reads what stands in the address: text without control characters.
func (c *call) readAddress() error {
	var err error
	if c.q, err = url.ParseQuery(c.r.URL.RawQuery); err != nil {
		return fault.New(code.BadRequest, "the query is not well formed; %% and ; are written %%25 and %%3B")
	}
	if !plainText(c.r.URL.Path) {
		return fault.New(code.BadRequest, "the address contains bytes that are not text, or control characters")
	}
	for name, values := range c.q {
		if len(values) > 1 {
			return fault.New(code.BadRequest, "the parameter %.40q appears %d times in the query", name, len(values))
		}
		for _, v := range values {
			if !plainText(name) || !plainText(v) {
				return fault.New(code.BadRequest,
					"the parameter %.40q holds bytes that are no text, or control characters",
					strings.ToValidUTF8(name, "?"))
			}
		}
	}
	return nil
}

func plainText(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsFunc(s, unicode.IsControl)
}

// knownParams refuses parameters that the route does not have.
func knownParams(rt route, q url.Values) error {
	for name := range q {
		if slices.ContainsFunc(rt.params, func(p param) bool { return p.name == name }) {
			continue
		}
		var names []string
		for _, p := range rt.params {
			names = append(names, p.name)
		}
		if names == nil {
			return fault.New(code.UnknownField, "%s takes no parameters, and so no %q", rt.path, name)
		}
		return fault.New(code.UnknownField, "%s has no parameter %q; it has: %s", rt.path, name,
			strings.Join(names, ", "))
	}
	return nil
}
