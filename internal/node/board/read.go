package board

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"maps"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/ranking"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// MaxPage is the most entries that one request gets.
const MaxPage = 100

// Page is a part of a board, as it is told.
type Page = wire.BoardPage

// Query says which part of a board is wanted: of Cursor, Around, Players and From the first that is set counts; with
// none, the top.
type Query struct {
	Season  string            // its name; "" for the present one
	Cursor  string            // where the last page ended
	Around  string            // a player: their entry and those around it
	Players []string          // only these
	From    int               // from this rank on, from 1
	Limit   int               // 1 to MaxPage; of Around the rows on both sides together
	Titles  map[string]string // of the teams, by name
}

// cursor is where a page ended: its last value, since when, and whose it is.
type cursor struct {
	value, at int64
	id        [16]byte
}

const cursorBytes = 32

func (c *cursor) String() string {
	var raw [cursorBytes]byte
	binary.BigEndian.PutUint64(raw[:], uint64(c.value))
	binary.BigEndian.PutUint64(raw[8:], uint64(c.at))
	copy(raw[16:], c.id[:])
	return base64.RawURLEncoding.EncodeToString(raw[:])
}

func readCursor(text string) (c cursor, err error) {
	raw, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil || len(raw) != cursorBytes {
		return c, fault.New(code.BadCursor, "this cursor was not given out by this board")
	}
	c.value, c.at = int64(binary.BigEndian.Uint64(raw)), int64(binary.BigEndian.Uint64(raw[8:]))
	copy(c.id[:], raw[16:])
	return c, nil
}

// Read returns a part of a board as it is told on the live socket.
func (b *Boards) Read(ctx context.Context, r Ref, q *Query) (*Page, error) {
	v, err := b.View(ctx, r, q)
	if err != nil {
		return nil, err
	}
	return v.Page(), nil
}

// Glance looks at a part of a board that is in memory; where it is not, it returns nil, and View brings it there.
func (b *Boards) Glance(r Ref, q *Query) (*View, error) {
	if err := q.check(); err != nil {
		return nil, err
	}
	row := b.known(r, q.Season)
	switch {
	case row == nil:
		return nil, nil
	case row.ID == 0:
		return b.viewOf(r, q, row), nil
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	h := b.held[row.ID]
	if h == nil || h.rank == nil || h.rank.Least != r.Least {
		return nil, nil
	}
	b.clock++
	h.read = b.clock
	return b.lookLocked(h, r, q, row)
}

// View looks at a part of a board.
func (b *Boards) View(ctx context.Context, r Ref, q *Query) (*View, error) {
	if err := q.check(); err != nil {
		return nil, err
	}
	row, err := b.present(ctx, r, q.Season)
	if err != nil {
		return nil, err
	}
	if row.ID == 0 {
		return b.viewOf(r, q, row), nil
	}
	for { // what is given up between holding it and looking at it is held again
		h, err := b.hold(ctx, r, row.ID)
		if err != nil {
			return nil, err
		}
		b.mu.Lock()
		if h.rank != nil {
			defer b.mu.Unlock()
			return b.lookLocked(h, r, q, row)
		}
		b.mu.Unlock()
	}
}

func (q *Query) check() error {
	if q.Limit < 1 || q.Limit > MaxPage || len(q.Players) > MaxPage {
		return fault.New(code.OutOfRange, "a page has 1 to %d entries", MaxPage)
	}
	return nil
}

// viewOf is a view of a season that nothing was posted to.
func (b *Boards) viewOf(r Ref, q *Query, row *store.BoardSeason) *View {
	v := &View{titles: q.Titles, head: Page{Rulebook: r.Rulebook, Board: r.Name, Title: r.Title,
		Show: r.Show.String(), Order: "most", Season: b.shown(row)}}
	if r.Least {
		v.head.Order = "least"
	}
	return v
}

// lookLocked looks at a season that is in memory.
func (b *Boards) lookLocked(h *held, r Ref, q *Query, row *store.BoardSeason) (*View, error) {
	v := b.viewOf(r, q, row)
	count := h.rank.Len()
	v.head.Count = count
	if len(q.Players) > 0 {
		b.chosenLocked(h, q, v)
		return v, nil
	}
	from, err := b.beginLocked(h, q)
	if err != nil {
		return nil, err
	}
	v.rows = make([]standing, 0, max(0, min(q.Limit, count-from)))
	place := h.rank.Walk(from, q.Limit, func(e *ranking.Entry) { v.rows = append(v.rows, b.standingLocked(e)) })
	n := len(v.rows)
	if n == 0 {
		return v, nil
	}
	for i := range v.rows {
		if i > 0 && v.rows[i].value != v.rows[i-1].value { // the first of its value
			place = from + i + 1
		}
		v.rows[i].place = int64(place)
	}
	v.head.First = from + 1
	if from+n < count {
		last := &v.rows[n-1]
		v.head.Next = (&cursor{last.value, last.at, last.id}).String()
	}
	return v, nil
}

// beginLocked is the index at which a page begins.
func (b *Boards) beginLocked(h *held, q *Query) (int, error) {
	switch {
	case q.Cursor != "":
		at, err := readCursor(q.Cursor)
		if err != nil {
			return 0, err
		}
		i := h.rank.Search(at.value, at.at)
		for more := true; more; { // of several in one moment, those up to the last
			more = i < h.rank.Len()
			h.rank.Walk(i, MaxPage, func(e *ranking.Entry) {
				id := b.people.list[e.Who].id
				if more = more && e.Value == at.value && e.At == at.at && bytes.Compare(id[:], at.id[:]) <= 0; more {
					i++
				}
			})
		}
		return i, nil
	case q.Around != "":
		id, err := idOf(q.Around)
		n, known := b.people.index[id]
		i, there := 0, false
		if known {
			i, there = h.rank.Index(n)
		}
		if err != nil || !there {
			return 0, fault.New(code.NotOnBoard, "the player %q has no entry on this board in this season", q.Around)
		}
		return max(min(i-(q.Limit-1)/2, h.rank.Len()-q.Limit), 0), nil
	case q.From > 1:
		return q.From - 1, nil
	}
	return 0, nil
}

// chosenLocked looks at chosen players, best first.
func (b *Boards) chosenLocked(h *held, q *Query, v *View) {
	at := map[int]ranking.Entry{}
	for _, p := range q.Players {
		id, err := idOf(p)
		n, known := b.people.index[id]
		if err != nil || !known {
			continue
		}
		if i, there := h.rank.Index(n); there {
			at[i], _ = h.rank.Of(n)
		}
	}
	for _, i := range slices.Sorted(maps.Keys(at)) {
		e := at[i]
		row := b.standingLocked(&e)
		row.place = int64(h.rank.Place(e.Value))
		v.rows = append(v.rows, row)
	}
}

// standingLocked is an entry and whose it is, without its place.
func (b *Boards) standingLocked(e *ranking.Entry) standing {
	who := &b.people.list[e.Who]
	return standing{value: e.Value, at: e.At, id: who.id, match: e.Match, name: who.name, team: who.team}
}
