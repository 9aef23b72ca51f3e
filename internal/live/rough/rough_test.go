package rough_test

import (
	"bytes"
	"errors"
	"io"
	"math/rand/v2"
	"net"
	"os"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/live/rough"
)

func TestParse(t *testing.T) {
	n, err := rough.Parse("delay=80ms, jitter=20ms,stall=2s/30s,cut=1m")
	want := rough.Network{
		Delay:      80 * time.Millisecond,
		Jitter:     20 * time.Millisecond,
		StallFor:   2 * time.Second,
		StallEvery: 30 * time.Second,
		CutEvery:   time.Minute,
	}
	if err != nil || n != want || n.Zero() {
		t.Errorf("%+v, %v", n, err)
	}
	if n, err := rough.Parse(""); err != nil || !n.Zero() {
		t.Errorf("nothing is %+v, %v", n, err)
	}
	for _, bad := range []string{"delay", "delay=", "delay=-1s", "delay=11s", "speed=9s", "stall=2s", "stall=2s/0s",
		"stall=2s/x", "cut=2h", "delay=1s,,"} {
		if _, err := rough.Parse(bad); err == nil || !strings.Contains(err.Error(), "delay=80ms") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

// TestWholeAndInOrder: whatever is written arrives whole and in order, both ways, and no sooner than it may, however
// bad the network is. Time is virtual.
func TestWholeAndInOrder(t *testing.T) {
	for seed := uint64(1); seed <= 20; seed++ {
		synctest.Test(t, func(t *testing.T) {
			r := rand.New(rand.NewPCG(seed, 1))
			near, far := net.Pipe()
			n := rough.Network{
				Delay:      50 * time.Millisecond,
				Jitter:     200 * time.Millisecond,
				StallEvery: time.Second,
				StallFor:   3 * time.Second,
				Seed:       seed,
			}
			bad := n.Wrap(near)
			defer bad.Close()
			var there, back bytes.Buffer
			sent := time.Now()
			go func() { // the far side sends everything back
				buf := make([]byte, 300)
				for {
					n, err := far.Read(buf)
					if n > 0 {
						if time.Since(sent) < 50*time.Millisecond {
							t.Error("it arrives sooner than the delay")
						}
						there.Write(buf[:n])
						far.Write(buf[:n])
					}
					if err != nil {
						return
					}
				}
			}()
			want := make([]byte, 2000)
			for i := range want {
				want[i] = byte(r.Uint32())
			}
			for rest := want; len(rest) > 0; {
				k := min(1+r.IntN(200), len(rest))
				if _, err := bad.Write(rest[:k]); err != nil {
					t.Fatal(err)
				}
				rest = rest[k:]
				<-time.After(time.Duration(r.IntN(300)) * time.Millisecond) // of virtual time
			}
			if _, err := io.CopyN(&back, bad, int64(len(want))); err != nil {
				t.Fatal(err)
			}
			if !bytes.Equal(there.Bytes(), want) || !bytes.Equal(back.Bytes(), want) {
				t.Errorf("seed %d: what arrives is not what was sent", seed)
			}
			if took := time.Since(sent); took < 100*time.Millisecond {
				t.Errorf("seed %d: there and back in %s", seed, took)
			}
			far.Close()
		})
	}
}

// TestDeadlineUnderWay: a read ends at its deadline though bytes are under way; they are there for the next one, and
// what the connection ended with comes behind them.
func TestDeadlineUnderWay(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		near, far := net.Pipe()
		bad := rough.Network{Delay: 5 * time.Second, Seed: 3}.Wrap(near)
		defer bad.Close()
		go func() {
			far.Write([]byte("late"))
			far.Close()
		}()
		synctest.Wait()
		buf, began := make([]byte, 3), time.Now()
		for i, c := range []struct {
			by   time.Time
			data string
			err  error
			at   time.Duration // after the beginning
		}{{began.Add(2 * time.Second), "", os.ErrDeadlineExceeded, 2 * time.Second}, {time.Time{}, "lat", nil,
			5 * time.Second},
			{time.Time{}, "e", nil, 5 * time.Second}, {time.Time{}, "", io.EOF, 5 * time.Second}, {time.Time{}, "",
				io.EOF, 5 * time.Second}} {
			bad.SetReadDeadline(c.by)
			n, err := bad.Read(buf)
			if string(buf[:n]) != c.data || !errors.Is(err, c.err) || time.Since(began) != c.at {
				t.Errorf("read %d: %q, %v after %s; not %q, %v after %s", i, buf[:n], err, time.Since(began), c.data,
					c.err, c.at)
			}
		}
	})
}

// TestDeadlineAndCut: a read ends at its deadline; a connection is cut on average when it should be.
func TestDeadlineAndCut(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		near, far := net.Pipe()
		defer far.Close()
		bad := rough.Network{Delay: time.Second, CutEvery: time.Minute, Seed: 5}.Wrap(near)
		began := time.Now()
		bad.SetReadDeadline(began.Add(3 * time.Second))
		_, err := bad.Read(make([]byte, 1))
		if late := net.Error(nil); !errors.As(err, &late) || !late.Timeout() || time.Since(began) != 3*time.Second {
			t.Errorf("after %s: %v", time.Since(began), err)
		}
		bad.SetReadDeadline(time.Time{})
		if _, err := bad.Read(make([]byte, 1)); err == nil || errors.Is(err, os.ErrDeadlineExceeded) {
			t.Errorf("after the cut: %v", err)
		}
		if took := time.Since(began); took > 10*time.Minute {
			t.Errorf("it was cut after %s", took)
		}
		if _, err := bad.Write([]byte("x")); err == nil {
			t.Error("writing goes on after the cut")
		}
		if bad.Close() != nil && !errors.Is(bad.Close(), io.ErrClosedPipe) {
			t.Error("closing twice fails")
		}
	})
}
