package directory

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// LeftOut says how many lobbies a listing did not show, and why.
type LeftOut struct {
	Why   string `json:"why"`
	Count int64  `json:"count"`
}

// Page is a page of the listing.
type Page struct {
	Lobbies []wire.LobbyInfo `json:"lobbies"`
	LeftOut []LeftOut        `json:"left_out"`
	Next    string           `json:"next,omitempty"`
}

// wanted narrows a query of the directory to what a filter asks for.
func wanted(q *store.Tx, f *wire.Filter) *store.Tx {
	q = q.Where("closed_at is null and listed")
	for column, v := range map[string]string{"rulebook": f.Rulebook, "region": f.Region, "state": f.State} {
		if v != "" {
			q = q.Where(column+" = ?", v)
		}
	}
	if f.Free > 0 {
		q = q.Where("open and free >= ?", f.Free)
	}
	if f.Practice != nil {
		q = q.Where("practice = ?", *f.Practice)
	}
	if f.Title != "" {
		escaped := strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(strings.ToLower(f.Title))
		q = q.Where("lower(title) like ?", escaped+"%")
	}
	return q
}

// listPlace is where a page of the listing ended.
type listPlace struct {
	T     time.Time `json:"t"`
	ID    string    `json:"i"`
	Free  int       `json:"f"`
	Title string    `json:"n"`
}

// orders are the orders of a listing: how it is sorted, and what comes after a place.
var orders = map[string]struct{ by, after string }{
	"newest": {"created_at desc, id desc", "(created_at, id) < (@t, cast(@i as uuid))"},
	"oldest": {"created_at, id", "(created_at, id) > (@t, cast(@i as uuid))"},
	"fullest": {"free, created_at desc, id desc",
		"(free > @f or free = @f and (created_at, id) < (@t, cast(@i as uuid)))"},
	"title": {"lower(title), id", "(lower(title), id) > (lower(@n), cast(@i as uuid))"},
}

// Query is what a page of the listing is asked for with.
type Query struct {
	wire.Filter
	Order  string // newest, oldest, fullest or title; newest if it is empty
	Limit  int    // how many lobbies, from 1
	Cursor string // where the last page ended; "" for the first
}

// List reads a page of the listing. fresh brings what a row says up to date, and may be nil: a row is written a little
// later than what it tells of happens.
func (d *Directory) List(ctx context.Context, query Query, fresh func(*wire.LobbyInfo)) (*Page, error) {
	if query.Order == "" {
		query.Order = "newest"
	}
	order, ok := orders[query.Order]
	if !ok {
		return nil, fault.New(code.BadRequest, "order is newest, oldest, fullest or title, not %q", query.Order)
	}
	q := wanted(d.db.WithContext(ctx), &query.Filter)
	if query.Cursor != "" {
		p, err := readPlace(query.Cursor)
		if err != nil {
			return nil, err
		}
		q = q.Where(order.after, map[string]any{"t": p.T, "i": p.ID, "f": p.Free, "n": p.Title})
	}
	var rows []store.Lobby
	if err := q.Order(order.by).Limit(query.Limit + 1).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := &Page{Lobbies: []wire.LobbyInfo{}}
	if len(rows) > query.Limit {
		rows = rows[:query.Limit]
		out.Next = placeOf(&rows[query.Limit-1]).String()
	}
	for i := range rows {
		info := infoOf(&rows[i])
		if fresh != nil {
			fresh(&info)
		}
		if query.Filter.Matches(&info) {
			out.Lobbies = append(out.Lobbies, info)
		}
	}
	return out, nil
}

func placeOf(r *store.Lobby) listPlace { return listPlace{r.CreatedAt, r.ID, r.Free, r.Title} }

func (p listPlace) String() string {
	raw, _ := json.Marshal(p)
	return base64.RawURLEncoding.EncodeToString(raw)
}

func readPlace(cursor string) (p listPlace, err error) {
	raw, err := base64.RawURLEncoding.DecodeString(cursor)
	if err != nil || json.Unmarshal(raw, &p) != nil || !store.IsID(p.ID) {
		return p, fault.New(code.BadCursor, "this cursor was not given out by this list")
	}
	return p, nil
}

// fewCounted is the most lobbies that are counted one by one.
const fewCounted = 1000

// LeftOut says how many open lobbies a filter leaves out, from the tallies: those of a node itself, as they are, and
// those of the others, as they were about a second ago.
func (d *Directory) LeftOut(ctx context.Context, f *wire.Filter, node string, own []Tally) ([]LeftOut, error) {
	tallies, err := d.elsewhere(ctx, node)
	if err != nil {
		return nil, err
	}
	counts := map[string]int64{}
	for _, t := range append(slices.Clip(tallies), own...) {
		switch {
		case f.Rulebook != "" && t.Rulebook != f.Rulebook: // not what was asked about
		case f.Region != "" && t.Region != f.Region:
			counts["in another region: "+t.Region] += t.N
		case t.Sort == "hidden":
			counts["found by code only"] += t.N
		case f.Free > 0 && t.Sort == "closed":
			counts["closed to newcomers"] += t.N
		case f.Free > 0 && t.Sort == "full":
			counts["full"] += t.N
		case f.Practice != nil && *f.Practice != (t.Sort == "practice"):
			counts[map[bool]string{true: "not for practice", false: "for practice"}[*f.Practice]] += t.N
		case f.State == "gathering" && t.Sort == "playing":
			counts["playing"] += t.N
		}
	}
	if f.Free > 1 {
		narrow := *f
		narrow.Free = 0
		var n int64
		q := wanted(d.db.WithContext(ctx), &narrow).Where("open and free between 1 and ?", f.Free-1).
			Model(&store.Lobby{})
		if err := d.db.WithContext(ctx).Table("(?) few", q.Select("1").Limit(fewCounted)).Count(&n).Error; err != nil {
			return nil, err
		}
		if n > 0 {
			counts["with too few free places"] = n
		}
	}
	out := []LeftOut{}
	for _, why := range slices.Sorted(maps.Keys(counts)) {
		out = append(out, LeftOut{why, counts[why]})
	}
	return out, nil
}
