// Package wire holds the messages of the live protocol, as docs/protocol.md
// describes them, and reads and writes them as JSON. It knows no sockets.
package wire

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"turnvex/internal/replica"
	"turnvex/internal/sheet"
)

// SubprotocolJSON is the name of the JSON encoding in the WebSocket handshake.
const SubprotocolJSON = "turnvex.v1+json"

// The limits of what a client may send.
const (
	MaxMessage = 16 << 10 // bytes of one message
	MaxDepth   = 8        // lists and maps inside each other
)

// Hello opens a connection: who asks, and for which lobby.
type Hello struct {
	Is     string   `json:"is"` // "hello"
	Token  string   `json:"token"`
	Lobby  string   `json:"lobby"`            // join code
	Watch  bool     `json:"watch,omitempty"`  // as a spectator
	As     uint32   `json:"as,omitempty"`     // operators: see exactly what this seat sees
	All    bool     `json:"all,omitempty"`    // operators and referees: see everything
	Resume string   `json:"resume,omitempty"` // the key of an earlier welcome
	Team   string   `json:"team,omitempty"`   // the team wished for
	Pass   string   `json:"password,omitempty"`
	Book   string   `json:"version,omitempty"` // of the rulebook; refused if the lobby runs another
	Wait   bool     `json:"wait,omitempty"`    // stand in line if the lobby is full
	List   *Filter  `json:"list,omitempty"`    // instead of a lobby: watch the listing
	Locals []string `json:"locals,omitempty"`  // names of further players on this connection
}

// Welcome answers hello.
type Welcome struct {
	Is      string            `json:"is"` // "welcome"
	Lobby   string            `json:"lobby"`
	Seats   []SeatInfo        `json:"seats"`            // this connection's seats; none for a spectator
	Resume  string            `json:"resume,omitempty"` // the key to come back with
	Rate    int               `json:"rate"`             // ticks a second
	Tick    int64             `json:"tick"`             // the present wall tick
	Hold    int64             `json:"hold"`             // milliseconds for which a lost connection's seats are held
	Schema  replica.Described `json:"schema"`
	Book    BookInfo          `json:"book"`
	Service string            `json:"service"`           // the service's version
	Delay   int64             `json:"delay,omitempty"`   // milliseconds by which a spectator sees everything later
	Waiting int               `json:"waiting,omitempty"` // the place in line, from 1, of who waits for a seat
}

// Filter says which lobbies of the listing are wanted; what is empty is not asked for.
type Filter struct {
	Rulebook string `json:"rulebook,omitempty"`
	Region   string `json:"region,omitempty"`
	State    string `json:"state,omitempty"`
	Free     int    `json:"free,omitempty"` // at least so many free places, and open
	Practice *bool  `json:"practice,omitempty"`
	Title    string `json:"title,omitempty"` // what it begins with; case does not matter
}

// LobbyInfo is a lobby as listings show it.
type LobbyInfo struct {
	Code     string    `json:"code"`
	Name     string    `json:"name,omitempty"`
	Rulebook string    `json:"rulebook"`
	Version  string    `json:"version"`
	Title    string    `json:"title"`
	Region   string    `json:"region"`
	State    string    `json:"state"`
	Seats    int       `json:"seats"`
	Capacity int       `json:"capacity"`
	Free     int       `json:"free"` // seats that are neither taken nor held for others
	Waiting  int       `json:"waiting,omitempty"`
	Practice bool      `json:"practice"`
	Open     bool      `json:"open"`
	Password bool      `json:"password"`
	Opened   time.Time `json:"opened"`
}

// Matches tells whether a lobby is wanted.
func (f *Filter) Matches(l *LobbyInfo) bool {
	return (f.Rulebook == "" || f.Rulebook == l.Rulebook) && (f.Region == "" || f.Region == l.Region) && (f.State == "" || f.State == l.State) &&
		(f.Free == 0 || l.Open && l.Free >= f.Free) && (f.Practice == nil || *f.Practice == l.Practice) &&
		strings.HasPrefix(strings.ToLower(l.Title), strings.ToLower(f.Title))
}

// Listing answers hello with list: the lobbies at first. Each change follows as a
// Listed.
type Listing struct {
	Is      string      `json:"is"` // "listing"
	Lobbies []LobbyInfo `json:"lobbies"`
}

// Listed is a lobby that has come, changed or, where it is Gone, no longer fits
// the filter or has closed.
type Listed struct {
	Is    string     `json:"is"` // "listed"
	Code  string     `json:"code"`
	Lobby *LobbyInfo `json:"lobby,omitempty"`
	Gone  bool       `json:"gone,omitempty"`
}

// SeatInfo is one of the connection's seats.
type SeatInfo struct {
	Seat uint32 `json:"seat"`
	Last uint64 `json:"last"` // the number of its last intent that was answered
}

// BookInfo is what clients are told of the rulebook.
type BookInfo struct {
	Name    string       `json:"name"`
	Title   string       `json:"title"`
	About   string       `json:"about,omitempty"`
	Version string       `json:"version"`
	Teams   []string     `json:"teams,omitempty"`
	Actions []ActionInfo `json:"actions,omitempty"`
	Kits    []KitInfo    `json:"kits,omitempty"`
	Pieces  []PieceInfo  `json:"pieces,omitempty"`
	Phases  []PhaseInfo  `json:"phases"`
	Ground  *GroundInfo  `json:"ground,omitempty"`
	Moves   bool         `json:"moves,omitempty"` // players steer
	Radius  int64        `json:"radius,omitempty"`
	Notices []NoticeInfo `json:"notices,omitempty"`
}

// ActionInfo is what clients are told of an action.
type ActionInfo struct {
	Name   string                   `json:"name"`
	Title  string                   `json:"title"`
	Key    string                   `json:"key,omitempty"`
	Aim    string                   `json:"aim"`             // self, target, line or area
	Who    string                   `json:"who,omitempty"`   // rivals, friends, others or anyone
	Reach  int64                    `json:"reach,omitempty"` // millimetres
	Held   bool                     `json:"held,omitempty"`
	Cools  bool                     `json:"cools,omitempty"` // the player's cool_NAME clock shows the cooldown
	Takes  []replica.DescribedField `json:"takes,omitempty"`
	Phases []string                 `json:"phases"`
}

// KitInfo is what clients are told of a kit: bit n of a player's kits stands
// for the kit at place n.
type KitInfo struct {
	Name    string   `json:"name"`
	Actions []string `json:"actions"`
}

// PieceInfo is what clients are told of a kind of piece.
type PieceInfo struct {
	Name   string `json:"name"`
	Title  string `json:"title"`
	Radius int64  `json:"radius"`
}

// PhaseInfo is what clients are told of a phase.
type PhaseInfo struct {
	Name   string `json:"name"`
	Title  string `json:"title"`
	Frozen bool   `json:"frozen,omitempty"`
}

// GroundInfo is what clients are told of the ground, in millimetres.
type GroundInfo struct {
	Width  int64      `json:"width"`
	Height int64      `json:"height"`
	Boxes  [][4]int64 `json:"boxes,omitempty"`   // left, top, right, bottom
	Rounds [][3]int64 `json:"circles,omitempty"` // x, y, radius
}

// NoticeInfo is what clients are told of a notice: its fields and their types.
type NoticeInfo struct {
	Name   string                   `json:"name"`
	Fields []replica.DescribedField `json:"fields,omitempty"`
}

// Snapshot is a complete copy of what the connection may see.
type Snapshot struct {
	Is    string  `json:"is"` // "snapshot"
	Tick  int64   `json:"tick"`
	Parts [][]any `json:"parts"`
}

// Delta is what has changed since the copy stood at tick On.
type Delta struct {
	Is    string  `json:"is"` // "delta"
	Tick  int64   `json:"tick"`
	On    int64   `json:"on"`
	Parts [][]any `json:"parts"`
}

// Intent is what a seat asks for.
type Intent struct {
	Is     string         `json:"is"` // "intent"
	Seat   uint32         `json:"seat"`
	N      uint64         `json:"n"`                // the client's number for it, from 1, ever greater
	Do     string         `json:"do"`               // act, steer, ready, …
	Name   string         `json:"name,omitempty"`   // of an action, a team or a field
	Target uint32         `json:"target,omitempty"` // a seat or a sheet
	At     *[2]int64      `json:"at,omitempty"`     // a point or a direction
	Args   map[string]any `json:"args,omitempty"`
	Text   string         `json:"text,omitempty"`
	Value  any            `json:"value,omitempty"`
}

// Verdict answers an intent.
type Verdict struct {
	Is     string `json:"is"` // "verdict"
	Seat   uint32 `json:"seat"`
	N      uint64 `json:"n"`
	OK     bool   `json:"ok"`
	Code   string `json:"code,omitempty"`
	Reason string `json:"reason,omitempty"`
	Tick   int64  `json:"tick"`           // at which it took effect
	Left   int64  `json:"left,omitempty"` // milliseconds to wait, where waiting helps
}

// Notice is something that happened.
type Notice struct {
	Is   string         `json:"is"` // "notice"
	Name string         `json:"name"`
	Tick int64          `json:"tick"`
	To   string         `json:"to,omitempty"` // nothing for everyone
	Of   uint32         `json:"of,omitempty"` // the seat or the team's sheet that it is for
	With map[string]any `json:"with,omitempty"`
}

// Ping asks for a pong with the same number, from either side.
type Ping struct {
	Is   string `json:"is"` // "ping" or "pong"
	N    uint64 `json:"n"`
	Tick int64  `json:"tick,omitempty"` // of the service: the present wall tick
}

// Bye is the last message before the service ends a connection.
type Bye struct {
	Is     string `json:"is"` // "bye"
	Code   string `json:"code"`
	Reason string `json:"reason"`
	Again  bool   `json:"again"` // connecting again may help
}

// Plain is a message that is nothing but its name: "leave" (gives the
// connection's seats up) or "whole" (asks for a snapshot).
type Plain struct {
	Is string `json:"is"`
}

// Error is what is wrong with a message.
type Error struct {
	What string
}

func (e *Error) Error() string { return e.What }

// Kind returns what a message is.
func Kind(data []byte) (string, error) {
	var p Plain
	if err := json.Unmarshal(data, &p); err != nil || p.Is == "" {
		return "", &Error{`a message is a JSON object with a text "is" that names it`}
	}
	return p.Is, nil
}

// Read decodes one message strictly: unknown keys and what stands behind it are
// errors. Numbers in free places become json.Number.
func Read(data []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	return decode(d, into)
}

// ReadLoose is Read for clients: keys of later versions are passed over.
func ReadLoose(data []byte, into any) error {
	return decode(json.NewDecoder(bytes.NewReader(data)), into)
}

func decode(d *json.Decoder, into any) error {
	d.UseNumber()
	if err := d.Decode(into); err != nil {
		var te *json.UnmarshalTypeError
		if errors.As(err, &te) {
			return &Error{fmt.Sprintf("%s is a %s, not a %s", te.Field, te.Value, te.Type)}
		}
		return &Error{err.Error()}
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return &Error{"something stands behind the message"}
	}
	return nil
}

// Depth tells whether JSON nests deeper than MaxDepth, without decoding it.
func Depth(data []byte) bool {
	depth, text := 0, false
	for i := 0; i < len(data); i++ {
		switch c := data[i]; {
		case text && c == '\\':
			i++
		case c == '"':
			text = !text
		case !text && (c == '{' || c == '['):
			if depth++; depth > MaxDepth {
				return true
			}
		case !text && (c == '}' || c == ']'):
			depth--
		}
	}
	return false
}

// Show turns a field's value into what JSON carries in notices and arguments.
func Show(v sheet.Value) any {
	switch v.Type {
	case sheet.Text:
		return v.S
	case sheet.Flag:
		return v.N[0] != 0
	case sheet.Position:
		return []int64{v.N[0], v.N[1]}
	case sheet.Clock:
		return []int64{v.N[0], v.N[1], v.N[2]}
	}
	return v.N[0]
}
