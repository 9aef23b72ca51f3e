package socket

import (
	"bytes"
	"encoding/binary"
	"io"
	"net"
	"sync"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/live/outbox"
)

// TestFramesStayWhole: frames of all lengths that are tried, finished and waited for, with pongs of the library's
// between them, arrive whole and in order at a reader who takes what comes in small pieces.
func TestFramesStayWhole(t *testing.T) {
	near, far := pair(t)
	near.SetWriteBuffer(4 << 10)
	l := newLine(near)
	const frames, pongs = 400, 100
	var took [3]int
	var all sync.WaitGroup
	all.Go(func() {
		for range pongs {
			if _, err := l.Write([]byte{0x8a, 2, 'h', 'i'}); err != nil {
				t.Error(err)
			}
		}
	})
	all.Go(func() {
		for i := range frames {
			f := outbox.New(replica.CBOR)
			f.Data = append(f.Data, bytes.Repeat([]byte{byte(i)}, lengthOf(i))...)
			how := l.try(f)
			took[how]++
			var err error
			switch how {
			case outbox.Nothing:
				err = l.writeAll([]*outbox.Frame{f}, time.Minute)
			case outbox.Part:
				err = l.writeAll(nil, time.Minute)
			}
			if err != nil {
				t.Error(err)
			}
		}
	})
	next, heard := 0, 0
	for next < frames || heard < pongs {
		kind, data := frameFrom(t, far)
		switch {
		case kind == 0x8a && string(data) == "hi":
			heard++
		case kind != 0x82 || len(data) != lengthOf(next) || bytes.Count(data, []byte{byte(next)}) != len(data):
			t.Fatalf("frame %d comes as %#x with %d bytes", next, kind, len(data))
		default:
			next++
		}
	}
	all.Wait()
	if took[outbox.Nothing] == 0 || took[outbox.Part] == 0 || took[outbox.All] == 0 {
		t.Errorf("nothing, a part and all was taken %v times", took)
	}
}

// lengthOf goes through all three forms of a frame's length.
func lengthOf(i int) int {
	switch {
	case i%50 == 49:
		return 70_000
	case i%10 == 9:
		return 126 + i
	}
	return i % 126
}

// pair is a connection's two sides.
func pair(t *testing.T) (near, far *net.TCPConn) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	dialled, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	accepted, err := l.Accept()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { dialled.Close(); accepted.Close() })
	return accepted.(*net.TCPConn), dialled.(*net.TCPConn)
}

// frameFrom reads one frame that is not masked.
func frameFrom(t *testing.T, r io.Reader) (kind byte, data []byte) {
	t.Helper()
	read := func(n int) []byte {
		b := make([]byte, n)
		if _, err := io.ReadFull(r, b); err != nil {
			t.Fatal(err)
		}
		return b
	}
	head := read(2)
	n := int(head[1])
	switch n {
	case 126:
		n = int(binary.BigEndian.Uint16(read(2)))
	case 127:
		n = int(binary.BigEndian.Uint64(read(8)))
	}
	return head[0], read(n)
}
