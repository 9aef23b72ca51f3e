// Package match is the authority over a match: phases and rounds, what players may do and what follows from it,
// movement, pieces, pauses, the end and what is kept. A lobby owns it, hands it what concerns the match, and lets its
// time pass.
//
// What it changes it changes on the lobby's sheets; what the driver must carry out it adds to the output of the step
// under way.
package match
