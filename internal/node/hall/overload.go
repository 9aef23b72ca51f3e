package hall

import (
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// overload tells when a node has more to do than it can do in time: when most ticks come late for a while. A moment in
// which everything is late does not count, and neither does one lobby that is.
type overload struct {
	most time.Duration // a tick is late from then on; 0: none ever is

	all, late atomic.Int64 // ticks of this second
	over      atomic.Bool

	mu      sync.Mutex
	began   time.Time // guarded by mu; when the second began
	seconds int       // guarded by mu; in a row that say otherwise than over
}

// The second counts as overloaded when half of its ticks were late, and as calm when no more than a tenth were; as many
// in a row make the node refuse lobbies, or open them again.
const (
	overloadedFor   = 5
	fewestTicks     = 10
	overloadedShare = 0.5
	calmShare       = 0.1
)

// note counts a tick that came late by so much.
func (s *overload) note(now time.Time, late time.Duration) {
	if s.most == 0 {
		return
	}
	s.all.Add(1)
	if late > s.most {
		s.late.Add(1)
	}
	if s.mu.TryLock() { // somebody looks, and that is enough
		s.look(now)
		s.mu.Unlock()
	}
}

// look ends a second that is over. Under mu.
func (s *overload) look(now time.Time) {
	passed := now.Sub(s.began)
	if passed < time.Second {
		return
	}
	all, late := s.all.Swap(0), s.late.Swap(0)
	s.began = now
	share := float64(late) / float64(max(all, 1))
	over := s.over.Load()
	switch {
	case passed > overloadedFor*time.Second: // hardly anybody plays
		s.seconds = 0
		s.over.Store(false)
	case over && share <= calmShare, !over && share >= overloadedShare && all >= fewestTicks:
		if s.seconds++; s.seconds >= overloadedFor {
			s.seconds = 0
			s.over.Store(!over)
		}
	default:
		s.seconds = 0
	}
}

// Overloaded tells whether the node has more to do than it can do in time, and so opens no lobbies but those of running
// series.
func (h *Hall) Overloaded() bool {
	s := &h.overload
	if s.most == 0 {
		return false
	}
	s.mu.Lock()
	s.look(h.cfg.Now())
	s.mu.Unlock()
	return s.over.Load()
}

// errOverloaded is why no lobby is opened.
func (h *Hall) errOverloaded() error {
	f := fault.New(code.Overloaded, "most ticks come more than %s late here, so this node opens no more lobbies; "+
		"those that are open go on", h.overload.most)
	f.Left = overloadedFor
	return f
}
