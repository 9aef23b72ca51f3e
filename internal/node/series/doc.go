// Package series runs series of matches: it keeps the state of each in the database after every input, opens the
// lobbies of its meetings, holds the places of those who are to play, and tells them.
package series
