package client

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// RecordChange is one change of a field of a record.
type RecordChange struct {
	Field string `json:"field"` // as the rulebook names it
	Does  string `json:"does"`  // add, set, raise or lower
	Value any    `json:"value"` // a decimal, a word, a flag, a text, or [x, y] in millimetres
}

// RecordSave is one save of a record, as its history tells it.
type RecordSave struct {
	At      time.Time      `json:"at"`       // when it was kept
	Lobby   string         `json:"lobby"`    // the lobby's ID
	Number  int64          `json:"number"`   // of the save in that lobby
	Made    int64          `json:"revision"` // the version of the record that it made
	Match   int64          `json:"match"`    // the number of the match; 0 between matches
	Version string         `json:"version"`  // of the rulebook
	Author  string         `json:"author"`   // who corrected it; "" for what a match did
	Why     string         `json:"why"`      // and why
	Changes []RecordChange `json:"changes"`  // what was done
	Was     map[string]any `json:"was"`      // the fields that changed, before
	Became  map[string]any `json:"became"`   // and after
}

// Record returns a player's record for a rulebook, as far as the caller may see it.
func (s Service) Record(ctx context.Context, player, rulebook string) (map[string]any, error) {
	var out struct{ Fields map[string]any }
	return out.Fields, s.Call(ctx, http.MethodGet, recordPath(player, rulebook), nil, &out)
}

func recordPath(player, rulebook string) string {
	return "/v1/players/" + url.PathEscape(player) + "/records/" + url.PathEscape(rulebook)
}

// Conditions are what must hold for a correction to happen: numbers that the record has at least, by field, and the
// revision that it is at, 0 for any.
type Conditions struct {
	AtLeast  map[string]any `json:"at_least,omitempty"`
	Revision int64          `json:"revision,omitempty"`
}

// CorrectRecordIf is CorrectRecord under conditions: where they do not hold nothing happens, and the error is a
// *Refusal with the code too-little or changed-since. For keys with the scope grants.
func (s Service) CorrectRecordIf(ctx context.Context, player, rulebook, why, id string, c Conditions,
	changes ...RecordChange) (map[string]any, error) {
	path := recordPath(player, rulebook)
	if id != "" {
		path += "?id=" + url.QueryEscape(id)
	}
	in := struct {
		Conditions
		Changes []RecordChange `json:"changes"`
		Why     string         `json:"why"`
	}{c, changes, why}
	var out struct{ Fields map[string]any }
	err := s.Call(ctx, http.MethodPost, path, in, &out)
	return out.Fields, err
}

// CorrectRecord changes a player's record, for a reason of 1 to 200 characters that its history keeps, and returns how
// it stands then. id is a UUID with which the correction happens once, however often it is sent; "" for any. For keys
// with the scope grants.
func (s Service) CorrectRecord(ctx context.Context, player, rulebook, why, id string,
	changes ...RecordChange) (map[string]any, error) {
	return s.CorrectRecordIf(ctx, player, rulebook, why, id, Conditions{}, changes...)
}

// RecordHistory returns what happened to a player's record, newest first, 1 to 100 saves; cursor is the last page's
// next, or "". For operators.
func (s Service) RecordHistory(ctx context.Context, player, rulebook string, limit int,
	cursor string) (list []RecordSave, next string, err error) {
	q := url.Values{"limit": {strconv.Itoa(limit)}}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	var out struct {
		Changes []RecordSave
		Next    string
	}
	err = s.Call(ctx, http.MethodGet, recordPath(player, rulebook)+"/history?"+q.Encode(), nil, &out)
	return out.Changes, out.Next, err
}

// PutBackRecord lets a player's record stand as it did right after a save of its history, named by its lobby and
// number, for a reason. For operators.
func (s Service) PutBackRecord(ctx context.Context, player, rulebook, lobby string, number int64,
	why string) (map[string]any, error) {
	in := map[string]any{"lobby": lobby, "number": number, "why": why}
	var out struct{ Fields map[string]any }
	return out.Fields, s.Call(ctx, http.MethodPost, recordPath(player, rulebook)+"/put-back", in, &out)
}

// Person is a player as a search shows them.
type Person struct {
	Player  string    `json:"player"`  // the ID
	Name    string    `json:"name"`    // the display name; others may have the same
	Created time.Time `json:"created"` // when the player was made
	Seen    time.Time `json:"seen"`    // when they signed in last
}

// FindPlayers returns players whose names begin with a text, 1 to 100; cursor is the last page's next, or "". For
// service keys.
func (s Service) FindPlayers(ctx context.Context, name string, limit int,
	cursor string) (list []Person, next string, err error) {
	q := url.Values{"name": {name}, "limit": {strconv.Itoa(limit)}}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	var out struct {
		Players []Person
		Next    string
	}
	err = s.Call(ctx, http.MethodGet, "/v1/players?"+q.Encode(), nil, &out)
	return out.Players, out.Next, err
}

// ExportPlayer writes everything that is kept of a player, as JSON: of anybody for operators; of oneself with "me".
func (s Service) ExportPlayer(ctx context.Context, player string, w io.Writer) error {
	path := "/v1/me/export"
	if player != "me" {
		path = "/v1/players/" + url.PathEscape(player) + "/export"
	}
	return s.Read(ctx, path, w)
}

// ErasePlayer deletes a player with everything that is kept of them; why is logged. For operators.
func (s Service) ErasePlayer(ctx context.Context, player, why string) error {
	return s.Call(ctx, http.MethodDelete, "/v1/players/"+url.PathEscape(player)+"?why="+url.QueryEscape(why), nil, nil)
}
