// Package step holds what goes into one step of a lobby and what comes out of it: the inputs, and the verdict, notices
// and effects that follow. A driver makes the first and carries out the second; lobby and match sit between them.
package step
