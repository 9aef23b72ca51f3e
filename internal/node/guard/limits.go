package guard

import "time"

// Limit is one row of the table.
type Limit struct {
	Name     string        // what is counted
	By       string        // for whom it is counted
	Most     int           // at once
	Every    time.Duration // after which there is one more; 0 when it is held, and given back
	Protects string
}

// The limits.
var (
	Requests = &Limit{"requests", "address", 200, 20 * time.Millisecond, "the processor"}
	Files    = &Limit{"files of the console", "address", 600, 10 * time.Millisecond, "the processor and the network"}
	Arriving = &Limit{"connections that have not said hello yet", "address", 256, 0, "memory and sockets"}
	Sockets  = &Limit{"connections of any kind", "address", 6000, 0, "sockets, before a request has come"}
	Shakes   = &Limit{"handshakes of live connections", "address", 5000, 20 * time.Millisecond, "the processor"}
	Turned   = &Limit{"live connections that were refused", "address", 600, 100 * time.Millisecond,
		"the processor and the log"}
	Live  = &Limit{"live connections", "address", 5000, 0, "memory and sockets"}
	Codes = &Limit{"join codes that do not exist", "player, or address of who is not signed in", 30, 5 * time.Second,
		"lobbies from being found by guessing"}
	CodesThere = &Limit{"join codes that do not exist, of all there", "address", 300, time.Second,
		"lobbies from being found by guessing with many players"}
	AccountTries = &Limit{"wrong passwords", "account and address", 5, time.Minute, "accounts"}
	AccountAll   = &Limit{"wrong passwords, from everywhere", "account", 50, time.Minute,
		"accounts from many addresses; from one its player is not shut out"}
	AddressTries = &Limit{"wrong passwords and keys", "address", 20, 3 * time.Second, "accounts and keys"}
	Checks       = &Limit{"rulebooks to be checked", "player or key", 20, time.Second, "the processor"}
	Checking     = &Limit{"rulebooks being checked, waiting included", "node", 4, 0, "the processor and memory"}
	Hashing      = &Limit{"passwords to be hashed, waiting included", "node", 16, 0,
		"memory: 19 MiB each, four at a time"}
	Opened  = &Limit{"lobbies opened", "player", 60, 2 * time.Second, "memory and the listing"}
	Joined  = &Limit{"joins", "player", 400, 200 * time.Millisecond, "lobbies and the database"}
	Seats   = &Limit{"seats, or places in line, in different lobbies", "player", 12, 0, "places for others"}
	Watches = &Limit{"connections that watch a listing, a board or a topic", "player or key", 50, 0,
		"memory and the processor"}
	Accounts = &Limit{"accounts asked for", "player", 10, time.Minute,
		"which login names are taken; passwords' hashing"}
	Players   = &Limit{"players made by new devices", "address", 5000, time.Second, "the database"}
	Renames   = &Limit{"renames", "player", 10, 10 * time.Second, "everybody who reads names"}
	Texts     = &Limit{"texts that are written to others", "player", 10, 2 * time.Second, "those who read them"}
	Exports   = &Limit{"exports of a player or of matches", "player or key", 10, 10 * time.Second, "the database"}
	Passwords = &Limit{"wrong passwords of a lobby", "player and lobby", 5, 10 * time.Second, "lobbies with a password"}
	AtLobby   = &Limit{"wrong passwords of a lobby, by everybody", "lobby", 60, time.Second, "lobbies with a password"}
)

// All lists them in the order of the table.
var All = []*Limit{
	Requests, Files, Sockets, Arriving, Shakes, Turned, Live, Codes, CodesThere, AccountTries, AccountAll,
	AddressTries, Checks, Checking, Hashing, Opened, Joined, Seats, Watches, Accounts, Players, Renames, Texts, Exports,
	Passwords, AtLobby,
}
