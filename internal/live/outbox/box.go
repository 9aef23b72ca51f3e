package outbox

import (
	"sync"

	"turnvex.example/turnvex/internal/wire"
)

// The bounds of what may wait for one connection; beyond them it ends.
const (
	MostFrames = 1024
	MostBytes  = 1 << 20
)

// Box is the queue of one connection. It may be used by several goroutines; Take by
// one.
type Box struct {
	mu    sync.Mutex
	queue []*Frame  // guarded by mu
	taken []*Frame  // guarded by mu; what Take gave last, to be reused
	bytes int       // guarded by mu; of queue
	bye   *wire.Bye // guarded by mu
	wake  chan struct{}
	full  wire.Bye
}

// NewBox returns an empty box. Full is how the connection ends when too much waits
// for it.
func NewBox(full wire.Bye) *Box { return &Box{wake: make(chan struct{}, 1), full: full} }

// Put adds a frame and takes over the caller's hold on it.
func (b *Box) Put(f *Frame) {
	b.mu.Lock()
	switch {
	case b.bye != nil:
		f.Free()
	case len(b.queue) >= MostFrames || b.bytes+len(f.Data) > MostBytes && b.bytes > 0:
		b.endLocked(b.full)
		f.Free()
	default:
		b.queue = append(b.queue, f)
		b.bytes += len(f.Data)
	}
	b.mu.Unlock()
	b.signal()
}

// End makes the connection end after what waits, with a reason. Only the first one
// counts.
func (b *Box) End(bye wire.Bye) {
	b.mu.Lock()
	b.endLocked(bye)
	b.mu.Unlock()
	b.signal()
}

func (b *Box) endLocked(bye wire.Bye) {
	if b.bye == nil {
		bye.Is = "bye"
		b.bye = &bye
	}
}

func (b *Box) signal() {
	select {
	case b.wake <- struct{}{}:
	default:
	}
}

// Wake tells that there may be something to Take.
func (b *Box) Wake() <-chan struct{} { return b.wake }

// Take returns the frames to write now, and the last message if the connection is
// to end after them. The caller frees each frame; the list is good until the next
// Take.
func (b *Box) Take() (list []*Frame, bye *wire.Bye) {
	b.mu.Lock()
	defer b.mu.Unlock()
	list = b.queue
	b.queue, b.taken, b.bytes = b.taken[:0], list, 0
	return list, b.bye
}

// Load tells how much waits.
func (b *Box) Load() (frames, bytes int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return len(b.queue), b.bytes
}

// Ended is why the connection ends, nil while it does not.
func (b *Box) Ended() *wire.Bye {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.bye
}
