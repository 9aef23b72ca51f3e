// Package audit keeps the audit trail: a line for everything that operators and service keys change, written before it
// is done.
package audit

import (
	"context"
	"encoding/json"
	"fmt"
	"time"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/node/store"
)

// Line is a line of the audit trail.
type Line struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	Who     string    `json:"who"`               // the name of the service key
	What    string    `json:"what"`              // such as DELETE /v1/players/{id}
	Subject string    `json:"subject"`           // what stands for the names in the path, or the names of rulebooks
	Details string    `json:"details,omitempty"` // what was asked for, without what is secret
	Why     string    `json:"why,omitempty"`
	Address string    `json:"address"` // from where; empty for the service itself
	Outcome string    `json:"outcome"` // ok, or the code of the refusal; empty while, or if, nobody knows
}

// Done is the outcome of what was not refused.
const Done = "ok"

// How much of what was asked for, and of a reason, is kept, in bytes.
const (
	maxDetails = 2000
	maxWhy     = 500
)

// Trail writes and reads the audit trail. It may be used by several goroutines.
type Trail struct{ db *store.DB }

// New returns the audit trail of a database.
func New(db *store.DB) *Trail { return &Trail{db} }

// Begin writes what is about to be done, and returns what is to be called with the outcome. If it fails, nothing must
// be done.
func (t *Trail) Begin(ctx context.Context, l Line) (end func(outcome string) error, err error) {
	row := store.Audit{Who: l.Who, What: l.What, Subject: cut(l.Subject, maxWhy), Details: l.Details,
		Why: cut(l.Why, maxWhy), Address: l.Address}
	if err := t.db.WithContext(ctx).Create(&row).Error; err != nil {
		return nil, fmt.Errorf("write the audit trail: %w", err)
	}
	return func(outcome string) error {
		ctx, over := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer over()
		return t.db.WithContext(ctx).Model(&row).Update("outcome", outcome).Error
	}, nil
}

func cut(s string, most int) string {
	for i := range s {
		if i > most {
			return s[:i]
		}
	}
	return s
}

// Details writes what was asked for, without what is secret: a JSON object whose secret parts stand as dots.
func Details(body []byte) string {
	var fields map[string]json.RawMessage
	if !utf8.Valid(body) || json.Unmarshal(body, &fields) != nil {
		return "" // it is refused
	}
	for _, name := range []string{"password", "old", "new", "key", "device", "refresh", "code", "token"} {
		if _, has := fields[name]; has {
			fields[name] = json.RawMessage(`"…"`)
		}
	}
	delete(fields, "why")
	if len(fields) == 0 {
		return ""
	}
	out, err := json.Marshal(fields)
	if err != nil {
		return ""
	}
	if len(out) > maxDetails {
		return cut(string(out), maxDetails) + "…"
	}
	return string(out)
}

// Query says which lines are wanted; what is empty is not looked at.
type Query struct {
	Who, Subject, What string
	Since, Until       time.Time
	Before             int64 // only older lines
	Limit              int
}

// Read returns lines, the newest first.
func (t *Trail) Read(ctx context.Context, q Query) ([]Line, error) {
	db := t.db.WithContext(ctx).Model(&store.Audit{}).Order("id desc").Limit(q.Limit)
	for column, want := range map[string]string{"who": q.Who, "subject": q.Subject, "what": q.What} {
		if want != "" {
			db = db.Where(column+" = ?", want)
		}
	}
	if !q.Since.IsZero() {
		db = db.Where("at >= ?", q.Since)
	}
	if !q.Until.IsZero() {
		db = db.Where("at < ?", q.Until)
	}
	if q.Before > 0 {
		db = db.Where("id < ?", q.Before)
	}
	out := []Line{}
	return out, db.Scan(&out).Error
}
