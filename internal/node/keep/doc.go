// Package keep holds what outlives a match: the players' records, the results and
// the leaderboards, as they stand in the database.
package keep
