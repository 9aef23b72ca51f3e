package api

import (
	"sync"

	"golang.org/x/time/rate"
)

// The rate of messages on one connection: this many a second over time, and
// this many at once.
const (
	intentRate  = 120
	intentBurst = 240
)

func newIntentLimit() *rate.Limiter { return rate.NewLimiter(intentRate, intentBurst) }

// pool lends write buffers to connections only while they write.
type pool struct{ p sync.Pool }

func (p *pool) Get() any  { return p.p.Get() }
func (p *pool) Put(v any) { p.p.Put(v) }
