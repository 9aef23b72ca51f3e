package socket

import (
	"slices"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
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

// The rates of moves, which are intents to steer and to claim a position: so many a second of each seat are handed on,
// and twice as many at once; beyond that the newest waits and takes the place of the one before. With more than four
// times as many the connection is read more slowly, until its client has to wait: no move ends it.
const (
	moveRate = 60
	moveMost = 4 * moveRate
)

var movesBy = []step.Verb{step.Steer, step.Claim, step.Face}

// isMove tells whether a message moves a player, and so has a budget of its own.
func isMove(m any) bool {
	in, is := m.(*wire.Intent)
	return is && slices.Contains(movesBy, step.Verb(in.Do))
}

// mover takes what a connection says, and what it says no more.
type mover interface {
	Receive(message any) error
	Merged(m *wire.Intent)
}

// moves hands the moves of a connection's seats on, at a pace. It may be used by several goroutines.
type moves struct {
	to    mover
	mu    sync.Mutex
	seats map[uint32]*pace // guarded by mu
}

// pace is that of one seat's moves.
type pace struct {
	next, most *rate.Limiter
	waits      *wire.Intent
}

// take hands a move on, now or later; of a flood it comes back late. An error ends the connection.
func (x *moves) take(m *wire.Intent) error {
	p, err := x.pace(m.Seat)
	if err != nil {
		return err
	}
	if m.N == 0 { // which is no intent
		return x.to.Receive(m)
	}
	time.Sleep(p.most.Reserve().Delay()) // at most a part of a second for each
	x.mu.Lock()
	defer x.mu.Unlock()
	switch {
	case p.waits != nil:
		x.to.Merged(p.waits)
		p.waits = m
	case p.next.Allow():
		return x.to.Receive(m)
	default:
		p.waits = m
		safe.After(time.Second/moveRate, "hand a move on", func() { x.before(m.Seat) })
	}
	return nil
}

// pace is that of a seat, which its first move begins.
func (x *moves) pace(seat uint32) (*pace, error) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.seats == nil {
		x.seats = map[uint32]*pace{}
	}
	p := x.seats[seat]
	if p == nil {
		if len(x.seats) >= maxLimited {
			return nil, fault.New(code.NotYours, "moves for more than %d seats came on one connection", maxLimited)
		}
		p = &pace{next: rate.NewLimiter(moveRate, 2*moveRate), most: rate.NewLimiter(moveMost, 2*moveMost)}
		x.seats[seat] = p
	}
	return p, nil
}

// before hands on what waits of a seat, since something else comes now, or it has waited.
func (x *moves) before(seat uint32) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if p := x.seats[seat]; p != nil && p.waits != nil {
		m := p.waits
		p.waits = nil
		p.next.Allow()
		x.to.Receive(m)
	}
}

// pool lends write buffers to connections only while they write.
type pool struct{ p sync.Pool }

func (p *pool) Get() any  { return p.p.Get() }
func (p *pool) Put(v any) { p.p.Put(v) }
