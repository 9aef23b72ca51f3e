package load

import (
	"bytes"
	"compress/flate"
	"encoding/json"
	"strconv"
	"sync"
	"time"

	"turnvex.example/turnvex/client"
)

// twin reckons what a client would have been sent in three other ways: its whole visible state as JSON each tick, a
// JSON Merge Patch (RFC 7396) a tick, and that compressed as a WebSocket does it that keeps its context (RFC 7692). The
// state is an object of kinds of sheets, of sheets by number, of fields by name, with the values as the protocol sends
// them; clocks too are sent as values that need not be told again while they run, which favours the other ways.
type twin struct {
	mu     sync.Mutex
	state  map[string]map[string]map[string]any
	patch  map[string]map[string]any // of the tick under way; a sheet that has gone is null
	size   int                       // of the state as JSON
	tick   int64
	whole  int64 // bytes so far
	patchs int64
	began  bool

	deflate *flate.Writer
	out     bytes.Buffer
	deflats int64 // bytes so far
	patches int64
	busy    time.Duration // compressing
}

func newTwin() *twin {
	t := &twin{state: map[string]map[string]map[string]any{}}
	t.deflate, _ = flate.NewWriter(&t.out, flate.DefaultCompression)
	return t
}

// deflated counts what a message takes when it is compressed. The last four bytes of what is flushed are always the
// same, and not sent.
func (t *twin) deflated(data []byte) {
	began := time.Now()
	t.deflate.Write(data)
	t.deflate.Flush()
	t.busy += time.Since(began)
	t.deflats += int64(t.out.Len()) - 4
	t.out.Reset()
}

// begin starts to count with the copy as it is.
func (t *twin) begin(c *client.Copy) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.state = map[string]map[string]map[string]any{}
	for k := client.KindLobby; k <= client.KindZone; k++ {
		for _, s := range c.Of(k) {
			for _, f := range s.Fields() {
				v, _ := s.Get(f.Name)
				t.set(s, f.Name, v.Plain())
			}
		}
	}
	t.patch, t.tick, t.whole, t.patchs, t.began = map[string]map[string]any{}, c.Wall(), 0, 0, true
	t.deflats, t.busy, t.patches = 0, 0, 0
	t.measure()
}

func (t *twin) measure() {
	data, _ := json.Marshal(t.state)
	t.size = len(data)
}

func (t *twin) set(s *client.Sheet, field string, v any) {
	kind, id := s.Kind.String(), strconv.Itoa(int(s.ID))
	if t.state[kind] == nil {
		t.state[kind] = map[string]map[string]any{}
	}
	if t.state[kind][id] == nil {
		t.state[kind][id] = map[string]any{}
	}
	if v == nil {
		delete(t.state[kind][id], field)
	} else {
		t.state[kind][id][field] = v
	}
}

// changed takes a change into the state and the patch.
func (t *twin) changed(ch client.Change) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if !t.began {
		return
	}
	kind, id := ch.Sheet.Kind.String(), strconv.Itoa(int(ch.Sheet.ID))
	if t.patch[kind] == nil {
		t.patch[kind] = map[string]any{}
	}
	if ch.Gone {
		delete(t.state[kind], id)
		t.patch[kind][id] = nil
		return
	}
	if ch.Field == nil {
		return
	}
	var v any
	if ch.Seen {
		v = ch.New.Plain()
	}
	t.set(ch.Sheet, ch.Field.Name, v)
	fields, _ := t.patch[kind][id].(map[string]any)
	if fields == nil {
		fields = map[string]any{}
		t.patch[kind][id] = fields
	}
	fields[ch.Field.Name] = v
}

// ticked counts the ticks up to one whose changes are all in.
func (t *twin) ticked(tick int64) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if !t.began || tick <= t.tick {
		return
	}
	t.whole += int64(t.size) * (tick - t.tick - 1) // ticks on which nothing changed
	t.measure()
	t.whole += int64(t.size)
	t.tick = tick
	if len(t.patch) > 0 {
		data, _ := json.Marshal(t.patch)
		t.patchs += int64(len(data))
		t.patches++
		t.deflated(data)
		t.patch = map[string]map[string]any{}
	}
}
