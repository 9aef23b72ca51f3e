package hall

import (
	"sync/atomic"
	"time"
)

// pace is how a lobby's ticks follow the clock: from a beginning on, but for the time in which it stood still. Any
// goroutine may ask; the lobby's loop changes it.
type pace struct {
	first atomic.Int64 // when tick 0 was, or would have been, in nanoseconds since the epoch
	since atomic.Int64 // since when it stands still, likewise; 0 while it does not
	cause atomic.Value // why, a string
}

func (p *pace) begin(at time.Time) { p.first.Store(at.UnixNano()) }

// began is when tick 0 was, or would have been if no time had been left out.
func (p *pace) began() time.Time { return time.Unix(0, p.first.Load()).UTC() }

// still tells whether no time passes.
func (p *pace) still() bool { return p.since.Load() != 0 }

// played is how much time has passed at a moment.
func (p *pace) played(now time.Time) time.Duration {
	if since := p.since.Load(); since != 0 {
		now = time.Unix(0, since)
	}
	return now.Sub(p.began())
}

// why is why it stands still, or last did.
func (p *pace) why() string {
	why, _ := p.cause.Load().(string)
	return why
}

// stand lets no time pass from now on, and goes lets it pass again; each tells whether that is news.
func (p *pace) stand(now time.Time, why string) bool {
	news := p.since.CompareAndSwap(0, now.UnixNano()) || p.why() != why
	p.cause.Store(why)
	return news
}

func (p *pace) goes(now time.Time) bool {
	since := p.since.Load()
	if since == 0 {
		return false
	}
	p.first.Add(now.UnixNano() - since)
	p.since.Store(0)
	return true
}
