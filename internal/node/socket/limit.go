package socket

import (
	"sync"

	"golang.org/x/time/rate"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// The rates of what comes in on one connection: this many messages a second over time for the connection and again for
// each of its seats, and twice as many at once; and this many intents a second for each seat.
const (
	messageRate = 60
	intentRate  = 60
)

// inputLimit counts what a connection sends.
type inputLimit struct {
	all   *rate.Limiter
	seats map[uint32]*rate.Limiter
}

// maxLimited is how many seats' intents are counted one by one; a connection has fewer, and intents for others are
// refused.
const maxLimited = 64

// maxLocals is for how many seats, and the connection itself, the limit grows at most.
const maxLocals = 9

// newInputLimit is for a connection with so many seats.
func newInputLimit(seats int) *inputLimit {
	n := messageRate * (1 + seats)
	return &inputLimit{all: rate.NewLimiter(rate.Limit(n), 2*n), seats: map[uint32]*rate.Limiter{}}
}

// grow is for one more seat, as far as a connection may have any.
func (l *inputLimit) grow() {
	if n := l.all.Limit() + messageRate; n <= messageRate*maxLocals {
		l.all.SetLimit(n)
		l.all.SetBurst(2 * int(n))
	}
}

func (l *inputLimit) message() error {
	if l.all.Allow() {
		return nil
	}
	return fault.New(code.TooMany, "more than %.0f messages a second on this connection", float64(l.all.Limit()))
}

func (l *inputLimit) intent(seat uint32) error {
	s := l.seats[seat]
	if s == nil {
		if len(l.seats) >= maxLimited {
			return fault.New(code.NotYours, "intents for more than %d seats came on one connection", maxLimited)
		}
		s = rate.NewLimiter(intentRate, 2*intentRate)
		l.seats[seat] = s
	}
	if s.Allow() {
		return nil
	}
	return fault.New(code.TooMany, "more than %d intents a second for seat %d", intentRate, seat)
}

// pool lends write buffers to connections only while they write.
type pool struct{ p sync.Pool }

func (p *pool) Get() any  { return p.p.Get() }
func (p *pool) Put(v any) { p.p.Put(v) }
