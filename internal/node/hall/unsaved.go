package hall

import (
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/keep"
)

// unsaved is what waits to be saved. When it takes up as many bytes as it may, no match begins in any lobby until half
// of it is saved: matches that run end, and what they give is saved.
type unsaved struct {
	mu   sync.Mutex
	jobs map[*keep.Job]waiting // guarded by mu
	size int                   // guarded by mu; bytes, about
	full bool                  // guarded by mu
}

// waiting is something that waits to be saved.
type waiting struct {
	since time.Time
	at    time.Time // when what it posts to boards happened; zero if it posts nothing
	size  int
}

// unsave notes that a job waits to be saved.
func (h *Hall) unsave(job *keep.Job) {
	w := waiting{since: h.cfg.Now(), size: job.Size()}
	w.at, _ = job.Since()
	h.unsaved.mu.Lock()
	defer h.unsaved.mu.Unlock()
	h.unsaved.jobs[job] = w
	h.unsaved.size += w.size
	h.fillLocked()
}

// settled notes that a job is saved, or never will be.
func (h *Hall) settled(job *keep.Job) {
	h.unsaved.mu.Lock()
	defer h.unsaved.mu.Unlock()
	h.unsaved.size -= h.unsaved.jobs[job].size
	delete(h.unsaved.jobs, job)
	h.fillLocked()
}

// fillLocked tells the lobbies when no more can wait, and when it can again.
func (h *Hall) fillLocked() {
	u := &h.unsaved
	switch {
	case !u.full && u.size > h.cfg.Waiting:
		u.full = true
		h.cfg.Log.Warn("so much waits to be saved that no match begins until half of it is", "bytes", u.size,
			"most", h.cfg.Waiting)
	case u.full && u.size <= h.cfg.Waiting/2:
		u.full = false
		h.cfg.Log.Info("half of what waited is saved: matches begin again", "bytes", u.size)
	default:
		return
	}
	safe.Go("tell lobbies how much waits", func() {
		for _, l := range h.All() {
			l.post(l.fill)
		}
	})
}

// fill tells the authority whether more can wait to be saved, if that is news to it.
func (l *Lobby) fill() {
	if full := l.hall.Full(); full != l.m.Full() {
		l.step(&step.Input{Kind: step.Full, Yes: full})
	}
}

// Full tells whether so much waits to be saved that no match begins.
func (h *Hall) Full() bool {
	h.unsaved.mu.Lock()
	defer h.unsaved.mu.Unlock()
	return h.unsaved.full
}

// Saves is how many saves of records, results and posts wait for the database, about how many bytes they take up, and
// for how long the oldest of them has waited.
func (h *Hall) Saves() (count, size int, age time.Duration) {
	h.unsaved.mu.Lock()
	defer h.unsaved.mu.Unlock()
	now := h.cfg.Now()
	for _, w := range h.unsaved.jobs {
		age = max(age, now.Sub(w.since))
	}
	return len(h.unsaved.jobs), h.unsaved.size, age
}

// Unsaved is the moment of the oldest thing for a board that happened here and is not kept yet; the zero time if all of
// it is.
func (h *Hall) Unsaved() (oldest time.Time) {
	h.unsaved.mu.Lock()
	defer h.unsaved.mu.Unlock()
	for _, w := range h.unsaved.jobs {
		if !w.at.IsZero() && (oldest.IsZero() || w.at.Before(oldest)) {
			oldest = w.at
		}
	}
	return oldest
}
