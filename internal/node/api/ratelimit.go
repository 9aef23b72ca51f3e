package api

import (
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// limits bounds how often each address may ask.
type limits struct {
	mu      sync.Mutex
	buckets map[string]*bucket // guarded by mu; by address
	swept   time.Time          // guarded by mu
	rate    rate.Limit
	burst   int
	full    time.Duration // after which whoever asked for nothing has everything again
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
	return &limits{buckets: map[string]*bucket{}, swept: time.Now(), rate: rate, burst: burst,
		full: time.Duration(float64(burst) / float64(rate) * float64(time.Second))}
}

// peek tells whether an address has something left, without taking it.
func (l *limits) peek(address string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	b := l.buckets[address]
	return b == nil || b.Tokens() >= 1
}

// take takes one, or says how long to wait for it.
func (l *limits) take(address string) (ok bool, wait time.Duration) {
	now := time.Now()
	l.mu.Lock()
	defer l.mu.Unlock()
	if now.Sub(l.swept) > time.Minute {
		l.swept = now
		for a, b := range l.buckets {
			if now.Sub(b.seen) > l.full {
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
