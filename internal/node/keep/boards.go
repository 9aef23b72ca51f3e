package keep

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// MaxPage is the most entries that one request gets.
const MaxPage = 100

// Entry is a place on a board as it is read.
type Entry struct {
	Place  int64     `json:"place"` // equal values share a place
	Player string    `json:"player"`
	Name   string    `json:"name"`
	Value  int64     `json:"value"` // thousandths where the board shows numbers
	Posted time.Time `json:"posted"`
}

// BoardPage is a part of a board, from the top.
type BoardPage struct {
	Rulebook string  `json:"rulebook"`
	Board    string  `json:"board"`
	Title    string  `json:"title"`
	Show     string  `json:"show"`  // integer, number or clock
	Order    string  `json:"order"` // most or least
	Rows     []Entry `json:"rows"`
	Next     string  `json:"next,omitempty"` // the cursor of the next page
}

// Post writes a player's entry as the board keeps it; tx is a transaction, or DB.
func (k *Keeper) Post(tx *store.Tx, b *rulebook.Board, book, player string, n int64) error {
	value, where := "excluded.value", ""
	switch b.Keep {
	case rulebook.KeepTotal:
		value = "board_entries.value + excluded.value"
	case rulebook.KeepBest:
		where = "where excluded.value > board_entries.value"
		if b.Least {
			where = "where excluded.value < board_entries.value"
		}
	}
	return tx.Exec(`insert into board_entries (rulebook, board, player_id, value, posted_at) values (?, ?, ?, ?, ?)
		on conflict (rulebook, board, player_id) do update set value = `+value+`, posted_at = excluded.posted_at `+where,
		book, b.Name, player, n, k.now().UTC()).Error
}

// cursor is where a page ended.
type cursor struct {
	V int64     `json:"v"`
	T time.Time `json:"t"`
	P string    `json:"p"`
	N int64     `json:"n"` // entries before the next page
	L int64     `json:"l"` // place of the last entry
}

// Top reads a page from the top, or from where a cursor says.
func (k *Keeper) Top(ctx context.Context, b *rulebook.Board, book string, limit int, from string) (*BoardPage, error) {
	if limit < 1 || limit > MaxPage {
		return nil, fault.New(code.OutOfRange, "a page has 1 to %d entries, not %d", MaxPage, limit)
	}
	page := &BoardPage{
		Rulebook: book,
		Board:    b.Name,
		Title:    b.Title,
		Show:     b.Show.String(),
		Order:    "most",
		Rows:     []Entry{},
	}
	dir, after := "desc", "<"
	if b.Least {
		page.Order, dir, after = "least", "asc", ">"
	}
	q := k.db.WithContext(ctx).Table("board_entries e").Joins("join players p on p.id = e.player_id").
		Select("e.player_id as player, p.name as name, e.value as value, e.posted_at as posted").
		Where("e.rulebook = ? and e.board = ?", book, b.Name)
	var at cursor
	if from != "" {
		raw, err := base64.RawURLEncoding.DecodeString(from)
		if err != nil || json.Unmarshal(raw, &at) != nil {
			return nil, fault.New(code.BadCursor, "this cursor was not given out by this board")
		}
		q = q.Where(
			fmt.Sprintf("(e.value %s ? or e.value = ? and (e.posted_at, e.player_id) > (?, ?::uuid))", after),
			at.V,
			at.V,
			at.T,
			at.P,
		)
	}
	if err := q.Order("e.value " + dir + ", e.posted_at, e.player_id").
		Limit(limit + 1).
		Scan(&page.Rows).
		Error; err != nil {
		return nil, err
	}
	more := len(page.Rows) > limit
	if more {
		page.Rows = page.Rows[:limit]
	}
	last, value := at.L, at.V
	for i := range page.Rows {
		r := &page.Rows[i]
		if r.Place = at.N + int64(i) + 1; r.Place > 1 && r.Value == value {
			r.Place = last
		}
		last, value = r.Place, r.Value
	}
	if more {
		end := page.Rows[limit-1]
		raw, _ := json.Marshal(cursor{end.Value, end.Posted, end.Player, at.N + int64(limit), last})
		page.Next = base64.RawURLEncoding.EncodeToString(raw)
	}
	return page, nil
}

// DB is the database outside of a transaction, for Post.
func (k *Keeper) DB(ctx context.Context) *store.Tx { return k.db.WithContext(ctx) }
