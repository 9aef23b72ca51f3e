// Package store is the door to PostgreSQL: connection, migrations, models and transactions, through GORM. What the rows
// mean is decided by the packages that use them.
package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"slices"
	"strings"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// DB is a pool of connections to the database. It may be used by several goroutines.
type DB struct {
	*gorm.DB
}

// ErrNotFound is returned when a row is not there; ErrDuplicate when one with the same key is.
var (
	ErrNotFound  = gorm.ErrRecordNotFound
	ErrDuplicate = gorm.ErrDuplicatedKey
)

// settings are those of every connection, unless the address says otherwise. What is read often lies in memory, where
// no page is further than another. A node that stands still in the middle of a transaction holds its locks no longer
// than that: lobbies that it has locked could not be taken over.
var settings = map[string]string{"application_name": "turnvex", "random_page_cost": "1.1",
	"idle_in_transaction_session_timeout": "5s"}

// Open connects to the database at address (a PostgreSQL URL or key-value string). Statements are logged without their
// values, and only when slow.
func Open(ctx context.Context, address string, log *slog.Logger) (*DB, error) {
	if log == nil {
		log = slog.New(slog.DiscardHandler)
	}
	lg := logger.NewSlogLogger(log, logger.Config{SlowThreshold: 500 * time.Millisecond, LogLevel: logger.Error,
		IgnoreRecordNotFoundError: true, ParameterizedQueries: true})
	cfg, err := pgx.ParseConfig(address)
	if err != nil {
		return nil, fmt.Errorf("the database's address: %w", err)
	}
	for name, value := range settings {
		if cfg.RuntimeParams[name] == "" {
			cfg.RuntimeParams[name] = value
		}
	}
	g, err := gorm.Open(postgres.New(postgres.Config{Conn: stdlib.OpenDB(*cfg)}), &gorm.Config{
		TranslateError:         true,
		SkipDefaultTransaction: true,
		Logger:                 quiet{lg},
		NowFunc:                func() time.Time { return time.Now().UTC() },
	})
	if err != nil {
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	pool, err := g.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(16)
	pool.SetMaxIdleConns(8)
	if err := pool.PingContext(ctx); err != nil {
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	return &DB{g}, nil
}

// quiet keeps errors that callers handle (a duplicate, a row not there) out of the log.
type quiet struct{ logger.Interface }

func (q quiet) Trace(ctx context.Context, begin time.Time, fc func() (string, int64), err error) {
	if errors.Is(err, gorm.ErrRecordNotFound) || errors.Is(err, gorm.ErrDuplicatedKey) ||
		errors.Is(err, context.Canceled) ||
		err != nil && strings.Contains(err.Error(), "SQLSTATE 23505") {
		err = nil
	}
	q.Interface.Trace(ctx, begin, fc, err)
}

// Close ends all connections.
func (d *DB) Close() error {
	pool, err := d.DB.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// Scan logs what a recorder of the library's own has seen, and it asks this.
func init() {
	logger.RecorderParamsFilter = func(_ context.Context, sql string, _ ...any) (string, []any) { return sql, nil }
}

// Busy tells whether a statement failed for what passes by itself: it is to be tried again. It is one that other
// transactions, a lack of connections or of room, a restart or a server that only reads has ended (SQLSTATE 40P01,
// 40001, 25006, 53100 to 53300, 55P03, 57P01 to 57P03, 58030 and class 08), or whose connection broke.
func Busy(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return slices.Contains([]string{"40P01", "40001", "25006", "53100", "53200", "53300", "55P03", "57P01", "57P02",
			"57P03", "58030"}, pg.Code) ||
			strings.HasPrefix(pg.Code, "08")
	}
	var connect *pgconn.ConnectError
	var broken net.Error
	return errors.As(err, &connect) || errors.As(err, &broken) || errors.Is(err, io.ErrUnexpectedEOF) ||
		errors.Is(err, io.EOF) || errors.Is(err, driver.ErrBadConn) || errors.Is(err, sql.ErrConnDone) ||
		err != nil && strings.Contains(err.Error(), "conn closed")
}

// ParamsFilter keeps the values of statements out of the log.
func (q quiet) ParamsFilter(_ context.Context, sql string, _ ...any) (string, []any) { return sql, nil }

// migrationLock is the advisory lock under which one node migrates at a time.
const migrationLock = 0x7475726e766578

// Migrate brings the schema up to date. Several nodes may call it at once: one does the work, the others wait.
func (d *DB) Migrate(ctx context.Context) error {
	steps, err := migrationSteps()
	if err != nil {
		return err
	}
	return d.WithContext(ctx).Connection(func(tx *gorm.DB) error {
		if err := tx.Exec("select pg_advisory_lock(?)", migrationLock).Error; err != nil {
			return fmt.Errorf("wait for the migration lock: %w", err)
		}
		defer tx.Exec("select pg_advisory_unlock(?)", migrationLock)
		opts := &gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 100,
			UseTransaction: true, ValidateUnknownMigrations: true}
		err := gormigrate.New(tx, opts, steps).Migrate()
		switch {
		case errors.Is(err, gormigrate.ErrUnknownPastMigration):
			return errors.New("a newer version of Turnvex has used this database: start that version, or give " +
				"another database (the demo's is the folder .turnvex/demo, which you may delete)")
		case err != nil:
			return fmt.Errorf("migrate the database: %w", err)
		}
		return describe(tx.Session(&gorm.Session{NewDB: true}))
	})
}

// comments say what is in each table and each column.
//
//go:embed comments.sql
var comments string

// describe writes the comments of tables and columns, unless those of this program are there.
func describe(tx *gorm.DB) error {
	here := Setting{"comments", fmt.Sprintf("%x", sha256.Sum256([]byte(comments)))}
	var there Setting
	if err := tx.Limit(1).Find(&there, "name = ?", here.Name).Error; err != nil || there.Value == here.Value {
		return err
	}
	return tx.Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec(comments).Error; err != nil {
			return fmt.Errorf("write what is in the tables: %w", err)
		}
		return tx.Save(&here).Error
	})
}

func migrationSteps() ([]*gormigrate.Migration, error) {
	files, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return nil, err
	}
	var steps []*gormigrate.Migration
	for _, file := range files { // in the order of their numbers
		sql, err := migrations.ReadFile(file)
		if err != nil {
			return nil, err
		}
		id := strings.TrimSuffix(strings.TrimPrefix(file, "migrations/"), ".sql")
		steps = append(steps,
			&gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error { return tx.Exec(string(sql)).Error }})
	}
	return steps, nil
}

// Tx is a transaction, or the pool itself.
type Tx = gorm.DB

// Present tells which of these players there are, and keeps them from being deleted until the transaction ends.
func Present(tx *Tx, players ...string) (map[string]bool, error) {
	var ids []string
	for _, p := range players {
		if p != "" {
			ids = append(ids, p)
		}
	}
	there := map[string]bool{}
	if len(ids) == 0 {
		return there, nil
	}
	var found []Player
	err := tx.Clauses(clause.Locking{Strength: "KEY SHARE"}).Select("id").Find(&found, "id in ?", ids).Error
	for _, p := range found {
		there[p.ID] = true
	}
	return there, err
}

// Now is the database's own time, where its order matters to several nodes.
var Now = clause.Expr{SQL: "clock_timestamp()"}
