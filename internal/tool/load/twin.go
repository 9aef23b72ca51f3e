package load

import (
	"encoding/json"
	"strconv"
	"sync"

	"turnvex.example/turnvex/client"
)

// twin reckons what a client would have been sent in two other ways: its whole visible state as JSON each tick, and a
// JSON Merge Patch (RFC 7396) a tick. The state is an object of kinds of sheets, of sheets by number, of fields by
// name, with the values as the protocol sends them; clocks too are sent as values that need not be told again while
// they run, which favours the other ways.
type twin struct {
	mu     sync.Mutex
	state  map[string]map[string]map[string]any
	patch  map[string]map[string]any // of the tick under way; a sheet that has gone is null
	size   int                       // of the state as JSON
	tick   int64
	whole  int64 // bytes so far
	patchs int64
	began  bool
}

func newTwin() *twin { return &twin{state: map[string]map[string]map[string]any{}} }

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
		t.patch = map[string]map[string]any{}
	}
}
