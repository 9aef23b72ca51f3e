package ledger

import (
	"bytes"
	"context"
	"slices"
	"time"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/node/store"
)

// In returns the rows in a PostgreSQL database.
func In(db *store.DB) Database { return postgres{db} }

type postgres struct{ db *store.DB }

// Rows is part of Database.
func (p postgres) Rows(ctx context.Context) Rows { return rows{p.db.WithContext(ctx)} }

// Together is part of Database.
func (p postgres) Together(ctx context.Context, do func(Rows) error) error {
	return p.db.WithContext(ctx).Transaction(func(tx *store.Tx) error { return do(rows{tx}) })
}

// rows are Rows in a transaction, or by themselves.
type rows struct{ tx *store.Tx }

// Append writes the entries, and up to which moment everything is there, by one statement.
func (r rows) Append(node string, fence store.Fence, at time.Time, entries []byte) (id int64, err error) {
	if at.IsZero() {
		return id, r.tx.Raw("insert into ledger_log (node, data) values (?, ?) returning id", node, entries).
			Scan(&id).Error
	}
	held, args := "select ?::text as name", []any{node}
	if fence.Node != "" {
		held, args = "select name from nodes where name = ? and epoch = ? for key share", []any{node, fence.Epoch}
	}
	const alive = "insert into ledger_nodes (node, alive_at) select name, ?::timestamptz from held on conflict " +
		"(node) do update set alive_at = excluded.alive_at"
	held, args = "with held as ("+held+")", append(args, at)
	if len(entries) == 0 {
		done := r.tx.Exec(held+" "+alive, args...)
		if done.Error == nil && done.RowsAffected == 0 {
			return 0, store.ErrFenced
		}
		return 0, done.Error
	}
	err = r.tx.Raw(held+", alive as ("+alive+") insert into ledger_log (node, data) select name, ? from held "+
		"returning id", append(args, entries)...).Scan(&id).Error
	if err == nil && id == 0 {
		err = store.ErrFenced
	}
	return id, err
}

func (r rows) Shorten(node string, row int64) error {
	return r.tx.Exec("delete from ledger_log where node = ? and id < ?", node, row).Error
}

func (r rows) Log(node string, behind int64, most int) (out []store.LedgerLog, err error) {
	return out, r.tx.Order("id").Limit(most).Find(&out, "node = ? and id > ?", node, behind).Error
}

func (r rows) Alive(node string) (at time.Time, err error) {
	return at, r.tx.Raw("select alive_at from ledger_nodes where node = ?", node).Scan(&at).Error
}

func (r rows) Keep(k *Kept) error {
	again := r.tx.Clauses(clause.OnConflict{DoNothing: true})
	if len(k.People) > 0 {
		if err := again.CreateInBatches(k.People, 1000).Error; err != nil {
			return err
		}
	}
	if len(k.Segments) > 0 {
		if err := again.CreateInBatches(k.Segments, 200).Error; err != nil {
			return err
		}
	}
	if len(k.Checkpoints) > 0 {
		slices.SortFunc(k.Checkpoints, func(x, y *store.LedgerCheckpoint) int {
			return bytes.Compare([]byte(x.LobbyID), []byte(y.LobbyID))
		})
		newer := r.tx.Clauses(clause.OnConflict{UpdateAll: true})
		if err := newer.CreateInBatches(k.Checkpoints, 200).Error; err != nil {
			return err
		}
	}
	if len(k.Ends) == 0 {
		return nil
	}
	return r.tx.Exec("with ended as (update ledger_lobbies set ended_at = clock_timestamp() where lobby_id in ? "+
		"returning lobby_id) delete from ledger_checkpoints c using ended e where c.lobby_id = e.lobby_id",
		k.Ends).Error
}

func (r rows) Read(lobbies []string) (*Held, error) {
	h := &Held{Reached: map[string]int64{}}
	if err := r.tx.Order("lobby_id").Find(&h.Lobbies, "lobby_id in ? and ended_at is null", lobbies).Error; err != nil {
		return nil, err
	}
	if err := r.tx.Find(&h.Checkpoints, "lobby_id in ?", lobbies).Error; err != nil {
		return nil, err
	}
	var last []struct {
		LobbyID string
		Seq     int64
	}
	if err := r.tx.Model(&store.LedgerSegment{}).Select("lobby_id, max(seq) as seq").Where("lobby_id in ?", lobbies).
		Group("lobby_id").Find(&last).Error; err != nil {
		return nil, err
	}
	for _, x := range last {
		h.Reached[x.LobbyID] = x.Seq
	}
	return h, r.tx.Find(&h.People, "lobby_id in ?", lobbies).Error
}

func (r rows) Begin(l *store.LedgerLobby, first *store.LedgerCheckpoint) error {
	if err := r.tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(l).Error; err != nil {
		return err
	}
	return r.tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(first).Error
}

func (r rows) Drop(lobby string) error {
	if err := r.tx.Delete(&store.LedgerLobby{}, "lobby_id = ?", lobby).Error; err != nil {
		return err
	}
	return r.tx.Delete(&store.LedgerCheckpoint{}, "lobby_id = ?", lobby).Error
}

func (r rows) EndLease(node string) (bool, error) {
	var there []store.Node
	err := r.tx.Raw("select * from nodes where name = ? and lease_until < clock_timestamp() for update", node).
		Scan(&there).Error
	if err != nil || len(there) == 0 {
		return false, err
	}
	return true, r.tx.Exec("update nodes set epoch = epoch + 1 where name = ?", node).Error
}

func (r rows) Waiting(node string, epoch int64) (given, older bool, err error) {
	var there struct{ Given, Older bool }
	err = r.tx.Raw(`select exists (select 1 from lobbies where node = @n and epoch = 0 and closed_at is null)
			or exists (select 1 from series where node = @n and epoch = 0 and not over) as given,
		exists (select 1 from lobbies where node = @n and epoch between 1 and @e - 1 and closed_at is null) as older`,
		map[string]any{"n": node, "e": epoch}).Scan(&there).Error
	return there.Given, there.Older, err
}

func (r rows) IsOpen(lobby string) (bool, error) {
	var n int64
	err := r.tx.Model(&store.Lobby{}).Where("id = ? and closed_at is null", lobby).Count(&n).Error
	return n > 0, err
}

func (r rows) Pick(p *Pick) (ids []string, err error) {
	q := r.tx.Model(&store.Lobby{}).Where("node = ? and closed_at is null", p.Node)
	if len(p.First) > 0 {
		q = q.Order(clause.Expr{SQL: "id not in ?", Vars: []any{p.First}})
	}
	if p.Given {
		q = q.Where("epoch = 0")
	}
	if p.Below > 0 {
		q = q.Where("epoch < ?", p.Below)
	}
	if p.Only != nil {
		q = q.Where("id in ?", p.Only)
	}
	if p.Most > 0 {
		q = q.Limit(p.Most)
	}
	locking := clause.Locking{Strength: "UPDATE"}
	if p.Skip {
		locking.Options = "SKIP LOCKED"
	}
	return ids, q.Clauses(locking).Pluck("id", &ids).Error
}

func (r rows) Next() (row int64, err error) {
	return row, r.tx.Raw("select nextval(pg_get_serial_sequence('ledger_log', 'id'))").Scan(&row).Error
}

func (r rows) Move(lobbies []string, node string, epoch, row int64) error {
	if err := r.tx.Exec("update lobbies set node = ?, epoch = ?, updated_at = clock_timestamp() where id in ?", node,
		epoch, lobbies).Error; err != nil {
		return err
	}
	return r.tx.Exec("update ledger_lobbies set node = ?, log_from = greatest(log_from, ?) where lobby_id in ?", node,
		row, lobbies).Error
}

func (r rows) Close(lobbies []string, now time.Time) error {
	return r.tx.Model(&store.Lobby{}).Where("id in ?", lobbies).
		Updates(map[string]any{"closed_at": now, "updated_at": store.Now, "state": "closed"}).Error
}

func (r rows) Delay(lobbies []string, by time.Duration, at time.Time) error {
	return r.tx.Exec("update ledger_checkpoints set began_at = began_at + ? * interval '1 microsecond', taken_at = ? "+
		"where lobby_id in ?", by.Microseconds(), at, lobbies).Error
}

func (r rows) Also(do func(*store.Tx) error) error { return do(r.tx) }
