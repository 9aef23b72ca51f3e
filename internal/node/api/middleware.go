package api

import (
	"context"
	"crypto/rand"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/cors"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/socket"
)

func (s *front) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		began := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		status := ww.Status()
		if status == 0 { // the connection was taken over, or nothing was written
			status = http.StatusOK
			if r.Header.Get("Upgrade") != "" {
				status = http.StatusSwitchingProtocols
			}
		}
		s.Meter.Answer(strconv.Itoa(status))
		s.Log.Debug("request", "id", middleware.GetReqID(r.Context()), "method", r.Method, "path", r.URL.Path,
			"status", status, "bytes", ww.BytesWritten(), "took", time.Since(began))
	})
}

// isRequestID is what an ID may be that a request brings along: at most 64 bytes that need no quoting in a log.
var isRequestID = regexp.MustCompile(`^[A-Za-z0-9._-]{1,64}$`)

// requestID gives each request an ID: the one that it brings in X-Request-Id, if it may be one, or one at random.
func requestID(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := r.Header.Get(middleware.RequestIDHeader)
		if !isRequestID.MatchString(id) {
			id = rand.Text()
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), middleware.RequestIDKey, id)))
	})
}

func (s *front) recoverPanic(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if p := recover(); p != nil {
				if p == http.ErrAbortHandler {
					panic(p)
				}
				safe.Caught(s.Log, "serve a request", p, "id", middleware.GetReqID(r.Context()), "path", r.URL.Path)
				s.fail(w, r, fault.New(code.Internal, "something went wrong inside; it was logged"))
			}
		}()
		next.ServeHTTP(w, r)
	})
}

// secured sets the headers that keep the console's pages to themselves. They may connect to the other nodes, where
// lobbies may be.
func (s *front) secured(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set(
			"Content-Security-Policy",
			"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; "+
				"base-uri 'none'; form-action 'self'"+
				s.connectsTo(),
		)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cache-Control", "no-store") // but for the console's files, which say otherwise
		next.ServeHTTP(w, r)
	})
}

// connectsTo is what pages may connect to, where there are several nodes.
func (s *front) connectsTo() string {
	if s.Cluster == nil {
		return ""
	}
	all := s.Cluster.Others()
	if len(all) == 0 || len(all) > maxConnects {
		return ""
	}
	out := "; connect-src 'self'"
	for _, m := range all {
		out += " ws" + strings.TrimPrefix(m.Address, "http")
	}
	return out
}

// maxConnects is the most nodes that are named in a header.
const maxConnects = 20

// crossOrigin lets pages of the allowed origins call the routes, as browsers need it (the Fetch standard's CORS
// protocol), and, but for those of the console's cookie, pages of who develops on this machine. Tokens stand in a
// header; the one cookie is for the console alone.
func (s *front) crossOrigin() func(http.Handler) http.Handler {
	return cors.Handler(cors.Options{
		AllowOriginFunc: func(r *http.Request, origin string) bool {
			return slices.Contains(s.Origins, origin) ||
				socket.LoopbackPage(r) && !strings.HasPrefix(r.URL.Path, "/v1/console")
		},
		AllowedMethods: []string{"GET", "POST", "PUT", "PATCH", "DELETE"},
		AllowedHeaders: []string{"Authorization", "Content-Type"}, ExposedHeaders: []string{"Retry-After", "ETag"},
		MaxAge: 600})
}

// limited lets an address ask as often as a limit says.
func (s *front) limited(to *guard.Limit) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if _, err := s.Guard.Take(to, addressOf(r)); err != nil {
				s.fail(w, r, err)
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}
