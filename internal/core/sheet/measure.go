package sheet

// Measure is what an integer measures.
type Measure uint8

// The measures and the units in which they are kept. Unmeasured is a number of something else; of Whatever it is not
// known, and it goes with all of them.
const (
	Unmeasured Measure = iota
	Duration           // milliseconds
	Length             // millimetres
	Speed              // millimetres a second
	Angle              // degrees
	Whatever
)

var measureNames = []string{"number", "duration", "length", "speed", "angle", "value"}

func (m Measure) String() string { return measureNames[m] }

// Unit is the unit in which it is kept.
func (m Measure) Unit() string { return []string{"", "ms", "mm", "mm/s", "deg", ""}[m] }

// MeasureNamed returns the measure of that name.
func MeasureNamed(name string) (Measure, bool) {
	for i, n := range measureNames[:Whatever] {
		if n == name && i > 0 {
			return Measure(i), true
		}
	}
	return 0, false
}
