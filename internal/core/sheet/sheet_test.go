package sheet_test

import (
	"testing"

	"turnvex.example/turnvex/internal/core/sheet"
)

// TestClocks: shown as mm:ss.mmm, hours in front, never negative, exact to the tick.
func TestClocks(t *testing.T) {
	for ms, want := range map[int64]string{0: "00:00.000", 7: "00:00.007", 59_999: "00:59.999", 60_000: "01:00.000",
		3_599_999: "59:59.999",
		3_600_000: "1:00:00.000", 90_061_001: "25:01:01.001", -5: "00:00.000"} {
		if got := sheet.FormatClock(ms); got != want {
			t.Errorf("%d ms is shown as %s, not %s", ms, got, want)
		}
	}
	for _, c := range []struct{ value, rate, at, now, want int64 }{{0, 1, 10, 30, 20}, {100, -1, 10, 30, 80}, {5, -1, 0,
		30, 0}, {7, 0, 3, 99, 7}} {
		if got := sheet.ClockTicks(c.value, c.rate, c.at, sheet.Tick(c.now)); got != c.want {
			t.Errorf("%+v shows %d", c, got)
		}
	}
	for _, c := range []struct {
		ms   int64
		rate int
		want int64
	}{{1000, 20, 20}, {1, 20, 1}, {51, 20, 2}, {50, 20, 1}, {0, 20, 0}} {
		if got := sheet.Ticks(c.ms, c.rate); got != c.want {
			t.Errorf("%d ms at %d a second are %d ticks", c.ms, c.rate, got)
		}
	}
	for n, want := range map[int64]string{1500: "1.5", -250: "-0.25", 3: "0.003", 1000: "1", 0: "0", -2000: "-2"} {
		if got := sheet.ShowThousandths(n); got != want {
			t.Errorf("%d thousandths are shown as %s", n, got)
		}
	}
}
