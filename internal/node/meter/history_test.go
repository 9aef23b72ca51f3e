package meter

import (
	"reflect"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/code"
)

// TestHistory: there is a point for every ten seconds of the last hour and no more, with what was counted in these ten
// seconds, for each second.
func TestHistory(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		m := New()
		lobbies := 3.0
		m.Gauge("turnvex_lobbies", "lobbies", func() float64 { return lobbies })
		stop := make(chan struct{})
		go m.Remember(stop)
		synctest.Wait()
		for range 20 {
			m.Turn(time.Millisecond, 2*time.Millisecond, map[code.Code]int{code.OK: 2, code.NotNow: 1})
			m.Out(10, 500)
		}
		m.Answer("200")
		m.Answer("503")
		m.Slow()
		time.Sleep(pointEvery)
		synctest.Wait()
		lobbies = 4
		time.Sleep(pointEvery)
		synctest.Wait()
		list := m.History()
		if len(list) != 2 {
			t.Fatalf("after 20 s there are %d points", len(list))
		}
		p, q := list[0], list[1]
		p.Memory, p.Processor = 0, 0
		want := Point{At: p.At, Lobbies: 3, Turns: 2, TickMS: 2, LateMS: 1, Out: 20, OutBytes: 1000, Done: 4,
			Refused: 2, Answers: 0.2, Errors: 0.1, Kinds: map[string]float64{"not-now": 2, "http 503": 0.1,
				"connection too slow": 0.1}}
		if !reflect.DeepEqual(p, want) {
			t.Errorf("%+v\ninstead of\n%+v", p, want)
		}
		if q.Lobbies != 4 || q.Turns != 0 || q.Out != 0 || q.Kinds != nil || q.At-p.At != pointEvery.Milliseconds() {
			t.Errorf("after ten quiet seconds: %+v", q)
		}
		time.Sleep(time.Hour)
		synctest.Wait()
		if list = m.History(); len(list) != points || list[0].Turns != 0 {
			t.Errorf("after an hour there are %d points, the first %+v", len(list), list[0])
		}
		close(stop)
	})
}
