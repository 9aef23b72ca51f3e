package socket

import (
	"encoding/binary"
	"errors"
	"net"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/live/outbox"
)

// line is the network's side of a connection: what the library writes of its own, and whole frames that the service
// has made, one behind the other. What the system takes only a part of is finished before anything else.
type line struct {
	net.Conn
	raw syscall.RawConn // nil where nothing can be written but by waiting, as under TLS

	mu   sync.Mutex
	rest []byte // guarded by mu; of a frame of which a part is written
}

func newLine(c net.Conn) *line {
	l := &line{Conn: c}
	if open, is := c.(syscall.Conn); is {
		l.raw, _ = open.SyscallConn()
	}
	return l
}

// Write is for what the library writes of its own: the handshake, pongs, the close.
func (l *line) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if err := l.flushLocked(); err != nil {
		return 0, err
	}
	return l.Conn.Write(p)
}

func (l *line) flushLocked() error {
	rest := l.rest
	l.rest = nil
	if len(rest) == 0 {
		return nil
	}
	_, err := l.Conn.Write(rest)
	return err
}

// writeAll writes frames, and waits so long until the system has taken all of them.
func (l *line) writeAll(list []*outbox.Frame, within time.Duration) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.Conn.SetWriteDeadline(time.Now().Add(within))
	defer l.Conn.SetWriteDeadline(time.Time{})
	if err := l.flushLocked(); err != nil {
		return err
	}
	if len(list) == 0 {
		return nil
	}
	buf := drafts.Get().(*[]byte)
	defer putDraft(buf)
	for _, f := range list {
		if len(*buf) > 0 && len(*buf)+len(f.Data) > maxKept {
			if _, err := l.Conn.Write(*buf); err != nil {
				return err
			}
			*buf = (*buf)[:0]
		}
		*buf = appendFrame(*buf, f)
	}
	_, err := l.Conn.Write(*buf)
	return err
}

// try writes a frame if the system takes it at once, or as much of it as it takes: the rest is written before anything
// else. It waits for nothing.
func (l *line) try(f *outbox.Frame) outbox.Took {
	if l.raw == nil || !l.mu.TryLock() {
		return outbox.Nothing
	}
	defer l.mu.Unlock()
	if len(l.rest) > 0 {
		return outbox.Nothing
	}
	buf := drafts.Get().(*[]byte)
	defer putDraft(buf)
	*buf = appendFrame(*buf, f)
	n := 0
	err := l.raw.Write(func(fd uintptr) bool {
		n, _ = unix.Write(int(fd), *buf)
		return true
	})
	switch {
	case err != nil || n <= 0: // whoever waits finds out what is wrong
		return outbox.Nothing
	case n < len(*buf):
		l.rest = append([]byte(nil), (*buf)[n:]...)
		return outbox.Part
	}
	return outbox.All
}

// CloseWrite ends what is written, and no more.
func (l *line) CloseWrite() error {
	if half, is := l.Conn.(interface{ CloseWrite() error }); is {
		return half.CloseWrite()
	}
	return errors.ErrUnsupported
}

// drafts are lent to connections while they write.
var drafts = sync.Pool{New: func() any { return new([]byte) }}

func putDraft(b *[]byte) {
	if cap(*b) <= maxKept {
		*b = (*b)[:0]
		drafts.Put(b)
	}
}

// opcode is the first byte of a whole message in each encoding: text and binary of RFC 6455, section 5.2.
var opcode = [replica.Encodings]byte{replica.JSON: 0x81, replica.CBOR: 0x82}

// appendFrame appends a message as one frame of RFC 6455, section 5.2, not masked, as servers send them.
func appendFrame(dst []byte, f *outbox.Frame) []byte {
	dst = append(dst, opcode[f.Enc])
	switch n := len(f.Data); {
	case n < 126:
		dst = append(dst, byte(n))
	case n < 1<<16:
		dst = binary.BigEndian.AppendUint16(append(dst, 126), uint16(n))
	default:
		dst = binary.BigEndian.AppendUint64(append(dst, 127), uint64(n))
	}
	return append(dst, f.Data...)
}
