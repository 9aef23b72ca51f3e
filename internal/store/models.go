package store

import "time"

// Player is somebody who has signed in.
type Player struct {
	ID        string `gorm:"type:uuid;primaryKey"`
	Name      string
	CreatedAt time.Time
	SeenAt    time.Time
}

// Device is a device that a player signs in with. The key itself is not kept.
type Device struct {
	KeyHash   []byte `gorm:"primaryKey"`
	PlayerID  string `gorm:"type:uuid"`
	CreatedAt time.Time
}

// Rulebook is one version of a rulebook.
type Rulebook struct {
	Name      string `gorm:"primaryKey"`
	Version   string `gorm:"primaryKey"`
	Title     string
	Source    []byte
	CreatedAt time.Time
	Current   bool
}

// Lobby is a lobby in the directory.
type Lobby struct {
	ID        string `gorm:"type:uuid;primaryKey"`
	Code      string
	Rulebook  string
	Version   string
	Title     string
	Region    string
	Node      string
	State     string
	Seats     int
	Capacity  int
	Practice  bool
	Open      bool
	Listed    bool
	CreatedAt time.Time
	UpdatedAt time.Time
	ClosedAt  *time.Time
}

// Match is a match that has ended.
type Match struct {
	ID       string `gorm:"type:uuid;primaryKey"`
	LobbyID  string `gorm:"type:uuid"`
	Number   int64
	Rulebook string
	Version  string
	Because  string
	Millis   int64
	Practice bool
	EndedAt  time.Time
	Result   []byte `gorm:"type:jsonb"`
}

// MatchPlayer is a player's part in a match.
type MatchPlayer struct {
	MatchID  string `gorm:"type:uuid;primaryKey"`
	PlayerID string `gorm:"type:uuid;primaryKey"`
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
	UpdatedAt time.Time
}

// BoardEntry is a player's entry on a leaderboard.
type BoardEntry struct {
	Rulebook string `gorm:"primaryKey"`
	Board    string `gorm:"primaryKey"`
	PlayerID string `gorm:"type:uuid;primaryKey"`
	Value    int64
	PostedAt time.Time
}
