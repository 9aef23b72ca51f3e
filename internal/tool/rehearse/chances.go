package rehearse

import (
	"fmt"
	"math"
)

// interval is where the true share of something lies that happened so often of so many times: the 95 % interval of
// Wilson, which holds for few times and rare things too.
func interval(n, of int) (low, high float64) {
	if of == 0 {
		return 0, 1
	}
	const z = 1.96
	total := float64(of)
	p := float64(n) / total
	mid := (p + z*z/(2*total)) / (1 + z*z/total)
	half := z / (1 + z*z/total) * math.Sqrt(p*(1-p)/total+z*z/(4*total*total))
	return max(mid-half, 0), min(mid+half, 1)
}

// surely is how improbable a difference must be, for all sides together, to be told.
const surely = 0.001

// advantages says which of several that should be alike have won more or less often than chance explains.
func advantages(sides []Side, of int) (said []string) {
	wins := 0
	for _, s := range sides {
		wins += s.Won
	}
	even := float64(wins) / float64(max(of*len(sides), 1))
	spread := math.Sqrt(float64(of) * even * (1 - even))
	if len(sides) < 2 || spread == 0 {
		return nil
	}
	for _, s := range sides {
		away := (float64(s.Won) - float64(of)*even) / spread
		if math.Erfc(math.Abs(away)/math.Sqrt2)*float64(len(sides)) >= surely {
			continue
		}
		more := "more"
		if away < 0 {
			more = "less"
		}
		said = append(said, fmt.Sprintf("%s wins %s often than chance explains: %.1f %% where %.1f %% would be even",
			s.Name, more, share(s.Won, of), 100*even))
	}
	return said
}
