package api

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"net/url"
	"reflect"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// A cursor is signed, for the list that it came from and what was asked of it: one that is
// bent, or comes to another list or with another filter, is refused.

// openCursor checks the cursor of a request and leaves of it what the list itself made.
func (s *server) openCursor(c *call, rt *route) error {
	text := c.q.Get("cursor")
	if text == "" {
		return nil
	}
	sign, inner, _ := strings.Cut(text, ".")
	if sign != s.cursorSign(c, rt, inner) {
		return fault.New(code.BadCursor, "this cursor was not given out by this list with these filters: begin again "+
			"without one")
	}
	c.q.Set("cursor", inner)
	return nil
}

// sealCursor signs the cursor of an answer that is a page of a list.
func (s *server) sealCursor(c *call, rt *route, out any) any {
	v := reflect.ValueOf(out)
	pointer := v.Kind() == reflect.Pointer && !v.IsNil()
	if pointer {
		v = v.Elem()
	}
	if v.Kind() != reflect.Struct {
		return out
	}
	next := v.FieldByName("Next")
	if !next.IsValid() || next.Kind() != reflect.String || next.String() == "" {
		return out
	}
	page := reflect.New(v.Type())
	page.Elem().Set(v)
	page.Elem().FieldByName("Next").SetString(s.cursorSign(c, rt, next.String()) + "." + next.String())
	if pointer {
		return page.Interface()
	}
	return page.Elem().Interface()
}

// cursorSign is the signature of a cursor: over it, its list, and the filters.
func (s *server) cursorSign(c *call, rt *route, inner string) string {
	mac := hmac.New(sha256.New, s.Cursors)
	filters := url.Values{}
	for name, values := range c.q {
		if !slices.Contains([]string{"cursor", "limit"}, name) {
			filters[name] = values
		}
	}
	for _, part := range []string{rt.method, rt.path, c.subject(), filters.Encode(), inner} {
		mac.Write(append([]byte(part), 0))
	}
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil)[:12])
}
