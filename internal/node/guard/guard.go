// Package guard bounds what anybody may use up: how often something is done, and how much of it at once, by the
// address, the player, the account or the lobby that it is counted for. All limits stand in one table, and are counted
// by one clock.
package guard

import (
	"fmt"
	"maps"
	"math"
	"net/netip"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// Guard counts. It may be used by several goroutines.
type Guard struct {
	mu    sync.Mutex
	uses  map[Use]*bucket   // guarded by mu
	swept time.Time         // guarded by mu
	no    map[string]uint64 // guarded by mu; how often each limit has refused somebody
}

// Use is a limit with whom it is counted for.
type Use struct {
	Limit *Limit
	Who   string
}

// bucket is what somebody has left of a limit.
type bucket struct {
	left float64
	at   time.Time // for which left holds
}

// New returns a guard that has counted nothing.
func New() *Guard {
	return &Guard{uses: map[Use]*bucket{}, swept: time.Now(), no: map[string]uint64{}}
}

// Refused says how often each limit has refused somebody, by its name.
func (g *Guard) Refused() map[string]uint64 {
	g.mu.Lock()
	defer g.mu.Unlock()
	return maps.Clone(g.no)
}

// Take takes one before the work is done, or says how long to wait. The work that turns out not to count gives it back:
// a hundred at once are a hundred. What is held is given back when it ends.
func (g *Guard) Take(l *Limit, who string) (giveBack func(), err error) {
	g.mu.Lock()
	defer g.mu.Unlock()
	b := g.bucketLocked(l, who)
	if b.left < 1 {
		g.no[l.Name]++
		return nil, l.refusal(b.left)
	}
	b.left--
	var once sync.Once
	return func() { once.Do(func() { g.giveBack(l, who) }) }, nil
}

// TakeAll takes one of each, or none and says how long to wait for the first that is used up.
func (g *Guard) TakeAll(uses ...Use) (giveBack func(), err error) {
	var taken []func()
	giveBack = func() {
		for _, back := range taken {
			back()
		}
	}
	for _, u := range uses {
		back, err := g.Take(u.Limit, u.Who)
		if err != nil {
			giveBack()
			return nil, err
		}
		taken = append(taken, back)
	}
	return giveBack, nil
}

func (g *Guard) giveBack(l *Limit, who string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	b := g.bucketLocked(l, who)
	b.left = min(b.left+1, float64(l.Most))
}

// bucketLocked is what somebody has left now.
func (g *Guard) bucketLocked(l *Limit, who string) *bucket {
	who = Counted(who)
	now := time.Now()
	if now.Sub(g.swept) > time.Minute {
		g.swept = now
		for u, b := range g.uses {
			if b.after(u.Limit, now) >= float64(u.Limit.Most) {
				delete(g.uses, u)
			}
		}
	}
	b := g.uses[Use{l, who}]
	if b == nil {
		b = &bucket{left: float64(l.Most), at: now}
		g.uses[Use{l, who}] = b
	}
	b.left, b.at = b.after(l, now), now
	return b
}

// after is what is left at a later moment.
func (b *bucket) after(l *Limit, now time.Time) float64 {
	if l.Every == 0 {
		return b.left
	}
	return min(b.left+float64(now.Sub(b.at))/float64(l.Every), float64(l.Most))
}

// refusal says what is too many, and when to come again.
func (l *Limit) refusal(left float64) error {
	if l.Every == 0 {
		return fault.New(code.TooMany, "%s: at most %d at once per %s", l.Name, l.Most, l.By)
	}
	wait := int(math.Ceil((1 - left) * l.Every.Seconds()))
	f := fault.New(code.TooMany, "%s: at most %d at once and one more every %s per %s; wait %d s",
		l.Name, l.Most, l.Every, l.By, max(wait, 1))
	f.Left = max(wait, 1)
	return f
}

// Table is the limits as docs/operations.md shows them.
func Table() string {
	out := "| what | counted by | at once | one more each | what it protects |\n|---|---|---|---|---|\n"
	for _, l := range All {
		each := "as one ends"
		if l.Every > 0 {
			each = l.Every.String()
		}
		out += fmt.Sprintf("| %s | %s | %d | %s | %s |\n", l.Name, l.By, l.Most, each, l.Protects)
	}
	return out
}

// Counted is who counts as one: of an IPv6 address its /64, the least that a customer is given (RFC 6177). The address
// stands alone, or behind a space.
func Counted(who string) string {
	at := strings.LastIndexByte(who, ' ') + 1
	a, err := netip.ParseAddr(who[at:])
	if err != nil || !a.Is6() {
		return who
	}
	if a.Is4In6() {
		return who[:at] + a.Unmap().String()
	}
	p, _ := a.WithZone("").Prefix(64) // which has 128 bits
	return who[:at] + p.String()
}
