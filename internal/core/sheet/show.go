package sheet

import "slices"

// Show says how tools draw a field's value; the authority does nothing with it.
type Show uint8

// How a value is drawn.
const (
	ShowAny    Show = iota // as the tool sees fit
	ShowBar                // a bar between the least and the greatest value
	ShowNumber             // the number itself, even where a bar were possible
	ShowTime               // a number of milliseconds, as a time
	ShowAside              // only where all fields are listed
)

var showNames = []string{"any", "bar", "number", "time", "aside"}

func (s Show) String() string { return showNames[s] }

// ShowWords are the words of Show, in its order.
func ShowWords() []string { return slices.Clone(showNames) }

// ShowNamed returns the way of drawing that has this name.
func ShowNamed(name string) (Show, bool) {
	i := slices.Index(showNames, name)
	return Show(max(i, 0)), i >= 0
}
