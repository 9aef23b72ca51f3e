package store

import "context"

// Mark returns the number of the oldest transaction that is under way. What changes later,
// and what has changed and is not seen yet, has this number or a greater one: whoever reads
// from it on the next time passes nothing over, in whatever order transactions commit.
func Mark(tx *Tx) (mark int64, err error) {
	return mark, tx.Raw("select pg_snapshot_xmin(pg_current_snapshot())::text::bigint").Scan(&mark).Error
}

// Snapshot reads, and sees the database all the while as it stood at the first statement. What
// other transactions end is read again, from its beginning.
func (d *DB) Snapshot(ctx context.Context, read func(tx *Tx) error) (err error) {
	for range 3 {
		err = d.WithContext(ctx).Transaction(func(tx *Tx) error {
			if err := tx.Exec("set transaction isolation level repeatable read, read only").Error; err != nil {
				return err
			}
			return read(tx)
		})
		if !Busy(err) {
			return err
		}
	}
	return err
}
