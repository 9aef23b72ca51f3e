// Package meter counts what a node does, for Prometheus to read. Each number is explained in docs/operations.md; a test
// compares the two.
package meter

import (
	"cmp"
	"database/sql"
	"net/http"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
)

// Meter is the numbers of one node. It may be used by several goroutines.
type Meter struct {
	all      *prometheus.Registry
	late     prometheus.Histogram
	took     prometheus.Histogram
	verdicts *prometheus.CounterVec
	in, out  flow
	answers  *prometheus.CounterVec
	slow     prometheus.Counter
	overs    prometheus.Counter
	refused  prometheus.Counter
	past     history
}

// flow counts what goes one way.
type flow struct{ messages, bytes prometheus.Counter }

func (f *flow) add(messages, bytes int) {
	f.messages.Add(float64(messages))
	f.bytes.Add(float64(bytes))
}

// spans are the bounds of how long something takes, in seconds.
var spans = []float64{.0005, .001, .002, .003, .005, .01, .025, .05, .1, .25, 1}

// New returns a meter that has counted nothing.
func New() *Meter {
	m := &Meter{
		all: prometheus.NewRegistry(),
		late: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "turnvex_tick_late_seconds",
			Help: "how late the loops of lobbies woke up for a tick", Buckets: spans}),
		took: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "turnvex_tick_seconds",
			Help: "how long a turn of a lobby's loop took, publishing included", Buckets: spans}),
		verdicts: vec("turnvex_verdicts_total", "intents that were answered, by the code of the answer", "code"),
		answers:  vec("turnvex_http_answers_total", "answers over HTTP, by status", "status"),
		slow: prometheus.NewCounter(prometheus.CounterOpts{Name: "turnvex_connections_too_slow_total",
			Help: "live connections that were ended because they did not take what was sent"}),
	}
	messages := vec("turnvex_live_messages_total", "messages of live connections, by direction", "direction")
	bytes := vec("turnvex_live_bytes_total", "bytes of these messages, before compression and TLS", "direction")
	m.in = flow{messages.WithLabelValues("in"), bytes.WithLabelValues("in")}
	m.out = flow{messages.WithLabelValues("out"), bytes.WithLabelValues("out")}
	m.overs = prometheus.NewCounter(prometheus.CounterOpts{Name: "turnvex_lobbies_taken_over_total",
		Help: "lobbies of nodes that were dead, which go on here"})
	m.refused = prometheus.NewCounter(prometheus.CounterOpts{Name: "turnvex_posts_refused_total",
		Help: "posts of effects that were refused because too much waits to be saved"})
	m.all.MustRegister(prometheus.NewCounterFunc(prometheus.CounterOpts{Name: "turnvex_faults_total",
		Help: "faults of the program itself that ended a request, a lobby or a task; the log says where"},
		func() float64 { return float64(safe.Faults()) }))
	m.all.MustRegister(m.refused, m.overs, m.late, m.took, m.verdicts, messages, bytes, m.answers, m.slow,
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

func vec(name, help, label string) *prometheus.CounterVec {
	return prometheus.NewCounterVec(prometheus.CounterOpts{Name: name, Help: help}, []string{label})
}

// Gauge adds a number that is asked for when it is read.
func (m *Meter) Gauge(name, help string, value func() float64) {
	m.all.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, value))
}

// Pool adds the numbers of a pool of connections to the database.
func (m *Meter) Pool(db *sql.DB) {
	m.all.MustRegister(collectors.NewDBStatsCollector(db, "turnvex"))
}

// Refusals adds how often each limit has refused somebody.
func (m *Meter) Refusals(counts func() map[string]uint64) { m.all.MustRegister(refusals{counts}) }

type refusals struct{ counts func() map[string]uint64 }

var refusalsDesc = prometheus.NewDesc("turnvex_refusals_total", "what limits have refused, by "+
	"limit", []string{"limit"}, nil)

// Describe is for the registry.
func (refusals) Describe(ch chan<- *prometheus.Desc) { ch <- refusalsDesc }

// Collect is for the registry.
func (r refusals) Collect(ch chan<- prometheus.Metric) {
	for name, n := range r.counts() {
		ch <- prometheus.MustNewConstMetric(refusalsDesc, prometheus.CounterValue, float64(n), name)
	}
}

// Turn counts a turn of a lobby's loop: how late it began, if it was for a tick, how long it took, and the verdicts
// that were given in it, which it clears. A nil meter counts nothing.
func (m *Meter) Turn(late, took time.Duration, verdicts map[code.Code]int) {
	if m == nil {
		clear(verdicts)
		return
	}
	for c, n := range verdicts {
		m.verdicts.WithLabelValues(cmp.Or(string(c), "ok")).Add(float64(n))
	}
	clear(verdicts)
	if late >= 0 {
		m.late.Observe(late.Seconds())
	}
	m.took.Observe(took.Seconds())
}

// In counts a message that came over a live connection, Out those that went.
func (m *Meter) In(bytes int) {
	m.in.add(1, bytes)
}

// Out counts messages that went over a live connection.
func (m *Meter) Out(messages, bytes int) {
	m.out.add(messages, bytes)
}

// Refuse counts a post that was refused. A nil meter counts nothing.
func (m *Meter) Refuse() {
	if m != nil {
		m.refused.Inc()
	}
}

// Answer counts an answer over HTTP.
func (m *Meter) Answer(status string) { m.answers.WithLabelValues(status).Inc() }

// TookOver counts lobbies that were taken over from nodes that were dead.
func (m *Meter) TookOver(n int) { m.overs.Add(float64(n)) }

// Slow counts a live connection that was ended for being too slow.
func (m *Meter) Slow() { m.slow.Inc() }

// Handler serves the numbers.
func (m *Meter) Handler() http.Handler {
	return promhttp.HandlerFor(m.all, promhttp.HandlerOpts{})
}
