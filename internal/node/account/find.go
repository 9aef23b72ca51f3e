package account

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Found is a player as a search shows them.
type Found struct {
	Player  string    `json:"player"`
	Name    string    `json:"name"`
	Created time.Time `json:"created"`
	Seen    time.Time `json:"seen"` // when they signed in last
}

// findCursor is where a page of found players ended.
type findCursor struct {
	N string `json:"n"`
	I string `json:"i"`
}

// Find returns players whose names begin with a text, whatever the case, in the order of their names, and the cursor of
// the next page, "" for none; or the one with that ID.
func (s *Service) Find(ctx context.Context, begins, cursor string, limit int) (out []Found, next string, err error) {
	escaped := strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(strings.ToLower(begins))
	q := s.db.WithContext(ctx).Where("lower(name) like ?", escaped+"%")
	if store.IsID(begins) {
		q = s.db.WithContext(ctx).Where("id = ?", begins)
	}
	if cursor != "" {
		var at findCursor
		raw, err := base64.RawURLEncoding.DecodeString(cursor)
		if err != nil || json.Unmarshal(raw, &at) != nil || !store.IsID(at.I) {
			return nil, "", fault.New(code.BadCursor, "this cursor was not given out by this list")
		}
		q = q.Where("lower(name) ~>~ ? or lower(name) = ? and id > ?::uuid", at.N, at.N, at.I)
	}
	var rows []store.Player
	if err := q.Order("lower(name) using ~<~, id").Limit(limit + 1).Find(&rows).Error; err != nil {
		return nil, "", err
	}
	if len(rows) > limit {
		rows = rows[:limit]
		raw, _ := json.Marshal(findCursor{strings.ToLower(rows[limit-1].Name), rows[limit-1].ID})
		next = base64.RawURLEncoding.EncodeToString(raw)
	}
	out = []Found{}
	for _, p := range rows {
		out = append(out, Found{p.ID, p.Name, p.CreatedAt.UTC(), p.SeenAt.UTC()})
	}
	return out, next, nil
}
