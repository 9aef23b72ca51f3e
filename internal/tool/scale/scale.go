// Package scale measures what one node bears, and, with made-up nodes and lobbies over a real PostgreSQL, what many of
// them ask of the database: leases, the directory, the listing and a take-over. docs/scale.md reads its figures.
package scale

import (
	"context"
	"fmt"
	"time"

	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

// report prints figures.
type report struct{ *field.Field }

func (r report) head(format string, args ...any) { fmt.Fprintf(r.Out, "\n"+format+"\n", args...) }

func (r report) row(name, format string, args ...any) {
	fmt.Fprintf(r.Out, "  %-58s %s\n", name, fmt.Sprintf(format, args...))
}

// measured is how long each figure is taken.
func (r report) measured() time.Duration { return r.For(8*time.Second, 200*time.Millisecond) }

// Run prints all figures.
func Run(ctx context.Context, f *field.Field, nodes, lobbies int) error {
	r := report{f}
	if err := oneNode(ctx, r); err != nil {
		return err
	}
	return manyNodes(ctx, r, nodes, lobbies)
}

// database starts a server of its own, as durable as one that serves, but for the disk.
func database(ctx context.Context, r report) (*store.DB, func(), error) {
	db, stop, err := r.Database(ctx)
	if err != nil {
		return nil, nil, err
	}
	if pool, err := db.DB.DB(); err == nil {
		pool.SetMaxOpenConns(48)
		pool.SetMaxIdleConns(48)
	}
	return db, stop, nil
}

// usage is what this process, and PostgreSQL's, have taken of the processors.
type usage struct{ own, postgres time.Duration }

func used() (u usage) {
	u.own, u.postgres = pgbox.Processor()
	return u
}

// share is what was taken since, of one core, in percent.
func (u usage) share(over time.Duration) (own, postgres float64) {
	now := used()
	return 100 * (now.own - u.own).Seconds() / over.Seconds(),
		100 * (now.postgres - u.postgres).Seconds() / over.Seconds()
}

// wal is how many bytes were written ahead up to now.
func wal(db *store.DB) (n int64) {
	db.Raw("select pg_current_wal_lsn() - '0/0'::pg_lsn").Scan(&n)
	return n
}
