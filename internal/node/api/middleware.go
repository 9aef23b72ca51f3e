package api

import (
	"net"
	"net/http"
	"runtime/debug"
	"strconv"
	"sync"
	"time"

	"github.com/go-chi/chi/v5/middleware"
	"golang.org/x/time/rate"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

func (s *server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		began := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		s.Log.Debug("request", "id", middleware.GetReqID(r.Context()), "method", r.Method, "path", r.URL.Path,
			"status", ww.Status(), "bytes", ww.BytesWritten(), "took", time.Since(began))
	})
}

func (s *server) recoverPanic(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if p := recover(); p != nil {
				if p == http.ErrAbortHandler {
					panic(p)
				}
				s.Log.Error("a request failed", "id", middleware.GetReqID(r.Context()), "path", r.URL.Path, "panic", p, "stack", string(debug.Stack()))
				s.fail(w, r, fault.New(code.Internal, "something went wrong inside; it was logged"))
			}
		}()
		next.ServeHTTP(w, r)
	})
}

// secured sets the headers that keep the console's pages to themselves.
func secured(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		next.ServeHTTP(w, r)
	})
}

// limits bounds how often each address may ask.
type limits struct {
	mu      sync.Mutex
	buckets map[string]*bucket // guarded by mu; by address
	swept   time.Time          // guarded by mu
	rate    rate.Limit
	burst   int
}

type bucket struct {
	rate.Limiter
	seen time.Time
}

// The rate of requests from one address: this many a second over time, and this
// many at once.
const (
	requestRate  = 50
	requestBurst = 200
)

// The rate of join codes that do not exist, from one address: so that codes are
// not found by guessing.
const (
	guessRate  = 0.2
	guessBurst = 30
)

func newLimits(rate rate.Limit, burst int) *limits {
	return &limits{buckets: map[string]*bucket{}, swept: time.Now(), rate: rate, burst: burst}
}

// peek tells whether an address has something left, without taking it.
func (l *limits) peek(address string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	b := l.buckets[address]
	return b == nil || b.Tokens() >= 1
}

func (l *limits) take(address string) (ok bool, wait time.Duration) {
	now := time.Now()
	l.mu.Lock()
	defer l.mu.Unlock()
	if now.Sub(l.swept) > time.Minute {
		l.swept = now
		for a, b := range l.buckets {
			if now.Sub(b.seen) > time.Minute {
				delete(l.buckets, a)
			}
		}
	}
	b := l.buckets[address]
	if b == nil {
		b = &bucket{Limiter: *rate.NewLimiter(l.rate, l.burst)}
		l.buckets[address] = b
	}
	b.seen = now
	if b.AllowN(now, 1) {
		return true, 0
	}
	return false, time.Second
}

func addressOf(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

func (s *server) limited(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if ok, wait := s.limits.take(addressOf(r)); !ok {
			w.Header().Set("Retry-After", strconv.Itoa(int(wait.Seconds())))
			s.fail(w, r, fault.New(code.TooMany, "too many requests from this address; try again in a second"))
			return
		}
		next.ServeHTTP(w, r)
	})
}
