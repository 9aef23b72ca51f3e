package api

import (
	"encoding/base64"
	"hash"
	"net/url"
	"reflect"
	"slices"
	"strings"

	"golang.org/x/crypto/blake2b"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// A cursor is signed, for the list that it came from and what was asked of it: one that is bent, or comes to another
// list or with another filter, is refused.

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

// paged is a page of a list, made for this one answer, that says where its cursor stands: for the pages that are read
// most.
type paged interface{ Cursor() *string }

// sealCursor signs the cursor of an answer that is a page of a list.
func (s *server) sealCursor(c *call, rt *route, out any) any {
	if p, is := out.(paged); is {
		if next := p.Cursor(); *next != "" {
			*next = s.cursorSign(c, rt, *next) + "." + *next
		}
		return out
	}
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

// signer signs cursors, by BLAKE2b with a key (RFC 7693): HMAC with SHA-256 takes ten times as long, about as long as
// finding a page of a board. What it holds is used again.
type signer struct {
	mac   hash.Hash
	text  []byte
	names []string
}

func newSigner(secret []byte) *signer {
	mac, err := blake2b.New256(secret)
	if err != nil {
		panic(err) // only a key that is too long
	}
	return &signer{mac: mac}
}

// cursorSign is the signature of a cursor: over it, its list, and the filters.
func (s *server) cursorSign(c *call, rt *route, inner string) string {
	g := s.signers.Get().(*signer)
	defer s.signers.Put(g)
	g.names = g.names[:0]
	for name := range c.q {
		if name != "cursor" && name != "limit" {
			g.names = append(g.names, name)
		}
	}
	slices.Sort(g.names)
	g.text = append(append(append(append(g.text[:0], rt.method...), 0), rt.path...), 0)
	g.text = append(append(g.text, c.subject()...), 0)
	for i, name := range g.names {
		for j, v := range c.q[name] {
			if i+j > 0 {
				g.text = append(g.text, '&')
			}
			g.text = append(append(append(g.text, url.QueryEscape(name)...), '='), url.QueryEscape(v)...)
		}
	}
	g.text = append(append(append(g.text, 0), inner...), 0)
	g.mac.Reset()
	g.mac.Write(g.text)
	g.text = g.mac.Sum(g.text[:0])
	return base64.RawURLEncoding.EncodeToString(g.text[:12])
}
