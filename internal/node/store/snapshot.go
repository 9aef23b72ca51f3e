package store

import "context"

// Snapshot reads, and sees the database all the while as it stood at the first statement. What other transactions end
// is read again, from its beginning.
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
