// Package point names the places at which a node can be made to die, so that what is kept, carried out and sent can be
// checked after a death between any two of them. They are there under the build tag points alone; otherwise Pass does
// nothing, and nothing can be armed.
package point

// The places, in the order in which something that leaves a lobby comes by them.
const (
	Decided = "decided" // the authority has decided it, and nothing is kept
	Kept    = "kept"    // what led to it is kept, and it is not carried out
	Carried = "carried" // it is carried out, and nobody is told
	Sent    = "sent"    // something was sent to a client
)

// All are all of them.
var All = []string{Decided, Kept, Carried, Sent}

// Variable arms a point in a process: its name, the how manyth pass is the last, and the number of the signal.
const Variable = "TURNVEX_POINT"
