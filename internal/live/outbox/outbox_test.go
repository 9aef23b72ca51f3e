package outbox_test

import (
	"bytes"
	"fmt"
	"sync"
	"testing"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/wire"
)

func frame(data string) *outbox.Frame {
	f := outbox.New(replica.CBOR)
	f.Data = append(f.Data, data...)
	return f
}

// TestOrderAndSharing: every box gets every shared frame, in order, while others put and take; a frame's bytes are its
// own until the last box has freed it.
func TestOrderAndSharing(t *testing.T) {
	const boxes, rounds = 8, 3000
	var all []*outbox.Box
	var takers sync.WaitGroup
	for range boxes {
		b := outbox.NewBox(&wire.Bye{Code: "full"})
		all = append(all, b)
		takers.Add(1)
		next := 0
		b.Serve(func(list []*outbox.Frame, bye *wire.Bye) bool {
			for _, f := range list {
				if want := fmt.Sprint("frame ", next); string(f.Data) != want {
					t.Errorf("%q came, not %q", f.Data, want)
				}
				f.Free()
				next++
			}
			if bye != nil {
				if next != rounds || bye.Code != "over" || bye.Is != "bye" {
					t.Errorf("after %d frames: %+v", next, bye)
				}
				takers.Done()
			}
			return true
		})
	}
	for i := range rounds {
		for { // no more ahead than a box may hold
			most := 0
			for _, b := range all {
				n, _ := b.Load()
				most = max(most, n)
			}
			if most < outbox.MostFrames/2 {
				break
			}
		}
		f := frame(fmt.Sprint("frame ", i))
		for _, b := range all {
			b.Put(f.Hold())
		}
		f.Free()
	}
	for _, b := range all {
		b.End(wire.Bye{Code: "over"})
		b.End(wire.Bye{Code: "later"})
		b.Put(frame("too late"))
	}
	takers.Wait()
}

// TestBounds: what waits is bounded by number and by bytes; beyond that the box ends with the reason it was made with,
// and keeps what it has.
func TestBounds(t *testing.T) {
	many := outbox.NewBox(&wire.Bye{Code: "full"})
	for range outbox.MostFrames {
		many.Put(frame("x"))
	}
	if many.Ended() != nil {
		t.Error("it ended before it was full")
	}
	many.Put(frame("x"))
	if n, size := many.Load(); n != outbox.MostFrames || size != outbox.MostFrames || many.Ended() == nil ||
		many.Ended().Code != "full" {
		t.Errorf("%d frames of %d bytes wait; %+v", n, size, many.Ended())
	}
	large := outbox.NewBox(&wire.Bye{Code: "full"})
	large.Put(frame(string(bytes.Repeat([]byte("y"), outbox.MostBytes+1)))) // alone it may be as large as it is
	if large.Ended() != nil {
		t.Error("a large frame alone is too much")
	}
	large.Put(frame("y"))
	if large.Ended() == nil {
		t.Error("more than the bytes that may wait do")
	}
	list, bye := large.Take()
	if len(list) != 1 || bye == nil {
		t.Errorf("%d frames, %+v", len(list), bye)
	}
	if n, size := large.Load(); n != 0 || size != 0 {
		t.Errorf("after taking, %d frames of %d bytes wait", n, size)
	}
}
