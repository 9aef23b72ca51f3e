package store

import "time"

// Player is somebody who has signed in.
type Player struct {
	ID         string     `gorm:"type:uuid;primaryKey"` // made by the service
	Name       string     // shown to others; not unique
	CreatedAt  time.Time  // when they came first
	SeenAt     time.Time  // when they signed in or renewed a token last
	VoidBefore *time.Time // tokens from before are void

	BannedAt    *time.Time // null unless they are banned
	BannedUntil *time.Time // nil, of who is banned: for good
	BannedWhy   string     // what they read beside until when
	Mark        int64      `gorm:"->"` // of the transaction that changed it last: by which nodes find what is new
}

// Device is a device that a player signs in with. The key itself is not kept.
type Device struct {
	KeyHash   []byte    `gorm:"primaryKey"` // SHA-256 of the device key
	PlayerID  string    `gorm:"type:uuid"`  // whose it is
	CreatedAt time.Time // when it was made
	SeenAt    time.Time // when it signed in last
	ID        string    `gorm:"type:uuid;default:gen_random_uuid()"` // by which lists name it
	Name      string    // that the player gave it; "" for none
}

// Rulebook is one version of a rulebook.
type Rulebook struct {
	Name      string    `gorm:"primaryKey"` // by which lobbies are opened
	Version   string    `gorm:"primaryKey"` // a digest of the text
	Title     string    // as people read it
	Source    []byte    // the text, as it was published
	CreatedAt time.Time // when it was made
	Current   bool      // the version that new lobbies run
	Tried     bool      // never published, only tried in practice lobbies
	Mark      int64     `gorm:"->"` // of the transaction that changed it last: by which nodes find what is new
}

// Lobby is a lobby in the directory.
type Lobby struct {
	ID        string     `gorm:"type:uuid;primaryKey"` // made by the service
	Code      string     // the join code; of open lobbies each is used once
	Name      *string    // by which open-or-join finds it
	Rulebook  string     // the name of the rulebook
	Version   string     // of the rulebook: a digest of its text
	Title     string     // of the rulebook
	Region    string     // where it was opened
	Node      string     // that it is alive on, or was last
	Epoch     int64      // of the node, under which it is alive
	State     string     // gathering, starting, playing, results or closed
	Seats     int        // taken
	Capacity  int        // the most seats
	Free      int        // seats that are neither taken nor held
	Waiting   int        // places in the waiting line that are taken
	Arena     string     // of the running match, or else of the next one; "" where there are none
	Password  bool       // one is asked for
	Practice  bool       // nothing of it is saved
	Open      bool       // new players are let in
	Listed    bool       // shown in the listing
	CreatedAt time.Time  // when it was made
	UpdatedAt time.Time  // when it was changed last
	ClosedAt  *time.Time // null while it is open
	Mark      int64      `gorm:"->"` // of the transaction that changed it last: by which nodes find what is new
}

// Match is a match that has ended.
type Match struct {
	EndedAt  time.Time `gorm:"primaryKey"`           // when it ended
	ID       string    `gorm:"type:uuid;primaryKey"` // derived from the lobby and the number, so that a match is kept once
	LobbyID  string    `gorm:"type:uuid"`            // the lobby
	Code     string    // the lobby's join code
	Number   int64     // the how manyth of its lobby
	Rulebook string    // the name of the rulebook
	Version  string    // of the rulebook: a digest of its text
	Because  string    // why it ended
	Millis   int64     // how long it took, in milliseconds without pauses
	Hidden   bool      // the lobby was not listed
	Result   []byte    `gorm:"type:jsonb"` // the whole result, as docs/http.md describes it
}

// MatchKept is that a match is kept, in whichever month it ended.
type MatchKept struct {
	ID      string    `gorm:"type:uuid;primaryKey"` // made by the service
	EndedAt time.Time // in whose month its rows are
}

// TableName names the table.
func (MatchKept) TableName() string { return "matches_kept" }

// MatchPlayer is a player's part in a match.
type MatchPlayer struct {
	PlayerID string    `gorm:"type:uuid;primaryKey"` // whose it is
	EndedAt  time.Time `gorm:"primaryKey"`           // when the match ended
	MatchID  string    `gorm:"type:uuid;primaryKey"` // the match
	Rulebook string    // the name of the rulebook
	Name     string    // then
	Team     string    // the name of the team; "" without one
	Outcome  string    // none, won, lost, drawn or left
	Place    int64     // from 1; equal for equals
}

// Record is what is kept of a player between matches of a rulebook.
type Record struct {
	PlayerID  string    `gorm:"type:uuid;primaryKey"` // whose it is
	Rulebook  string    `gorm:"primaryKey"`           // the name of the rulebook
	Fields    []byte    `gorm:"type:jsonb"`           // the values by the names of fields
	Form      int       // how the values are written: 1 by position, 2 by word
	Version   int64     // how often it was changed
	UpdatedAt time.Time // when it was changed last
	Mark      int64     `gorm:"->"` // of the transaction that changed it last: by which nodes find what is new
}

// RecordChange is what one save did to a record.
type RecordChange struct {
	LobbyID   string    `gorm:"type:uuid;primaryKey"` // the lobby of the save, or a UUID of its own for a correction
	Number    int64     `gorm:"primaryKey"`           // the save, within its lobby
	PlayerID  string    `gorm:"type:uuid"`            // whose it is
	Rulebook  string    // the name of the rulebook
	Version   string    // of the rulebook: a digest of its text
	Match     int64     // the number of the match; 0 outside of one
	Changes   []byte    `gorm:"type:jsonb"` // what was done, operation by operation
	Was       []byte    `gorm:"type:jsonb"` // the fields that changed, before
	Became    []byte    `gorm:"type:jsonb"` // and after
	ChangedAt time.Time // when
	Author    string    // who corrected it, where no match did this
	Why       string    // the reason that was given
	Revision  int64     // the version of the record that it made
}

// BoardEntry is an entry of a season of a leaderboard.
type BoardEntry struct {
	Season    int64      `gorm:"primaryKey"`           // the season
	Subject   string     `gorm:"type:uuid;primaryKey"` // the player, or what stands for the team
	Team      string     // the team's name; "" for a player
	Value     int64      // in the unit of the board
	Posts     int64      // how many were posted
	ReachedAt time.Time  // when the value was reached: of equals the earlier stands before
	ClientAt  *time.Time // when a client posted last
	Match     *string    `gorm:"type:uuid"` // in which the value was reached
	Removed   bool       // taken away, by an operator or a deletion
	Barred    bool       // of a player who may not stand on the board
	Version   int64      // how often it was changed
	Mark      int64      // of the transaction that changed it last
}

// Account is a login name and a password for a player.
type Account struct {
	PlayerID  string    `gorm:"type:uuid;primaryKey"` // whose it is
	Login     string    // the name to sign in with, in small letters
	Password  string    // argon2id, in its usual written form
	CreatedAt time.Time // when it was made
	ChangedAt time.Time // when the password was changed last
}

// BrowserSession renews the tokens of a service key in a browser.
type BrowserSession struct {
	Hash      []byte    `gorm:"primaryKey"` // SHA-256 of its cookie
	KeyID     string    `gorm:"type:uuid"`  // the service key
	CreatedAt time.Time // when it was made
	UsedAt    time.Time // when it was renewed last
	ExpiresAt time.Time // from when on it is good no more
}

// RefreshToken is the newest refresh token of a line of sign-ins: a new pair of tokens can be had for it, once.
type RefreshToken struct {
	Hash      []byte    `gorm:"primaryKey"` // of its secret, which is not kept
	Family    string    `gorm:"type:uuid"`  // the line
	Session   string    // the last sign-in of the line
	PlayerID  string    `gorm:"type:uuid"` // whose it is
	CreatedAt time.Time // when the last sign-in was
	ExpiresAt time.Time // from when on it is good no more
	DeviceID  *string   `gorm:"type:uuid"` // from which the sign-in came: a device has one line
}

// ServiceKey is a key of a program or an operator. The key itself is not kept.
type ServiceKey struct {
	ID         string     `gorm:"type:uuid;primaryKey"` // made by the service
	Name       string     // unique among keys that are not revoked
	Finder     *string    // by which it is found: a part of it that is no secret
	Hash       string     // argon2id, in its usual written form
	OldHash    string     // of the text before it was rotated
	OldUntil   *time.Time // until when that is still taken
	Scopes     string     // separated by blanks
	CreatedAt  time.Time  // when it was made
	UsedAt     *time.Time // when somebody signed in with it last
	RevokedAt  *time.Time // null while it is good
	VoidBefore *time.Time // tokens from before are void
}

// SigningKey signs tokens.
type SigningKey struct {
	ID        string    `gorm:"primaryKey"` // named in the head of each token
	Secret    string    // HMAC-SHA-256; a secret
	CreatedAt time.Time // when it was made
}

// KeptBan is the ban of a player who was deleted, for a device that they had.
type KeptBan struct {
	KeyHash  []byte     `gorm:"primaryKey"` // SHA-256 of the device key
	PlayerID string     `gorm:"type:uuid"`  // who they were
	Until    *time.Time // null: for good
	Why      string     // what they read beside until when
}

// Mute says that what a player writes reaches nobody.
type Mute struct {
	PlayerID string     `gorm:"type:uuid;primaryKey"` // whose it is
	Until    *time.Time // null: for good
	Tell     string     // what they read beside until when
	Mark     int64      `gorm:"->"` // of the transaction that changed it last: by which nodes find what is new
}

// Recovery is a code with which a player comes in once. The code itself is not kept.
type Recovery struct {
	PlayerID  string    `gorm:"type:uuid;primaryKey"` // whose it is
	Hash      []byte    // SHA-256 of the code
	ExpiresAt time.Time // from when on it is good no more
}

// Audit is a line of the audit trail.
type Audit struct {
	ID      int64     `gorm:"primaryKey"`                // in the order of time
	At      time.Time `gorm:"default:clock_timestamp()"` // when
	Who     string    // the name of the service key
	What    string    // the method and the route
	Subject string    // what stood for the names in the route
	Details string    // what was asked for, without secrets
	Why     string    // the reason that was given
	Address string    // from where; "" for the service itself
	Outcome string    // "" while it is under way, ok, or the code of the refusal
}

// TableName is how the table is called.
func (Audit) TableName() string { return "audit" }

// BoardSeason is a leaderboard from one renewal to the next.
type BoardSeason struct {
	ID       int64      `gorm:"primaryKey"` // in the order in which they were made
	Rulebook string     // the name of the rulebook
	Board    string     // the leaderboard, by its name in the rulebook
	Name     string     // such as 2026-11, 2026-W48, a number, or all
	Begins   time.Time  // from then on
	Ends     *time.Time // and before then; null for no end that is known
	ClosedAt *time.Time // when it was closed; null before
}

// BoardBar says that a player may not stand on a board.
type BoardBar struct {
	Rulebook string    `gorm:"primaryKey"`           // the name of the rulebook
	Board    string    `gorm:"primaryKey"`           // the leaderboard, by its name in the rulebook
	PlayerID string    `gorm:"type:uuid;primaryKey"` // whose it is
	Author   string    // the key of the operator who did it
	Why      string    // the reason that was given
	BarredAt time.Time // when
}

// BoardAct is what an operator did to a board.
type BoardAct struct {
	ID       int64     `gorm:"primaryKey"` // in the order of time
	Rulebook string    // the name of the rulebook
	Board    string    // the leaderboard, by its name in the rulebook
	Season   string    // its name; "" for all
	Subject  *string   `gorm:"type:uuid"` // the player or what stands for the team; null for none, or of a deleted player
	Act      string    // remove, bar, unbar or renew
	Author   string    // the key of the operator who did it
	Why      string    // the reason that was given
	ActedAt  time.Time // when
}

// PlayerTotal is what a player's results of a rulebook come to.
type PlayerTotal struct {
	PlayerID string    `gorm:"type:uuid;primaryKey"` // whose it is
	Rulebook string    `gorm:"primaryKey"`           // the name of the rulebook
	Matches  int64     // how many ended
	Won      int64     // of them
	Lost     int64     // of them
	Drawn    int64     // of them
	Gone     int64     // left before the end
	Millis   int64     // how long they took together, in milliseconds
	LastAt   time.Time // when the last ended
}

// Series is matches that belong together.
type Series struct {
	ID        string    `gorm:"type:uuid;primaryKey"` // made by the service
	Name      string    // of its plan
	Title     string    // as people read it
	Node      string    // that runs it
	Epoch     int64     // of the node
	Plan      []byte    // the file that declares it
	State     []byte    `gorm:"type:jsonb"` // after the latest input
	Seq       int64     // inputs taken
	Over      bool      // it has ended
	OpenedAt  time.Time // when
	ChangedAt time.Time // when the latest input came
}

// TableName is how the table is called.
func (Series) TableName() string { return "series" }

// SeriesInput is one input of a series.
type SeriesInput struct {
	SeriesID string `gorm:"type:uuid;primaryKey"` // the series
	Seq      int64  `gorm:"primaryKey"`           // in which order they were taken
	Input    []byte `gorm:"type:jsonb"`           // what was taken in
}

// SeriesPlayer is a player's part in a series.
type SeriesPlayer struct {
	PlayerID string `gorm:"type:uuid;primaryKey"` // whose it is
	SeriesID string `gorm:"type:uuid;primaryKey"` // the series
	Entrant  int    // for which they play, from 0 in the order of the plan
}

// LedgerLog is what the lobbies of a node took in between two commits.
type LedgerLog struct {
	ID   int64     `gorm:"primaryKey"` // in the order of commits
	Node string    // the name of the node
	Data []byte    // the entries of all its lobbies, as node/ledger packs them
	At   time.Time `gorm:"->"` // when it was written
}

// TableName is how the table is called.
func (LedgerLog) TableName() string { return "ledger_log" }

// LedgerLobby is a lobby whose journal is kept.
type LedgerLobby struct {
	LobbyID  string     `gorm:"type:uuid;primaryKey"` // the lobby
	Node     string     // the name of the node
	Code     string     // the join code
	Name     string     // by which open-or-join finds it; "" for none
	Rulebook string     // the name of the rulebook
	Version  string     // of the rulebook: a digest of its text
	Setup    []byte     // with what it was opened
	OpenedAt time.Time  // when
	EndedAt  *time.Time // null while it is open
	LogFrom  int64      // the first row of the node's log whose entries count
}

// LedgerCheckpoint is the whole state of a lobby that is open.
type LedgerCheckpoint struct {
	LobbyID string     `gorm:"type:uuid;primaryKey"` // the lobby
	Seq     int64      // of the last entry of its journal that the state knows
	Tick    int64      // at which it was
	Data    []byte     // the state, packed
	BeganAt time.Time  // when the lobby's tick 0 was, or would have been
	TakenAt *time.Time // when the node took the lobby, of which it has written no state since
	At      time.Time  `gorm:"->"` // when it was written
}

// LedgerSegment is a piece of the journal of a lobby.
type LedgerSegment struct {
	LobbyID string `gorm:"type:uuid;primaryKey"`           // the lobby
	Seq     int64  `gorm:"primaryKey;autoIncrement:false"` // of its last entry
	Tick    int64  // up to which it reaches
	Data    []byte // the entries, packed
	State   []byte // the state then; nil of most
	Missing bool   // what was taken in since the last one is not kept: there was no room for it
}

// LedgerPerson is what a token in the journal of a lobby stands for.
type LedgerPerson struct {
	LobbyID string `gorm:"type:uuid;primaryKey"` // the lobby
	Token   string `gorm:"primaryKey"`           // as the journal names them: a1 an account, n1 a name, w1 a text that a player has written
	OfToken string `gorm:"primaryKey"`           // the account that a name is of; the same for an account
	Text    string // the ID of the player, or the name
}

// Node is a node, as it announces itself.
type Node struct {
	Name        string    `gorm:"primaryKey"` // unique among the nodes of a database
	Epoch       int64     // grows when it begins to hold a lease or loses it; what began earlier writes no more
	Address     string    // for clients and for other nodes
	Bus         string    // for messages between nodes; "" for none
	Region      string    // where it is
	Version     string    // of the program
	StartedAt   time.Time // when
	LeaseUntil  time.Time // its lobbies are alive until then
	Lobbies     int       // open on it
	Seats       int       // taken on it
	Connections int       // live connections to it
	Draining    bool      // it takes no new lobbies
	Overloaded  bool      // it has more to do than it can do in time, and opens no lobbies
	Tallies     []byte    `gorm:"->;type:jsonb"` // how many open lobbies it has, by rulebook and sort
	SeenAt      time.Time `gorm:"->"`            // when it looked after its leaderboards last
	HoldsFrom   time.Time `gorm:"->"`            // from then on it may have posts to keep: no season closes before
}

// LedgerNode says up to when everything that a node's lobbies took in is kept.
type LedgerNode struct {
	Node    string    `gorm:"primaryKey"` // the name of the node
	AliveAt time.Time // up to then
}

// BoardPost is a post to a leaderboard that carried an ID: it counts once. It is remembered for a while.
type BoardPost struct {
	Rulebook string    `gorm:"primaryKey"`           // the name of the rulebook
	Board    string    `gorm:"primaryKey"`           // the leaderboard, by its name in the rulebook
	ID       string    `gorm:"type:uuid;primaryKey"` // with which it was sent
	Subject  string    `gorm:"type:uuid"`            // the player, or what stands for the team
	Value    int64     // in the unit of the board
	PostedAt time.Time // when it was sent
}

// Void says that what was issued to somebody up to a moment is good no more. Every node reads it, and ends connections.
type Void struct {
	ID      int64     `gorm:"primaryKey"` // made by the service
	Subject string    // whose: "player ID", "line ID" of sign-ins, "key ID", or "signer ID"
	Before  time.Time // what was issued earlier is void
	At      time.Time `gorm:"->"` // when this was written
	Mark    int64     `gorm:"->"` // of the transaction that wrote it
}

// TableName names the table.
func (Void) TableName() string { return "voided" }

// Tombstone is the key of a row that was deleted, for an hour: by it other nodes learn of that.
type Tombstone struct {
	Topic string    // which rows: lobbies, players, records or entries
	Key   string    // of the row, as nodes know it
	Mark  int64     `gorm:"->"` // of the transaction that deleted it
	At    time.Time `gorm:"->"` // when it was deleted
}
