package client

import (
	"slices"
	"sync"

	"turnvex.example/turnvex/internal/core/sheet"
)

// tells calls back in order, one at a time, whoever has something to tell: who finds another goroutine at it leaves the
// rest to that one.
type tells struct {
	mu    sync.Mutex
	queue []func() // guarded by mu
	busy  bool     // guarded by mu
}

func (t *tells) add(f func()) {
	t.mu.Lock()
	t.queue = append(t.queue, f)
	t.mu.Unlock()
}

func (t *tells) drain() {
	t.mu.Lock()
	if t.busy {
		t.mu.Unlock()
		return
	}
	t.busy = true
	t.mu.Unlock()
	told := false
	defer func() {
		if !told { // one has panicked: the next who has something to tell tells the rest
			t.mu.Lock()
			t.busy = false
			t.mu.Unlock()
		}
	}()
	for f := t.next(); f != nil; f = t.next() {
		f()
	}
	told = true
}

// next takes what is to be told next; nil ends the turn.
func (t *tells) next() (f func()) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.queue) == 0 {
		t.queue, t.busy = nil, false
		return nil
	}
	f, t.queue = t.queue[0], t.queue[1:]
	return f
}

// On says which changes are wanted. What is zero is any.
type On struct {
	Sheet uint32 // the sheet's number, such as a seat
	Kind  string // of sheet: lobby, match, team, player, record, piece, creature or zone
	Owner uint32 // the seat whose record or player sheet it is
	Field string // by name; with "" the coming and going of sheets is told too
}

type watcher struct {
	on   On
	f    func(Change)
	gone bool
}

func (o *On) wants(s *Sheet, f *Field) bool {
	return (o.Sheet == 0 || o.Sheet == s.ID) && (o.Kind == "" || o.Kind == s.Kind.String()) &&
		(o.Owner == 0 || o.Owner == s.Owner) && (o.Field == "" || f != nil && f.Name == o.Field)
}

// Watch calls f for each change that is wanted, until stop is called. What is there already is told at once in the same
// way, as changes with First set, so that nobody has to look first or wait. f is called as Options.OnChange is.
func (c *Conn) Watch(on On, f func(Change)) (stop func()) {
	w := &watcher{on: on, f: f}
	c.mu.Lock()
	c.watchers = append(c.watchers, w)
	for k := range sheet.Kinds {
		for _, s := range c.view.Of(Kind(k)) {
			if on.wants(s, nil) {
				c.tellLocked(w, Change{Sheet: s, Appeared: true})
			}
			for _, field := range s.Fields() {
				if on.wants(s, field) {
					v, _ := s.Get(field.Name)
					c.tellLocked(w, Change{Sheet: s, Field: field, New: v, First: true, Seen: true})
				}
			}
		}
	}
	c.mu.Unlock()
	c.tells.drain()
	return func() {
		c.mu.Lock()
		w.gone = true
		c.watchers = slices.DeleteFunc(c.watchers, func(x *watcher) bool { return x == w })
		c.mu.Unlock()
	}
}

func (c *Conn) tellLocked(w *watcher, ch Change) {
	c.tells.add(func() {
		c.mu.Lock()
		gone := w.gone
		c.mu.Unlock()
		if !gone {
			w.f(ch)
		}
	})
}

// changedLocked makes a change known to whoever wants it, after the lock has been given up and drain is called.
func (c *Conn) changedLocked(ch Change) {
	if c.opts.OnChange != nil {
		c.tells.add(func() { c.opts.OnChange(ch) })
	}
	for _, w := range c.watchers {
		if w.on.wants(ch.Sheet, ch.Field) {
			c.tellLocked(w, ch)
		}
	}
}
