// Package keep holds what outlives a match: the players' records and what changed them, the results and what they come
// to, as they stand in the database.
package keep
