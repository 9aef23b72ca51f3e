package board

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/ranking"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// MaxPage is the most entries that one request gets.
const MaxPage = 100

// Page is a part of a board; Entry one of its rows.
type (
	Page  = wire.BoardPage
	Entry = wire.BoardRow
)

// Query says which part of a board is wanted: of Cursor, Around, Players and From the
// first that is set counts; with none, the top.
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

// Read returns a part of a board.
func (b *Boards) Read(ctx context.Context, r Ref, q *Query) (*Page, error) {
	if q.Limit < 1 || q.Limit > MaxPage || len(q.Players) > MaxPage {
		return nil, fault.New(code.OutOfRange, "a page has 1 to %d entries", MaxPage)
	}
	row, err := b.present(ctx, r, q.Season)
	if err != nil {
		return nil, err
	}
	page := &Page{Rulebook: r.Rulebook, Board: r.Name, Title: r.Title, Show: r.Show.String(), Order: "most",
		Season: b.shown(row), Rows: []Entry{}}
	if r.Least {
		page.Order = "least"
	}
	if row.ID == 0 {
		return page, nil
	}
	for { // what was given up between holding it and reading it is held again
		h, err := b.hold(ctx, r, row.ID)
		if err != nil {
			return nil, err
		}
		if done, err := b.readHeld(h, q, page); done || err != nil {
			return page, err
		}
	}
}

func (b *Boards) readHeld(h *held, q *Query, page *Page) (done bool, err error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if h.rank == nil {
		return false, nil
	}
	page.Count = h.rank.Len()
	if len(q.Players) > 0 {
		b.chosenLocked(h, q, page)
		return true, nil
	}
	from, err := b.beginLocked(h, q)
	if err != nil {
		return false, err
	}
	list, place := h.rank.Page(from, q.Limit)
	page.Rows = make([]Entry, 0, len(list))
	var ids strings.Builder // of all, in one piece of memory
	ids.Grow(2 * idLen * len(list))
	for i := range list {
		e := b.entryLocked(&list[i], q, &ids)
		switch {
		case i == 0:
			e.Place = int64(place)
		case e.Value == page.Rows[i-1].Value:
			e.Place = page.Rows[i-1].Place
		default: // the first of its value
			e.Place = int64(from + i + 1)
		}
		page.Rows = append(page.Rows, e)
	}
	if len(list) > 0 {
		page.First = from + 1
	}
	if from+len(list) < page.Count && len(list) > 0 {
		last := list[len(list)-1]
		page.Next = (&cursor{last.Value, last.At, b.people.list[last.Who].id}).String()
	}
	return true, nil
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
			list, _ := h.rank.Page(i, MaxPage)
			more = len(list) > 0
			for _, e := range list {
				id := b.people.list[e.Who].id
				if more = e.Value == at.value && e.At == at.at && bytes.Compare(id[:], at.id[:]) <= 0; !more {
					break
				}
				i++
			}
		}
		return i, nil
	case q.Around != "":
		id, err := uuid.Parse(q.Around)
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

// chosenLocked reads chosen players, best first.
func (b *Boards) chosenLocked(h *held, q *Query, page *Page) {
	at := map[int]ranking.Entry{}
	var ids strings.Builder
	for _, p := range q.Players {
		id, err := uuid.Parse(p)
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
		row := b.entryLocked(&e, q, &ids)
		row.Place = int64(h.rank.Place(e.Value))
		page.Rows = append(page.Rows, row)
	}
}

// entryLocked shows an entry, but for its place.
func (b *Boards) entryLocked(e *ranking.Entry, q *Query, ids *strings.Builder) Entry {
	who := &b.people.list[e.Who]
	out := Entry{Name: who.name, Team: who.team, Value: e.Value, Posted: time.UnixMicro(e.At).UTC()}
	if who.team == "" {
		out.Player = writeID(ids, who.id)
	} else if out.Name = q.Titles[who.team]; out.Name == "" {
		out.Name = who.team
	}
	if e.Match != [16]byte{} {
		out.Match = writeID(ids, e.Match)
	}
	return out
}

const idLen = 36

// writeID writes an ID behind others, and returns it.
func writeID(ids *strings.Builder, id uuid.UUID) string {
	var text [idLen]byte
	at, dashed := 0, 0
	for i, n := range [...]int{4, 2, 2, 2, 6} {
		if i > 0 {
			text[at], at = '-', at+1
		}
		at += hex.Encode(text[at:], id[dashed:dashed+n])
		dashed += n
	}
	ids.Write(text[:])
	return ids.String()[ids.Len()-idLen:]
}
