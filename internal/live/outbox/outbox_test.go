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

// TestOrderAndSharing: every box gets every shared frame, in order, while others put and take, whether it is tried
// first or not; what is left of a frame is written before the next is tried; a frame's bytes are its own until the last
// box has freed it.
func TestOrderAndSharing(t *testing.T) {
	const boxes, rounds = 8, 3000
	var all []*outbox.Box
	var takers sync.WaitGroup
	for n := range boxes {
		b := outbox.NewBox(&wire.Bye{Code: "full"})
		all = append(all, b)
		takers.Add(1)
		next, owes, tried := 0, false, 0
		comes := func(f *outbox.Frame) {
			if want := fmt.Sprint("frame ", next); string(f.Data) != want {
				t.Errorf("%q came, not %q", f.Data, want)
			}
			next++
		}
		var try outbox.Trier
		if n%2 == 1 {
			try = func(f *outbox.Frame) outbox.Took {
				tried++
				took := outbox.Took(tried * n / 2 % 3)
				if owes {
					t.Error("it is tried while a part is left")
				}
				if owes = took == outbox.Part; took != outbox.Nothing {
					comes(f)
				}
				return took
			}
		}
		b.Serve(func(list []*outbox.Frame, bye *wire.Bye) bool {
			owes = false
			for _, f := range list {
				comes(f)
				f.Free()
			}
			if bye != nil {
				if next != rounds || try != nil && tried == 0 || bye.Code != "over" || bye.Is != "bye" {
					t.Errorf("after %d frames: %+v", next, bye)
				}
				takers.Done()
			}
			return true
		}, try)
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
