// Package match is the authority: a lobby and the matches it plays, as one
// deterministic state machine. The driver hands it one input at a time and gets
// back the verdict, the notices and the effects that it must carry out; what
// changed on the sheets is read from the store. It reads no clock, draws no
// global randomness and starts no goroutine: the same rulebook, setup and inputs
// give the same state hash at every tick, on every machine.
package match
