package sheet

import "strconv"

// ClockTicks returns what a clock shows at tick now of the time it runs on: its value at the anchor plus or minus the
// ticks since. It is never negative.
func ClockTicks(value, rate, at int64, now Tick) int64 {
	t := value + rate*(int64(now)-at)
	if t < 0 {
		return 0
	}
	return t
}

// ClockMillis returns what a clock value shows at tick now, in milliseconds, at rate ticks a second.
func (v Value) ClockMillis(rate int, now Tick) int64 {
	return Millis(ClockTicks(v.N[0], v.N[1], v.N[2], now), rate)
}

// Millis turns ticks into milliseconds, rounding down.
func Millis(ticks int64, rate int) int64 { return ticks * 1000 / int64(rate) }

// Ticks turns milliseconds into ticks, rounding up, so that a length that is not zero takes at least one tick.
func Ticks(ms int64, rate int) int64 { return (ms*int64(rate) + 999) / 1000 }

// FormatClock writes milliseconds as mm:ss.mmm, with hours in front from one hour on (h:mm:ss.mmm). Negative times show
// as zero.
func FormatClock(ms int64) string {
	if ms < 0 {
		ms = 0
	}
	var room [32]byte
	out, s, m := room[:0], ms/1000, ms/60000
	if m >= 60 {
		out = append(strconv.AppendInt(out, m/60, 10), ':')
	}
	out = append(digits(out, m%60, 10), ':')
	out = append(digits(out, s%60, 10), '.')
	return string(digits(out, ms%1000, 100))
}

// digits appends a number from the place of its first digit (1, 10, 100) on, with zeros before it.
func digits(out []byte, n, place int64) []byte {
	for ; place > 0; place /= 10 {
		out = append(out, byte('0'+n/place%10))
	}
	return out
}
