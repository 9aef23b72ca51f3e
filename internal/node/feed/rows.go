package feed

import (
	"context"
	"strings"
	"time"
)

// Topic is a table whose rows are followed, with the text that is told of a row.
type Topic struct{ name, table, key string }

// The topics, and their keys. A trigger marks each row that changes, and buries the keys of those that are deleted.
var (
	Lobbies = Topic{"lobbies", "lobbies", "node || ' ' || code || ' ' || id"}
	Books   = Topic{"books", "rulebooks", "name"}
	Voids   = Topic{"voids", "voided", "subject"}
	Entries = Topic{"entries", "board_entries", "season || ' ' || subject"}
	Records = Topic{"records", "records", "player_id || ' ' || rulebook"}
	Mutes   = Topic{"mutes", "mutes", "player_id::text"}
	Players = Topic{"players", "players", "id::text"} // whose names change, or who are deleted
)

// place is a row that has changed.
type place struct {
	mark int64
	key  string
}

// read is what is read for a subscriber: what has changed since a moment, behind a place.
type read struct {
	sub   int
	topic Topic
	since moment
	after place
}

// The rows that were changed by transactions that had not ended at a moment, and have ended now. A row of another
// database, restored into this one, bears a number that may not have been given out here: it is not read before it has
// been.
const (
	changed = "select mark, $key as key from $table where mark > 0 and mark "
	buried  = "select mark, key from tombstones where topic = ? and mark "
	since   = ">= ?"
	late    = "= any(?::text::bigint[])"
	ordered = "(select ?::int as sub, k.mark, k.key from ($rows) k where mark < $below and (mark, key) > (?, ?) " +
		"order by mark, key limit ?)"
)

// here is which database it is, of which cluster, and on which of its timelines.
const here = `(select system_identifier from pg_control_system()) || ' ' ||
	(select oid from pg_database where datname = current_database()) || ' ' ||
	substr(pg_walfile_name(pg_current_wal_lsn()), 1, 8)`

// statement is the statement that reads what has changed, below a number.
func (r *read) statement(below string, belowArgs []any, limit int) (sql string, args []any) {
	rows := []string{changed + since, buried + since}
	args = append(args, r.sub, r.since.next, r.topic.name, r.since.next)
	if len(r.since.open) > 0 {
		open := r.since.openList()
		rows, args = append(rows, changed+late, buried+late), append(args, open, r.topic.name, open)
	}
	sql = strings.NewReplacer("$key", r.topic.key, "$table", r.topic.table, "$below", below).
		Replace(strings.Replace(ordered, "$rows", strings.Join(rows, " union all "), 1))
	args = append(append(args, belowArgs...), r.after.mark, r.after.key, limit)
	return sql, args
}

// readAll reads, by one statement and so of one moment, which moment it is, and the first page of everything that has
// changed.
func (f *Feed) readAll(ctx context.Context, reads []read) (now moment, pages map[int][]place, err error) {
	sql, args := "select -1 as sub, 0::bigint as mark, pg_current_snapshot()::text as key, "+here+" as history", []any{}
	for i := range reads {
		one, with := reads[i].statement("pg_snapshot_xmax(pg_current_snapshot())::text::bigint", nil, f.page)
		sql, args = sql+" union all select *, '' from "+one+" x", append(args, with...)
	}
	var rows []struct {
		Sub          int
		Mark         int64
		Key, History string
	}
	if err := f.db.WithContext(ctx).Raw(sql, args...).Scan(&rows).Error; err != nil {
		return now, nil, err
	}
	pages = map[int][]place{}
	for _, r := range rows {
		if r.Sub >= 0 {
			pages[r.Sub] = append(pages[r.Sub], place{r.Mark, r.Key})
		} else if now, err = momentOf(r.History, r.Key); err != nil {
			return now, nil, err
		}
	}
	return now, pages, nil
}

// readMore reads a further page. What has changed once more since the first one is left to the next look.
func (f *Feed) readMore(ctx context.Context, r read, now *moment) (page []place, err error) {
	sql, args := r.statement("?", []any{now.next}, f.page)
	var rows []struct {
		Mark int64
		Key  string
	}
	err = f.db.WithContext(ctx).Raw(sql, args...).Scan(&rows).Error
	for _, r := range rows {
		page = append(page, place{r.Mark, r.Key})
	}
	return page, err
}

// keepTombstones is for how long the keys of deleted rows are kept.
const keepTombstones = time.Hour

// Sweep removes the keys of rows that were deleted long ago. Call it now and then.
func (f *Feed) Sweep(ctx context.Context) error {
	return f.db.WithContext(ctx).Exec("delete from tombstones where at < clock_timestamp() - ? * interval '1 second'",
		keepTombstones.Seconds()).Error
}
