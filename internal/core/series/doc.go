// Package series is the machine that runs a series of meetings: who plays whom next, who has won, and how the table
// stands. It is deterministic: the same plan, entrants and inputs give the same state. A driver opens the lobbies that
// it asks for, hands it what happens, and keeps its state after each input.
package series
