package ledger

import (
	"sync"
	"time"

	"turnvex.example/turnvex/internal/live/safe"
)

// awayAfter is after how long it is told that nothing can be written, and lateAfter after how long a commit is late: a
// stall of 400 ms is not, though a commit begins only every tenth of a second. lateEvery is how often it is looked.
const (
	awayAfter = time.Second
	lateAfter = 520 * time.Millisecond
	lateEvery = 50 * time.Millisecond
)

// delay is how late a ledger's commits are. It may be used by several goroutines.
type delay struct {
	mu      sync.Mutex
	taken   time.Time   // guarded by mu; when the last commit began that succeeded
	under   time.Time   // guarded by mu; when the one began that is under way
	since   time.Time   // guarded by mu; since when nothing could be written; zero when it can
	told    bool        // guarded by mu; that nothing can be written
	wasLate bool        // guarded by mu; late was called, and Late still says something
	away    func()      // guarded by mu; called when Away says something else
	late    func()      // guarded by mu; called while Late says something, and when it does no more
	watch   *time.Timer // guarded by mu; looks; nil when the ledger has ended
}

func (d *delay) begin() {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.away, d.late, d.taken = func() {}, func() {}, time.Now()
	d.watch = safe.After(lateAfter, "look how late a commit is", d.look)
}

func (d *delay) end() {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.watch.Stop()
	d.watch = nil
}

// began notes that a commit begins.
func (d *delay) began(at time.Time) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.under = at
}

// failed notes that it could not be made, and tells whether the one before could.
func (d *delay) failed() (news bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if news = d.since.IsZero(); news {
		d.since = time.Now()
	}
	d.tellLocked()
	return news
}

// committed notes that one succeeded that began at a moment, and returns for how long none did before, 0 if they did.
func (d *delay) committed(at time.Time) (after time.Duration) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if !d.since.IsZero() {
		after = time.Since(d.since)
	}
	if d.told {
		d.told = false
		safe.Go("tell of an outage", d.away)
	}
	d.since, d.taken = time.Time{}, at
	if d.wasLate && time.Since(at) < lateAfter {
		d.wasLate = false
		safe.Go("tell that all is written", d.late)
	}
	return after
}

// look looks how late a commit is: the database may hang.
func (d *delay) look() {
	d.mu.Lock()
	age := time.Since(d.taken)
	switch {
	case d.watch == nil:
		d.mu.Unlock()
		return
	case age < lateAfter:
		d.watch.Reset(lateAfter - age)
		d.mu.Unlock()
		return
	}
	d.watch.Reset(lateEvery)
	d.wasLate = true
	if d.since.IsZero() {
		d.since = d.under
	}
	d.tellLocked()
	late := d.late
	d.mu.Unlock()
	late()
}

func (d *delay) tellLocked() {
	if !d.told && time.Since(d.since) >= awayAfter {
		d.told = true
		safe.Go("tell of an outage", d.away)
	}
}

// hangs is since when nothing could be written, the zero time when it can.
func (d *delay) hangs() time.Time {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.since
}

// OnAway sets what is called when nothing could be written for a second, and when everything is written again: whoever
// is called is to look at Away.
func (g *Ledger) OnAway(look func()) {
	g.delay.mu.Lock()
	defer g.delay.mu.Unlock()
	g.delay.away = look
}

// Away returns since when nothing could be written, if that is for a second; otherwise the zero time.
func (g *Ledger) Away() (since time.Time) {
	g.delay.mu.Lock()
	defer g.delay.mu.Unlock()
	if g.delay.told {
		since = g.delay.since
	}
	return since
}

// OnLate sets what is called again and again while Late says something, and once when it does no more.
func (g *Ledger) OnLate(look func()) {
	g.delay.mu.Lock()
	defer g.delay.mu.Unlock()
	g.delay.late = look
}

// Late is how long ago the commit began that is under way, if the last one that succeeded began more than half a second
// ago; otherwise 0.
func (g *Ledger) Late() time.Duration {
	g.delay.mu.Lock()
	defer g.delay.mu.Unlock()
	if time.Since(g.delay.taken) < lateAfter {
		return 0
	}
	return time.Since(g.delay.under)
}

// Taken is how long ago the last commit began that succeeded.
func (g *Ledger) Taken() time.Duration {
	g.delay.mu.Lock()
	defer g.delay.mu.Unlock()
	return time.Since(g.delay.taken)
}
