package store

import "time"

// Player is somebody who has signed in.
type Player struct {
	ID         string `gorm:"type:uuid;primaryKey"`
	Name       string
	CreatedAt  time.Time
	SeenAt     time.Time
	VoidBefore *time.Time // tokens from before are void

	BannedAt    *time.Time
	BannedUntil *time.Time // nil, of who is banned: for good
	BannedWhy   string
}

// Device is a device that a player signs in with. The key itself is not kept.
type Device struct {
	KeyHash   []byte `gorm:"primaryKey"`
	PlayerID  string `gorm:"type:uuid"`
	CreatedAt time.Time
	SeenAt    time.Time
	ID        string `gorm:"type:uuid;default:gen_random_uuid()"`
	Name      string
}

// Rulebook is one version of a rulebook.
type Rulebook struct {
	Name      string `gorm:"primaryKey"`
	Version   string `gorm:"primaryKey"`
	Title     string
	Source    []byte
	CreatedAt time.Time
	Current   bool
	Tried     bool // never published, only tried in practice lobbies
}

// Lobby is a lobby in the directory.
type Lobby struct {
	ID        string `gorm:"type:uuid;primaryKey"`
	Code      string
	Name      *string // by which open-or-join finds it
	Rulebook  string
	Version   string
	Title     string
	Region    string
	Node      string
	Epoch     int64 // of the node, under which it is alive
	State     string
	Seats     int
	Capacity  int
	Free      int // seats that are neither taken nor held
	Waiting   int
	Arena     string // of the running match, or else of the next one; "" where there are none
	Password  bool   // one is asked for
	Practice  bool
	Open      bool
	Listed    bool
	CreatedAt time.Time
	UpdatedAt time.Time
	ClosedAt  *time.Time
}

// Match is a match that has ended.
type Match struct {
	EndedAt  time.Time `gorm:"primaryKey"`
	ID       string    `gorm:"type:uuid;primaryKey"`
	LobbyID  string    `gorm:"type:uuid"`
	Code     string    // the lobby's join code
	Number   int64
	Rulebook string
	Version  string
	Because  string
	Millis   int64
	Hidden   bool   // the lobby was not listed
	Result   []byte `gorm:"type:jsonb"`
}

// MatchKept is that a match is kept, in whichever month it ended.
type MatchKept struct {
	ID      string `gorm:"type:uuid;primaryKey"`
	EndedAt time.Time
}

// TableName names the table.
func (MatchKept) TableName() string { return "matches_kept" }

// MatchPlayer is a player's part in a match.
type MatchPlayer struct {
	PlayerID string    `gorm:"type:uuid;primaryKey"`
	EndedAt  time.Time `gorm:"primaryKey"`
	MatchID  string    `gorm:"type:uuid;primaryKey"`
	Rulebook string
	Name     string
	Team     string
	Outcome  string
	Place    int64
}

// Record is what is kept of a player between matches of a rulebook.
type Record struct {
	PlayerID  string `gorm:"type:uuid;primaryKey"`
	Rulebook  string `gorm:"primaryKey"`
	Fields    []byte `gorm:"type:jsonb"`
	Form      int    // how the values are written: 1 by position, 2 by word
	Version   int64  // how often it was changed
	UpdatedAt time.Time
}

// RecordChange is what one save did to a record.
type RecordChange struct {
	LobbyID   string `gorm:"type:uuid;primaryKey"`
	Number    int64  `gorm:"primaryKey"`
	PlayerID  string `gorm:"type:uuid"`
	Rulebook  string
	Version   string
	Match     int64
	Changes   []byte `gorm:"type:jsonb"`
	Was       []byte `gorm:"type:jsonb"` // the fields that changed, before
	Became    []byte `gorm:"type:jsonb"` // and after
	ChangedAt time.Time
	Author    string // who corrected it, where no match did this
	Why       string
	Revision  int64 // the version of the record that it made
}

// BoardEntry is an entry of a season of a leaderboard.
type BoardEntry struct {
	Season    int64  `gorm:"primaryKey"`
	Subject   string `gorm:"type:uuid;primaryKey"` // the player, or what stands for the team
	Team      string // the team's name; "" for a player
	Value     int64
	Posts     int64 // how many were posted
	ReachedAt time.Time
	ClientAt  *time.Time // when a client posted last
	Match     *string    `gorm:"type:uuid"` // in which the value was reached
	Removed   bool
	Barred    bool
	Version   int64 // how often it was changed
	Mark      int64 // of the transaction that changed it last
}

// Account is a login name and a password for a player.
type Account struct {
	PlayerID  string `gorm:"type:uuid;primaryKey"`
	Login     string
	Password  string // argon2id, in its usual written form
	CreatedAt time.Time
	ChangedAt time.Time
}

// BrowserSession renews the tokens of a service key in a browser.
type BrowserSession struct {
	Hash      []byte `gorm:"primaryKey"`
	KeyID     string `gorm:"type:uuid"`
	CreatedAt time.Time
	UsedAt    time.Time // when it was renewed last
	ExpiresAt time.Time
}

// RefreshToken is the newest refresh token of a line of sign-ins: a new pair of tokens can be had for it, once.
type RefreshToken struct {
	Hash      []byte `gorm:"primaryKey"` // of its secret, which is not kept
	Family    string `gorm:"type:uuid"`  // the line
	Session   string // the last sign-in of the line
	PlayerID  string `gorm:"type:uuid"`
	CreatedAt time.Time
	ExpiresAt time.Time
	DeviceID  *string `gorm:"type:uuid"` // from which the sign-in came: a device has one line
}

// ServiceKey is a key of a program or an operator. The key itself is not kept.
type ServiceKey struct {
	ID         string `gorm:"type:uuid;primaryKey"`
	Name       string
	Finder     *string // by which it is found: a part of it that is no secret
	Hash       string  // argon2id, in its usual written form
	OldHash    string  // of the text before it was rotated
	OldUntil   *time.Time
	Scopes     string // separated by blanks
	CreatedAt  time.Time
	UsedAt     *time.Time
	RevokedAt  *time.Time
	VoidBefore *time.Time // tokens from before are void
}

// SigningKey signs tokens.
type SigningKey struct {
	ID        string `gorm:"primaryKey"`
	Secret    string
	CreatedAt time.Time
}

// Recovery is a code with which a player comes in once. The code itself is not kept.
type Recovery struct {
	PlayerID  string `gorm:"type:uuid;primaryKey"`
	Hash      []byte
	ExpiresAt time.Time
}

// Audit is a line of the audit trail.
type Audit struct {
	ID      int64     `gorm:"primaryKey"`
	At      time.Time `gorm:"default:clock_timestamp()"`
	Who     string
	What    string
	Subject string
	Details string
	Why     string
	Address string
	Outcome string // "" while it is under way, ok, or the code of the refusal
}

// TableName is how the table is called.
func (Audit) TableName() string { return "audit" }

// BoardSeason is a leaderboard from one renewal to the next.
type BoardSeason struct {
	ID       int64 `gorm:"primaryKey"`
	Rulebook string
	Board    string
	Name     string
	Begins   time.Time
	Ends     *time.Time
	ClosedAt *time.Time
}

// BoardBar says that a player may not stand on a board.
type BoardBar struct {
	Rulebook string `gorm:"primaryKey"`
	Board    string `gorm:"primaryKey"`
	PlayerID string `gorm:"type:uuid;primaryKey"`
	Author   string
	Why      string
	BarredAt time.Time
}

// BoardAct is what an operator did to a board.
type BoardAct struct {
	ID       int64 `gorm:"primaryKey"`
	Rulebook string
	Board    string
	Season   string
	Subject  *string `gorm:"type:uuid"`
	Act      string
	Author   string
	Why      string
	ActedAt  time.Time
}

// PlayerTotal is what a player's results of a rulebook come to.
type PlayerTotal struct {
	PlayerID string `gorm:"type:uuid;primaryKey"`
	Rulebook string `gorm:"primaryKey"`
	Matches  int64
	Won      int64
	Lost     int64
	Drawn    int64
	Gone     int64 // left before the end
	Millis   int64
	LastAt   time.Time
}

// Series is matches that belong together.
type Series struct {
	ID        string `gorm:"type:uuid;primaryKey"`
	Name      string
	Title     string
	Node      string // that runs it
	Epoch     int64  // of the node
	Plan      []byte
	State     []byte `gorm:"type:jsonb"`
	Seq       int64  // inputs taken
	Over      bool
	OpenedAt  time.Time
	ChangedAt time.Time
}

// TableName is how the table is called.
func (Series) TableName() string { return "series" }

// SeriesInput is one input of a series.
type SeriesInput struct {
	SeriesID string `gorm:"type:uuid;primaryKey"`
	Seq      int64  `gorm:"primaryKey"`
	Input    []byte `gorm:"type:jsonb"`
}

// SeriesPlayer is a player's part in a series.
type SeriesPlayer struct {
	PlayerID string `gorm:"type:uuid;primaryKey"`
	SeriesID string `gorm:"type:uuid;primaryKey"`
	Entrant  int
}

// LedgerLog is what the lobbies of a node took in between two commits.
type LedgerLog struct {
	ID   int64 `gorm:"primaryKey"`
	Node string
	Data []byte
}

// TableName is how the table is called.
func (LedgerLog) TableName() string { return "ledger_log" }

// LedgerLobby is a lobby whose journal is kept.
type LedgerLobby struct {
	LobbyID  string `gorm:"type:uuid;primaryKey"`
	Node     string
	Code     string
	Name     string
	Rulebook string
	Version  string
	Setup    []byte
	OpenedAt time.Time
	EndedAt  *time.Time
	LogFrom  int64 // the first row of the node's log whose entries count
}

// LedgerCheckpoint is the whole state of a lobby that is open.
type LedgerCheckpoint struct {
	LobbyID string `gorm:"type:uuid;primaryKey"`
	Seq     int64
	Tick    int64 // at which it was
	Data    []byte
	BeganAt time.Time  // when the lobby's tick 0 was, or would have been
	TakenAt *time.Time // when the node took the lobby, of which it has written no state since
}

// LedgerSegment is a piece of the journal of a lobby.
type LedgerSegment struct {
	LobbyID string `gorm:"type:uuid;primaryKey"`
	Seq     int64  `gorm:"primaryKey;autoIncrement:false"`
	Tick    int64  // up to which it reaches
	Data    []byte
	State   []byte // the state then; nil of most
	Missing bool   // what was taken in since the last one is not kept: there was no room for it
}

// LedgerPerson is what a token in the journal of a lobby stands for.
type LedgerPerson struct {
	LobbyID string `gorm:"type:uuid;primaryKey"`
	Token   string `gorm:"primaryKey"`
	OfToken string `gorm:"primaryKey"`
	Text    string
}

// Node is a node, as it announces itself.
type Node struct {
	Name        string `gorm:"primaryKey"`
	Epoch       int64
	Address     string // for clients and for other nodes
	Bus         string // for messages between nodes; "" for none
	Region      string
	Version     string
	StartedAt   time.Time
	LeaseUntil  time.Time
	Lobbies     int
	Seats       int
	Connections int
	Draining    bool
}
