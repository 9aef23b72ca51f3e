// Package lobby is the authority over a lobby: who may come in, who has a seat, on which side, who is host, when a
// match starts and what comes after it. It owns the match that it runs, one after the other, over the same sheets.
//
// A lobby is one deterministic state machine. The driver hands it one input at a time and gets back the verdict, the
// notices and the effects that it must carry out; what changed on the sheets is read from the store. It reads no clock,
// draws no global randomness and starts no goroutine: the same rulebook, setup and inputs give the same state hash at
// every tick, on every machine.
package lobby
