// Package outbox is what waits for one connection: frames that are encoded once and shared by all who get them, in a
// queue that is bounded.
package outbox

import (
	"sync"
	"sync/atomic"

	"turnvex.example/turnvex/internal/core/replica"
)

// Frame is one message, encoded once and shared by all who get it. Free must be called once for each place that holds
// it.
type Frame struct {
	Data   []byte
	Enc    replica.Encoding
	Anyway bool // it says nothing of play, and may be written when nothing else may
	refs   atomic.Int32
}

// frames keeps buffers for the next frames. A buffer that has grown large is not kept.
var frames = sync.Pool{New: func() any { return new(Frame) }}

const maxKeptBuffer = 64 << 10

// New returns an empty frame that its maker holds.
func New(enc replica.Encoding) *Frame {
	f := frames.Get().(*Frame)
	f.Enc, f.Data, f.Anyway = enc, f.Data[:0], false
	f.refs.Store(1)
	return f
}

// Hold counts one more place that holds the frame.
func (f *Frame) Hold() *Frame {
	f.refs.Add(1)
	return f
}

// Free gives the frame back when nobody holds it any longer. Its data must not be used afterwards.
func (f *Frame) Free() {
	if f.refs.Add(-1) == 0 && cap(f.Data) <= maxKeptBuffer {
		frames.Put(f)
	}
}
