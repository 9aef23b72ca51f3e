package outbox

import (
	"slices"
	"sync"

	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/wire"
)

// The bounds of what may wait for one connection; beyond them it ends.
const (
	MostFrames = 1024
	MostBytes  = 1 << 20
)

// mostKept is how many places of a queue are kept for the next frames.
const mostKept = 64

// Writer writes what waits for a connection: the frames, which it frees, and behind them the last message, if the
// connection is to end. It tells whether the connection goes on. The list is good until it returns.
type Writer func(list []*Frame, bye *wire.Bye) bool

// Took is how much of a frame was taken at once.
type Took uint8

// Whoever takes Part of a frame keeps the rest, and writes it when the writer is called next.
const (
	Nothing Took = iota
	Part
	All
)

// Trier writes a frame if it can do so without waiting.
type Trier func(*Frame) Took

// Box is the queue of one connection. It may be used by several goroutines.
//
// Invariants:
//  1. the writer and the trier are called by one goroutine at a time. Who puts a frame
//     when nothing waits tries it; a goroutine of the writer's is there only while
//     something waits;
//  2. frames are handed to it in the order in which they were put, each once;
//  3. after a bye nothing is put.
type Box struct {
	mu    sync.Mutex
	queue []*Frame  // guarded by mu
	taken []*Frame  // guarded by mu; what the writer was handed last, to be reused
	bytes int       // guarded by mu; of queue
	bye   *wire.Bye // guarded by mu
	write Writer    // guarded by mu; nil until Serve
	try   Trier     // guarded by mu; nil where every frame waits for the writer
	busy  bool      // guarded by mu; the writer is at it
	owes  bool      // guarded by mu; a part of a frame is yet to be written
	cut   bool      // guarded by mu; nothing that waits is written any more
	over  bool      // guarded by mu; the writer has said that the connection does not go on
	full  *wire.Bye

	drainer func() // drain, made once
}

// NewBox returns an empty box. Full is how the connection ends when too much waits for it.
func NewBox(full *wire.Bye) *Box {
	b := &Box{full: full}
	b.drainer = b.drain
	return b
}

// Serve begins to write, with what has waited until now. Frames are tried first, unless try is nil.
func (b *Box) Serve(w Writer, try Trier) {
	b.mu.Lock()
	b.write, b.try = w, try
	b.wakeLocked()
	b.mu.Unlock()
}

// Put adds a frame and takes over the caller's hold on it.
func (b *Box) Put(f *Frame) {
	b.mu.Lock()
	switch {
	case b.bye != nil:
		f.Free()
	case len(b.queue) >= MostFrames || b.bytes+len(f.Data) > MostBytes && b.bytes > 0:
		b.endLocked(*b.full)
		f.Free()
	case b.try != nil && !b.busy && !b.over && len(b.queue) == 0:
		b.tryLocked(f)
	default:
		b.queue = append(b.queue, f)
		b.bytes += len(f.Data)
	}
	b.wakeLocked()
	b.mu.Unlock()
}

// tryLocked writes a frame at once, as far as that goes; what does not waits for the writer. Meanwhile others may put.
func (b *Box) tryLocked(f *Frame) {
	b.busy = true
	b.mu.Unlock()
	took := b.try(f)
	b.mu.Lock()
	b.busy = false
	switch {
	case took == Nothing && (b.over || b.cut):
		f.Free()
	case took == Nothing:
		b.queue = slices.Insert(b.queue, 0, f)
		b.bytes += len(f.Data)
	default:
		b.owes = took == Part
		f.Free()
	}
}

// End makes the connection end after what waits, with a reason. Only the first one counts.
func (b *Box) End(bye wire.Bye) {
	b.mu.Lock()
	b.endLocked(bye)
	b.wakeLocked()
	b.mu.Unlock()
}

// Cut ends the connection without a further word, also not what waits.
func (b *Box) Cut() {
	b.mu.Lock()
	for _, f := range b.queue {
		f.Free()
	}
	b.queue, b.bytes, b.cut = nil, 0, true
	b.endLocked(wire.Bye{})
	b.wakeLocked()
	b.mu.Unlock()
}

func (b *Box) endLocked(bye wire.Bye) {
	if b.bye == nil {
		bye.Is = "bye"
		b.bye = &bye
	}
}

// wakeLocked sees to it that somebody writes, if there is something to write.
func (b *Box) wakeLocked() {
	if b.busy || b.over || b.write == nil || len(b.queue) == 0 && b.bye == nil && !b.owes {
		return
	}
	b.busy = true
	safe.Go("write to a connection", b.drainer)
}

// drain writes until nothing waits. After a fault nobody writes any more.
func (b *Box) drain() {
	if !safe.Do("write to a connection", b.writeAll) {
		b.finish()
	}
}

func (b *Box) writeAll() {
	for {
		list, bye, owes := b.take()
		if len(list) == 0 && bye == nil && !owes {
			return
		}
		goesOn := b.write(list, bye)
		if bye != nil || !goesOn {
			b.finish()
			return
		}
	}
}

// finish frees what still waits: nobody will write it.
func (b *Box) finish() {
	b.mu.Lock()
	b.over, b.busy = true, false
	for _, f := range b.queue {
		f.Free()
	}
	b.endLocked(wire.Bye{})
	b.queue, b.taken, b.bytes = nil, nil, 0
	b.mu.Unlock()
}

// Take returns the frames to write now, and the last message if the connection is to end after them; with nothing to
// write the writer is not busy any more. The caller frees each frame; the list is good until the next Take. It is for
// who writes without Serve.
func (b *Box) Take() (list []*Frame, bye *wire.Bye) {
	list, bye, _ = b.take()
	return list, bye
}

func (b *Box) take() (list []*Frame, bye *wire.Bye, owes bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	list, owes = b.queue, b.owes
	b.queue, b.taken, b.bytes, b.owes = b.taken[:0], list, 0, false
	if len(list) == 0 && b.bye == nil && !owes {
		b.busy = false
	}
	if cap(list) > mostKept {
		b.taken = nil
	}
	return list, b.bye, owes
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
