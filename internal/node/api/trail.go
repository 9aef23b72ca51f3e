package api

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/audit"
	"turnvex.example/turnvex/internal/node/fault"
)

// AuditLines is a page of the audit trail, newest first.
type AuditLines struct {
	Lines []audit.Line `json:"lines"`
	Next  string       `json:"next,omitempty"`
}

var auditRoutes = []route{
	{method: "GET", path: "/metrics", access: reading, kinds: []string{"text/plain"}, do: by((*trails).metrics),
		summary: "Metrics of this node, for Prometheus; -metrics serves the same at a separate address"},
	{
		method: "GET", path: "/v1/audit", access: operator, out: AuditLines{}, do: by((*trails).readAudit),
		summary: "The audit trail: changes made by operators and service keys, newest first",
		params: append([]param{
			{"who", "only by the service key with this name", "string"},
			{"what", "only this route, such as DELETE /v1/players/{id}", "string"},
			{"subject", "only acts on this: a player's ID, a join code, the name of a key", "string"},
			{"since", "only from then on, such as 2026-11-26T08:00:00Z", "string"},
			{"before", "only what was earlier", "string"},
		}, paging...),
	},
}

// whyParam is what every change by an operator takes, if it does not stand in the body.
var whyParam = param{"why", "the reason, at most 200 characters, for the audit trail", "string"}

// noted tells whether calls of a route stand in the audit trail when a service key makes them.
func (rt *route) noted() bool { return rt.method != http.MethodGet && !rt.looks }

// withWhy adds the reason to the routes that are for service keys alone.
func withWhy(list []route) []route {
	for i := range list {
		rt := &list[i]
		has := slices.ContainsFunc(rt.params, func(p param) bool { return p.name == "why" })
		if !has && rt.noted() && rt.access == operator && !hasWhy(rt.body()) {
			rt.params = append(slices.Clone(rt.params), whyParam)
		}
	}
	return list
}

func hasWhy(in any) bool {
	t := reflect.TypeOf(in)
	if t == nil || t.Kind() != reflect.Struct {
		return false
	}
	_, has := t.FieldByName("Why")
	return has
}

// note writes into the audit trail what a service key is about to change.
func (s *server) note(c *call, rt *route) (end func(error), err error) {
	if c.who == nil || c.who.IsPlayer() || !rt.noted() || c.query("try") != "" {
		return func(error) {}, nil
	}
	body, err := c.peek(rt)
	if err != nil {
		return nil, err
	}
	subject := c.subject()
	if rt.takesRulebooks() { // which say themselves what they are called
		var names []string
		for _, part := range rulebook.Parts(body) {
			names = append(names, rulebook.NameOf(part))
		}
		subject, body = strings.TrimSpace(strings.Join(names, " ")), nil
	}
	var in struct {
		Why string `json:"why"`
	}
	json.Unmarshal(body, &in) // what is not right about it is said later
	if in.Why == "" {
		in.Why = c.query("why")
	}
	if in.Why, err = fault.Line("the reason, why,", in.Why, 200); err != nil {
		return nil, err
	}
	done, err := s.Audit.Begin(c.r.Context(), audit.Line{Who: c.who.Name, What: rt.method + " " + rt.path,
		Subject: subject, Details: audit.Details(body), Why: in.Why, Address: addressOf(c.r)})
	if err != nil {
		return nil, err
	}
	return func(err error) {
		outcome := audit.Done
		if err != nil {
			outcome = string(fault.CodeOf(err))
		}
		if err := done(outcome); err != nil {
			s.Log.Error("the outcome of a change is not in the audit trail", "id", middleware.GetReqID(c.r.Context()),
				"outcome", outcome, "error", err)
		}
	}, nil
}

// takesRulebooks tells whether a route's body is the text of rulebooks.
func (rt *route) takesRulebooks() bool {
	t := reflect.TypeOf(rt.body())
	return t != nil && t.Kind() == reflect.String && strings.HasPrefix(rt.path, "/v1/rulebooks")
}

// peek reads the body of a request with a JSON document or rulebooks, and puts it back.
func (c *call) peek(rt *route) (raw []byte, err error) {
	t := reflect.TypeOf(rt.body())
	switch {
	case rt.takesRulebooks():
		raw, err = source(c, togetherMost)
	case t == nil || t.Kind() == reflect.String:
		return nil, nil
	default:
		if raw, err = io.ReadAll(http.MaxBytesReader(c.w, c.r.Body, maxBody)); err != nil {
			err = decodeFault(err)
		}
	}
	if err != nil {
		return nil, err
	}
	c.r.Body = io.NopCloser(bytes.NewReader(raw))
	return raw, nil
}

// subject is to what or whom a request is: what stands for the names in its path.
func (c *call) subject() string {
	p := chi.RouteContext(c.r.Context()).URLParams
	var words []string
	for i, key := range p.Keys {
		if key != "*" {
			words = append(words, p.Values[i])
		}
	}
	return strings.Join(words, " ")
}

func (s *trails) metrics(c *call) (any, error) {
	s.Meter.Handler().ServeHTTP(c.w, c.r)
	return written{}, nil
}

func (s *trails) readAudit(c *call) (any, error) {
	limit, before, err := c.numbered()
	if err != nil {
		return nil, err
	}
	q := audit.Query{Who: c.query("who"), What: c.query("what"), Subject: c.query("subject"), Before: before,
		Limit: limit + 1}
	if q.Since, err = c.moment("since"); err != nil {
		return nil, err
	}
	if q.Until, err = c.moment("before"); err != nil {
		return nil, err
	}
	out := AuditLines{}
	if out.Lines, err = s.Audit.Read(c.r.Context(), q); err != nil {
		return nil, err
	}
	if len(out.Lines) > limit {
		out.Lines = out.Lines[:limit]
		out.Next = strconv.FormatInt(out.Lines[limit-1].ID, 10)
	}
	return out, nil
}
