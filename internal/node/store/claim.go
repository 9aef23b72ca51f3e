package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"
)

// Claim is a name that no other process has on this database. It lasts as long as its connection: the name of a process
// that has died is free at once.
type Claim struct{ conn *sql.Conn }

// claimWithin is how long a name is waited for: the server may not have seen yet that the connection of a process that
// has died is gone.
const claimWithin = 5 * time.Second

// Claim claims a name, or returns nil if another process has it.
func (d *DB) Claim(ctx context.Context, name string) (*Claim, error) {
	pool, err := d.DB.DB()
	if err != nil {
		return nil, err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return nil, fmt.Errorf("claim the name %s: %w", name, err)
	}
	for end := time.Now().Add(claimWithin); ; {
		var ours bool
		err := conn.QueryRowContext(ctx, "select pg_try_advisory_lock(hashtextextended($1, 7420))", "node "+
			""+name).Scan(&ours)
		if err == nil && ours {
			return &Claim{conn}, nil
		}
		if err != nil || time.Now().After(end) {
			conn.Close()
			return nil, err
		}
		select {
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done(): // until then another process had it
			conn.Close()
			return nil, nil
		}
	}
}

// Alive tells whether the connection that holds the name is there still.
func (c *Claim) Alive(ctx context.Context) bool { return c.conn.PingContext(ctx) == nil }

// Release gives the name up.
func (c *Claim) Release() {
	ctx, over := context.WithTimeout(context.Background(), time.Second)
	defer over()
	c.conn.ExecContext(ctx, "select pg_advisory_unlock_all()")
	c.conn.Close()
}
