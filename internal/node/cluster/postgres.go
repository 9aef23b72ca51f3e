package cluster

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// In returns the table of nodes in a PostgreSQL database.
func In(db *store.DB) Table { return postgres{db} }

type postgres struct{ db *store.DB }

// Claim is part of Table.
func (p postgres) Claim(ctx context.Context, name string) (Claim, error) {
	claim, err := p.db.Claim(ctx, name)
	if claim == nil {
		return nil, err
	}
	return claim, err
}

// Enter is part of Table.
func (p postgres) Enter(ctx context.Context, s *Identity, lease time.Duration) (epoch int64, err error) {
	err = p.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if err := tx.Exec("select 1 from nodes where name = ? for update", s.Name).Error; err != nil {
			return err
		}
		return tx.Raw(`insert into nodes (name, epoch, address, bus, region, version, started_at, lease_until, seen_at,
				holds_from) values (?, 1, ?, ?, ?, ?, clock_timestamp(), clock_timestamp() + ? * interval '1 second',
				clock_timestamp(), clock_timestamp())
			on conflict (name) do update set epoch = nodes.epoch + 1, address = excluded.address, bus = excluded.bus,
				region = excluded.region, version = excluded.version, started_at = excluded.started_at,
				lease_until = excluded.lease_until, draining = false
			returning epoch`, s.Name, s.Address, s.Bus, s.Region, s.Version, lease.Seconds()).Scan(&epoch).Error
	})
	return epoch, err
}

// Renew is part of Table.
func (p postgres) Renew(ctx context.Context, name string, epoch int64, lease time.Duration, l *Load) (
	kept, draining bool, err error,
) {
	var rows []struct{ Draining bool }
	set, args := "", []any{lease.Seconds(), l.Lobbies, l.Seats, l.Connections, l.Overloaded}
	if l.Tallies != nil {
		set, args = ", tallies = ?", append(args, string(l.Tallies))
	}
	err = p.db.WithContext(ctx).Raw("update nodes set lease_until = clock_timestamp() + ? * interval '1 second', "+
		"lobbies = ?, seats = ?, connections = ?, overloaded = ?"+set+
		" where name = ? and epoch = ? returning draining",
		append(args, name, epoch)...).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return false, false, err
	}
	return true, rows[0].Draining, nil
}

// Dead is part of Table.
func (p postgres) Dead(ctx context.Context, region, but string) (names []string, err error) {
	return names, p.db.WithContext(ctx).Raw(`select name from nodes n where region = ? and name <> ? and
		lease_until < clock_timestamp() and (exists (select 1 from lobbies l where l.node = n.name and
		l.closed_at is null) or exists (select 1 from series x where x.node = n.name and not x.over)) order by name`,
		region, but).Scan(&names).Error
}

// Members is part of Table.
func (p postgres) Members(ctx context.Context) (out []Member, err error) {
	var rows []struct {
		store.Node
		Alive, Holds bool
	}
	err = p.db.WithContext(ctx).Raw(`select * from (select name, epoch, address, bus, region,
		version, started_at, lease_until, n.lobbies, seats, connections, draining, overloaded,
			lease_until > clock_timestamp() as alive,
		exists (select 1 from lobbies l where l.node = n.name and l.closed_at is null) as holds
		from nodes n) x where alive or holds or lease_until > clock_timestamp() - interval '1 hour'`).Scan(&rows).Error
	for _, r := range rows {
		out = append(out, Member{r.Node, r.Alive, r.Holds})
	}
	return out, err
}

// Drain is part of Table.
func (p postgres) Drain(ctx context.Context, name string, epoch int64) error {
	return p.db.WithContext(ctx).
		Exec("update nodes set draining = true where name = ? and epoch = ?", name, epoch).Error
}

// Leave is part of Table.
func (p postgres) Leave(ctx context.Context, name string, epoch int64) error {
	return p.db.WithContext(ctx).Exec("update nodes set lease_until = clock_timestamp(), lobbies = 0, seats = 0, "+
		"connections = 0 where name = ? and epoch = ?", name, epoch).Error
}
