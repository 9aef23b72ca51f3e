package meter

import (
	"math"
	"sync"
	"time"

	dto "github.com/prometheus/client_model/go"
)

// History keeps a point every ten seconds for an hour, in memory.
const (
	pointEvery = 10 * time.Second
	points     = 360
)

// Point is what a node counted in the ten seconds before a moment. What is counted is given for each second.
type Point struct {
	At          int64   `json:"at"` // milliseconds since the epoch
	Lobbies     float64 `json:"lobbies"`
	Seats       float64 `json:"seats"`
	Connections float64 `json:"connections"`
	Turns       float64 `json:"turns"`      // of the lobbies' loops
	TickMS      float64 `json:"tick_ms"`    // how long a turn took, at the 95th percentile
	LateMS      float64 `json:"late_ms"`    // how late one began, at the 95th percentile
	In          float64 `json:"in"`         // live messages
	Out         float64 `json:"out"`        // live messages
	InBytes     float64 `json:"in_bytes"`   // of these
	OutBytes    float64 `json:"out_bytes"`  // of these
	Done        float64 `json:"done"`       // intents that were done
	Refused     float64 `json:"refused"`    // intents that were refused
	Answers     float64 `json:"answers"`    // over HTTP
	Errors      float64 `json:"errors"`     // of these, 5xx
	Limited     float64 `json:"limited"`    // what limits have refused
	Saves       float64 `json:"saves"`      // that wait for the database
	SavesAge    float64 `json:"saves_age"`  // seconds
	Ledger      float64 `json:"ledger"`     // bytes that wait for the database
	LedgerAge   float64 `json:"ledger_age"` // seconds
	Journal     float64 `json:"journal"`    // bytes of journals that wait to be kept
	Memory      float64 `json:"memory"`     // bytes
	Processor   float64 `json:"processor"`  // share of one core

	// What was refused or failed, by the code of the verdict, or http and the status; and what could not be posted, or
	// was too slow. Only what there was.
	Kinds map[string]float64 `json:"kinds,omitempty"`
}

// history is the points of the last hour.
type history struct {
	mu   sync.Mutex
	list []Point // guarded by mu
}

// History returns the points, the oldest first.
func (m *Meter) History() []Point {
	m.past.mu.Lock()
	defer m.past.mu.Unlock()
	return append([]Point{}, m.past.list...)
}

// Remember adds a point every ten seconds, until stop is closed.
func (m *Meter) Remember(stop <-chan struct{}) {
	tick := time.NewTicker(pointEvery)
	defer tick.Stop()
	before, at := m.gather(), time.Now()
	for {
		select {
		case <-stop:
			return
		case now := <-tick.C:
			next := m.gather()
			p := point(before, next, now.Sub(at).Seconds())
			p.At = now.UnixMilli()
			m.past.mu.Lock()
			if m.past.list = append(m.past.list, p); len(m.past.list) > points {
				m.past.list = m.past.list[len(m.past.list)-points:]
			}
			m.past.mu.Unlock()
			before, at = next, now
		}
	}
}

// gathered are the metrics at a moment, by name.
type gathered map[string]*dto.MetricFamily

func (m *Meter) gather() gathered {
	all, err := m.all.Gather()
	out := gathered{}
	if err == nil {
		for _, f := range all {
			out[f.GetName()] = f
		}
	}
	return out
}

// sum adds up what a metric shows, of all labels or of one with a value.
func (g gathered) sum(name string, fits func(label string) bool) (n float64) {
	for _, m := range g[name].GetMetric() {
		label := ""
		if len(m.GetLabel()) > 0 {
			label = m.GetLabel()[0].GetValue()
		}
		if fits == nil || fits(label) {
			n += m.GetCounter().GetValue() + m.GetGauge().GetValue()
		}
	}
	return n
}

func is(word string) func(string) bool { return func(label string) bool { return label == word } }

// point compares two moments that lie so many seconds apart.
func point(before, now gathered, seconds float64) Point {
	rate := func(name string, fits func(string) bool) float64 {
		return round(max(now.sum(name, fits)-before.sum(name, fits), 0) / seconds)
	}
	has := func(name string) float64 { return round(now.sum(name, nil)) }
	took, turns := quantile(before, now, "turnvex_tick_seconds")
	late, _ := quantile(before, now, "turnvex_tick_late_seconds")
	const messages, bytes = "turnvex_live_messages_total", "turnvex_live_bytes_total"
	const verdicts, answers = "turnvex_verdicts_total", "turnvex_http_answers_total"
	return Point{
		Lobbies: has("turnvex_lobbies"), Seats: has("turnvex_seats"), Connections: has("turnvex_live_connections"),
		Turns: round(turns / seconds), TickMS: round(took * 1000), LateMS: round(late * 1000),
		In: rate(messages, is("in")), Out: rate(messages, is("out")),
		InBytes: rate(bytes, is("in")), OutBytes: rate(bytes, is("out")),
		Done: rate(verdicts, is("ok")), Refused: rate(verdicts, func(l string) bool { return l != "ok" }),
		Answers: rate(answers, nil), Errors: rate(answers, func(l string) bool { return l >= "500" }),
		Limited: rate("turnvex_refusals_total", nil), Saves: has("turnvex_saves_waiting"),
		SavesAge: has("turnvex_saves_age_seconds"), Ledger: has("turnvex_ledger_bytes"),
		LedgerAge: has("turnvex_ledger_age_seconds"), Memory: has("process_resident_memory_bytes"),
		Processor: rate("process_cpu_seconds_total", nil), Journal: has("turnvex_ledger_pieces_bytes"),
		Kinds: kinds(before, now, seconds),
	}
}

// failures are the metrics that count what was refused or failed, and what each label of them is called; "" for what is
// no failure.
var failures = map[string]func(label string) string{
	"turnvex_verdicts_total": func(l string) string {
		if l == "ok" {
			return ""
		}
		return l
	},
	"turnvex_http_answers_total": func(l string) string {
		if l < "400" {
			return ""
		}
		return "http " + l
	},
	"turnvex_connections_too_slow_total": func(string) string { return "connection too slow" },
	"turnvex_posts_refused_total":        func(string) string { return "post refused" },
}

// kinds are what was refused or failed between two moments, each a second, by its kind.
func kinds(before, now gathered, seconds float64) map[string]float64 {
	var out map[string]float64
	for metric, called := range failures {
		for _, m := range now[metric].GetMetric() {
			label := ""
			if len(m.GetLabel()) > 0 {
				label = m.GetLabel()[0].GetValue()
			}
			n := round((now.sum(metric, is(label)) - before.sum(metric, is(label))) / seconds)
			name := called(label)
			if name == "" || n <= 0 {
				continue
			}
			if out == nil {
				out = map[string]float64{}
			}
			out[name] = n
		}
	}
	return out
}

// round keeps three digits behind the point.
func round(x float64) float64 { return math.Round(x*1000) / 1000 }

// quantile is the 95th percentile of what a histogram has counted between two moments, as the upper bound of its
// bucket, and how much that is.
func quantile(before, now gathered, name string) (bound, count float64) {
	last := now[name].GetMetric()
	if len(last) == 0 {
		return 0, 0
	}
	h := last[0].GetHistogram()
	was := map[float64]float64{}
	if first := before[name].GetMetric(); len(first) > 0 {
		count = -float64(first[0].GetHistogram().GetSampleCount())
		for _, b := range first[0].GetHistogram().GetBucket() {
			was[b.GetUpperBound()] = float64(b.GetCumulativeCount())
		}
	}
	count += float64(h.GetSampleCount())
	if count <= 0 {
		return 0, 0
	}
	for _, b := range h.GetBucket() {
		bound = b.GetUpperBound()
		if float64(b.GetCumulativeCount())-was[bound] >= 0.95*count {
			break
		}
	}
	return bound, count
}
