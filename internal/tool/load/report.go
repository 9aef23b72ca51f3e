package load

import (
	"cmp"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"turnvex.example/turnvex/client"
)

// Report is what was measured. Times are in milliseconds.
type Report struct {
	Clients  int     `json:"clients"`
	Lobbies  int     `json:"lobbies"`
	Encoding string  `json:"encoding"`
	Seconds  float64 `json:"seconds"`
	Rate     int     `json:"ticks_per_second"`

	Messages float64 `json:"messages_per_second"`           // deltas and snapshots to all clients
	Bytes    float64 `json:"bytes_per_client_per_second"`   // of everything, as TCP carries it
	Whole    float64 `json:"whole_state_per_client_second"` // bytes, if the whole visible state were sent as JSON each tick
	Patch    float64 `json:"merge_patch_per_client_second"` // bytes, if a JSON Merge Patch were sent each tick
	ToWhole  float64 `json:"bytes_against_whole_state"`
	ToPatch  float64 `json:"bytes_against_merge_patch"`
	Deflated float64 `json:"bytes_against_deflated_merge_patch"` // compressed with a context that is kept
	Deflate  float64 `json:"deflate_us_per_merge_patch"`

	Busiest float64 `json:"busiest_millisecond,omitempty"` // of a tick, against the mean

	Intents    float64        `json:"intents_per_second"`
	Refused    map[string]int `json:"refused"`
	Verdict    Spread         `json:"intent_to_verdict_ms"`
	Replica    Spread         `json:"intent_to_replica_ms"` // to each replica in the lobby
	WithinTick float64        `json:"replicas_within_a_tick_and_3_ms"`

	Missed int64 `json:"notices_left_out"`
	Lost   int   `json:"connections_lost"`
}

// Spread says how long things took.
type Spread struct {
	Count int     `json:"count"`
	Half  float64 `json:"half"` // of all took at most so long
	Most  float64 `json:"99_of_100"`
	Worst float64 `json:"worst"`
}

func spreadOf(d []time.Duration) Spread {
	if len(d) == 0 {
		return Spread{}
	}
	slices.Sort(d)
	at := func(part float64) float64 { return d[min(int(float64(len(d))*part), len(d)-1)].Seconds() * 1000 }
	return Spread{len(d), at(0.5), at(0.99), at(1)}
}

// report sums up what was measured in a time.
func (r *run) report(took time.Duration) *Report {
	seconds := took.Seconds()
	out := &Report{Clients: len(r.players), Lobbies: len(r.crews), Encoding: "cbor", Seconds: seconds,
		Refused: map[string]int{}}
	if r.cfg.JSON {
		out.Encoding = "json"
	}
	for _, p := range r.players {
		out.Messages += float64(p.seen()) / seconds
		out.Bytes += float64(p.got()) / seconds / float64(len(r.players))
		out.Missed += p.missed.Load()
	}
	r.compare(out, seconds)
	r.players[0].conn.Read(func(c *client.Copy) { out.Rate = c.Rate })
	r.mu.Lock()
	defer r.mu.Unlock()
	out.Intents = float64(len(r.verdicts)) / seconds
	out.Verdict, out.Replica = spreadOf(r.verdicts), spreadOf(r.replicas)
	maps.Copy(out.Refused, r.refused)
	within := 0
	for _, d := range r.replicas {
		if d <= time.Second/time.Duration(out.Rate)+3*time.Millisecond {
			within++
		}
	}
	if len(r.replicas) > 0 {
		out.WithinTick = float64(within) / float64(len(r.replicas))
	}
	out.Lost = r.lost
	return out
}

// compare holds the bytes of the measured clients against the other ways.
func (r *run) compare(out *Report, seconds float64) {
	own, n, deflated, busy, patches := 0.0, 0.0, 0.0, 0.0, 0.0
	for _, p := range r.players {
		if p.twin == nil {
			continue
		}
		p.twin.mu.Lock()
		own += float64(p.got())
		out.Whole += float64(p.twin.whole)
		out.Patch += float64(p.twin.patchs)
		deflated += float64(p.twin.deflats)
		busy += float64(p.twin.busy.Microseconds())
		patches += float64(p.twin.patches)
		p.twin.mu.Unlock()
		n++
	}
	if out.Whole > 0 {
		out.ToWhole = own / out.Whole
	}
	if out.Patch > 0 {
		out.ToPatch = own / out.Patch
		out.Deflated, out.Deflate = own/deflated, busy/patches
	}
	out.Whole, out.Patch = out.Whole/n/seconds, out.Patch/n/seconds
}

// got is how many bytes came in while it was measured.
func (p *player) got() int64 { return p.endBytes - p.atBytes }

func (p *player) seen() int64 { return p.endCount - p.atCount }

// Write writes the report for people.
func (r *Report) Write(w io.Writer) error {
	tw := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	row := func(name, format string, args ...any) {
		fmt.Fprintf(tw, "%s\t%s\n", name, fmt.Sprintf(format, args...))
	}
	row("Clients", "%d in %s, %s, %d ticks a second, measured for %.0f s", r.Clients,
		plural(r.Lobbies, "lobby", "lobbies"), r.Encoding, r.Rate, r.Seconds)
	row("Deltas", "%.0f a second to all, %.1f to each", r.Messages, r.Messages/float64(r.Clients))
	row("Bytes", "%.0f a second to each", r.Bytes)
	against := func(bytes, ours float64) string {
		if bytes == 0 {
			return "nothing"
		}
		return fmt.Sprintf("%.0f a second; ours are %.1f %% of it", bytes, 100*ours)
	}
	row("  the whole state as JSON each tick", "%s", against(r.Whole, r.ToWhole))
	row("  a JSON Merge Patch each tick", "%s", against(r.Patch, r.ToPatch))
	row("Intents", "%.0f a second", r.Intents)
	row("  refused", "%s", refusals(r.Refused))
	row("  to the verdict", "%s", r.Verdict)
	replicas := r.Replica.String()
	if r.Replica.Count > 0 {
		replicas += fmt.Sprintf("; %.2f %% within a tick and 3 ms", 100*r.WithinTick)
	}
	row("  to every replica", "%s", replicas)
	row("Lost", "%s for clients that fell behind, %s", plural(int(r.Missed), "notice", "notices"),
		plural(r.Lost, "connection", "connections"))
	return tw.Flush()
}

func (s Spread) String() string {
	if s.Count == 0 {
		return "none"
	}
	return fmt.Sprintf("half in %.1f ms, 99 of 100 in %.1f ms, all in %.1f ms", s.Half, s.Most, s.Worst)
}

func plural(n int, one, more string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprint(n, " ", more)
}

func refusals(m map[string]int) string {
	codes := slices.SortedFunc(maps.Keys(m), func(a, b string) int { return cmp.Or(m[b]-m[a], cmp.Compare(a, b)) })
	text := "none"
	for i, code := range codes[:min(len(codes), 5)] {
		if i == 0 {
			text = ""
		}
		text += fmt.Sprintf("%d %s, ", m[code], code)
	}
	return strings.TrimSuffix(text, ", ")
}
