package ledger_test

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/store"
)

// virtual is a ledger over a database in memory, in virtual time.
type virtual struct {
	*testing.T
	*ledger.Ledger
	link  *memdb.Link
	log   bytes.Buffer
	mu    sync.Mutex
	away  error           // guarded by mu; what every call to the database ends with
	calls []time.Duration // guarded by mu; when an append was tried, since the beginning
	fence store.Fence
}

func inVirtualTime(t *testing.T, most int, story func(v *virtual)) {
	t.Helper()
	synctest.Test(t, func(t *testing.T) {
		began := time.Now()
		v := &virtual{T: t, link: memdb.NewDatabase().Link()}
		v.link.Gate = func(_ context.Context, call string) error {
			v.mu.Lock()
			defer v.mu.Unlock()
			if v.away != nil && call == "append" {
				v.calls = append(v.calls, time.Since(began))
			}
			return v.away
		}
		v.Ledger = ledger.New(v.link, "n1", func() store.Fence { return v.fence },
			slog.New(slog.NewTextHandler(&v.log, nil)), most)
		defer v.Abort()
		story(v)
	})
}

func (v *virtual) fails(err error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.away = err
}

func (v *virtual) opens(id string) ledger.Stay {
	v.Helper()
	h := ledger.Head{Lobby: id, Code: id, Setup: lobby.Setup{Code: id}, Opened: time.Now()}
	err := v.Open(v.Context(), h, []byte{1})
	if err != nil {
		v.Fatal(err)
	}
	return v.Stay(id)
}

// after waits for a mark, and says how long that took.
func (v *virtual) after(m ledger.Mark) time.Duration {
	v.Helper()
	began := time.Now()
	if err := v.Kept(v.Context(), m); err != nil {
		v.Fatal(err)
	}
	return time.Since(began)
}

// rows is how many rows the log has.
func (v *virtual) rows() int {
	list, err := v.link.Rows(v.Context()).Log("n1", 0, 1000)
	if err != nil {
		v.Fatal(err)
	}
	return len(list)
}

// TestWhatComesIsWritten: an entry, a state and an end are each written 40 ms after what was written before; the bytes
// of journals that were held are given back when they are committed, or when they are not this node's to write.
func TestWhatComesIsWritten(t *testing.T) {
	inVirtualTime(t, 100, func(v *virtual) {
		a := v.opens("A")
		time.Sleep(110 * time.Millisecond) // 10 ms ago it has written anyway
		if d := v.after(v.Write(a, 1, []byte("1"), nil)); d != 30*time.Millisecond {
			t.Errorf("an entry is written after %v", d)
		}
		time.Sleep(10 * time.Millisecond)
		for bytes, want := range map[int]bool{101: false, 100: true} {
			if v.Hold(bytes) != want {
				t.Errorf("%d bytes may be held: %v", bytes, !want)
			}
		}
		if v.Hold(1) || v.Held() != 100 {
			t.Errorf("%d bytes are held", v.Held())
		}
		v.Release(90)
		m := v.Checkpoint(a, ledger.State{Seq: 1, Data: []byte("four"), Keep: true}, []byte("sixsix"))
		if d := v.after(m); d != 30*time.Millisecond || v.Held() != 0 {
			t.Errorf("a state is written after %v, %d bytes are held", d, v.Held())
		}
		time.Sleep(70 * time.Millisecond)
		v.Hold(6)
		v.Checkpoint(a, ledger.State{Seq: 1, Data: []byte("four")}, []byte("sixsix"))
		time.Sleep(100 * time.Millisecond)
		v.Hold(3)
		if d := v.after(v.End(a, 2, 2, []byte("end"), false)); d > 40*time.Millisecond || v.Held() != 0 {
			t.Errorf("an end is written after %v, %d bytes are held", d, v.Held())
		}
		over := ledger.Stay{Lobby: "A", Fence: store.Fence{Node: "n1", Epoch: 7}}
		v.Hold(13)
		v.Checkpoint(over, ledger.State{Seq: 1, Data: []byte("four"), Keep: true}, []byte("sixsix"))
		v.End(over, 2, 2, []byte("end"), false)
		if v.Held() != 0 {
			t.Errorf("%d bytes of what is not this node's are held", v.Held())
		}
	})
}

// TestOutage: while the database is away it is asked again, less and less often; that nothing can be written is told
// after a second, and logged once, as is that it can be again.
func TestOutage(t *testing.T) {
	inVirtualTime(t, 0, func(v *virtual) {
		a, told := v.opens("A"), make(chan time.Time, 9)
		v.OnAway(func() { told <- v.Away() })
		v.fails(errors.New("gone"))
		m := v.Write(a, 1, []byte("1"), nil)
		began := time.Now()
		since, d := <-told, time.Since(began)
		if since.IsZero() || d < time.Second || d > 1600*time.Millisecond {
			t.Errorf("after %v it is told that it is away since %v", d, since)
		}
		time.Sleep(3 * time.Second)
		v.fails(nil)
		if v.after(m); !(<-told).IsZero() {
			t.Error("it is written, and said to be away")
		}
		var gaps []time.Duration
		for i, at := range v.calls[1:] {
			gaps = append(gaps, at-v.calls[i])
		}
		const ms = time.Millisecond
		want := []time.Duration{40 * ms, 80 * ms, 160 * ms, 320 * ms, 640 * ms, 1000 * ms, 1000 * ms}
		if !slices.Equal(gaps[:min(len(gaps), len(want))], want) {
			t.Errorf("it is asked again after %v", gaps)
		}
		v.after(v.Write(a, 2, []byte("2"), nil))
		for what, want := range map[string]int{"cannot be written": 1, "is written again": 1} {
			if n := strings.Count(v.log.String(), what); n != want {
				t.Errorf("that it %s stands %d times in the log", what, n)
			}
		}
		v.link.Gate = func(_ context.Context, call string) error {
			if call == "shorten" {
				return errors.New("gone")
			}
			return nil
		}
		v.after(v.Checkpoint(a, ledger.State{Seq: 2, Data: []byte("2")}, []byte("12")))
		if !strings.Contains(v.log.String(), "could not be made shorter") {
			t.Error("that the log is not made shorter is not logged")
		}
	})
}

// TestForgotten: what waits and belongs to others by now is not written and not held; what comes then is, also of a
// lobby whose entries gave way before, and the log is not kept for what was forgotten.
func TestForgotten(t *testing.T) {
	inVirtualTime(t, 40, func(v *virtual) {
		refreshed := make(chan bool, 9)
		v.OnFull(func() { refreshed <- true })
		a, b := v.opens("A"), v.opens("B")
		v.after(v.Write(a, 1, []byte("1"), nil)) // for which the log is needed
		v.fails(errors.New("gone"))
		v.Write(a, 2, make([]byte, 60), nil) // gives way
		<-refreshed
		lost := v.Write(b, 1, []byte("1"), nil)
		v.Hold(5)
		v.Checkpoint(b, ledger.State{Seq: 1}, []byte("piece"))
		v.Forget()
		if err := v.Kept(v.Context(), lost); !errors.Is(err, store.ErrFenced) {
			t.Errorf("what is forgotten: %v", err)
		}
		if n, _ := v.Waiting(); n != 0 || v.Held() != 0 {
			t.Errorf("%d bytes wait, %d are held", n, v.Held())
		}
		m := v.Write(a, 2, []byte("2"), nil)
		over, end := context.WithCancel(v.Context())
		if end(); v.Kept(over, m) == nil {
			t.Error("what waits is said to be kept")
		}
		v.fails(nil)
		v.after(m)
		v.after(v.Checkpoint(a, ledger.State{Seq: 2}, []byte("12")))
		v.after(v.Checkpoint(b, ledger.State{Seq: 2}, []byte("12")))
		if n := v.rows(); n != 0 {
			t.Errorf("the log has %d rows left", n)
		}
	})
}

// TestWaitersAreTold: whoever waits for what gave way, or is forgotten, is told so at once, and not when something is
// written again; a flush does not fail for it.
func TestWaitersAreTold(t *testing.T) {
	inVirtualTime(t, 40, func(v *virtual) {
		a, b, told := v.opens("A"), v.opens("B"), make(chan error, 1)
		v.after(v.Write(a, 1, []byte("1"), nil)) // so the next is not written at once
		v.fails(errors.New("gone"))
		waits := func(m ledger.Mark) {
			synctest.Wait()
			go func() { told <- v.Kept(v.Context(), m) }()
			synctest.Wait()
		}
		waits(v.Write(a, 2, []byte("1"), nil))
		began := time.Now()
		v.Write(a, 3, make([]byte, 60), nil)
		if err := <-told; !errors.Is(err, ledger.ErrGaveWay) || time.Since(began) > 0 {
			t.Errorf("what gave way, after %v: %v", time.Since(began), err)
		}
		waits(v.Write(b, 1, []byte("1"), nil))
		flushed := make(chan error, 1)
		go func() { flushed <- v.Flush(v.Context()) }()
		synctest.Wait()
		v.Forget()
		if err := <-told; !errors.Is(err, store.ErrFenced) || time.Since(began) > 0 {
			t.Errorf("what is forgotten, after %v: %v", time.Since(began), err)
		}
		if err := <-flushed; err != nil {
			t.Errorf("a flush of what is forgotten: %v", err)
		}
		if err := v.Flush(canceled()); err == nil {
			t.Error("a flush that was given up is said to be done")
		}
	})
}

func canceled() context.Context {
	ctx, end := context.WithCancel(context.Background())
	end()
	return ctx
}

// TestEnds: closing a ledger writes what waits, and it says nothing more; ending it waits for the call that is under
// way.
func TestEnds(t *testing.T) {
	inVirtualTime(t, 0, func(v *virtual) {
		v.Write(v.opens("A"), 1, []byte("1"), nil)
		if err := v.Close(v.Context()); err != nil || v.rows() != 1 {
			t.Errorf("closed with %d rows: %v", v.rows(), err)
		}
		alive := func() time.Time {
			at, err := v.link.Rows(v.Context()).Alive("n1")
			if err != nil {
				t.Fatal(err)
			}
			return at
		}
		at := alive()
		if time.Sleep(time.Second); !alive().Equal(at) {
			t.Error("a ledger that is closed says that it is alive")
		}
	})
	inVirtualTime(t, 0, func(v *virtual) {
		under, gate := 0, v.link.Gate
		v.link.Gate = func(ctx context.Context, call string) error {
			if call == "append" {
				under++
				time.Sleep(time.Second)
				under--
			}
			return gate(ctx, call)
		}
		v.Write(v.opens("A"), 1, []byte("1"), nil)
		time.Sleep(200 * time.Millisecond)
		if v.Abort(); under != 0 {
			t.Error("it ends while a call is under way")
		}
	})
}
