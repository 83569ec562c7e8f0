// Package store keeps everything in PostgreSQL: one file per aggregate, all
// SQL here and nowhere else. Documents (paths, rigs, sets) are stored as the
// core's own values in JSON.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"keenarc/core/path"
	"keenarc/core/seal"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database. It is safe for use from several goroutines.
type Store struct {
	Pool *pgxpool.Pool
	// What never changes once it is written, and takes long to read.
	tables  *lru.Cache[string, *seal.Table]
	paths   *lru.Cache[edition, *path.Path]
	samples *lru.Cache[string, *path.Values]
}

// edition is one revision of a shot.
type edition struct {
	shot     string
	revision int64
}

// How much is remembered: tables and samples are large, paths small.
const (
	mostTables  = 8
	mostPaths   = 256
	mostSamples = 64
)

// ErrNotFound is returned for ids that do not exist.
var ErrNotFound = errors.New("there is no such thing here")

// ErrStale is returned when an edit names a revision that is not the newest.
var ErrStale = errors.New("somebody changed this in the meantime; it was loaded again")

// Open connects and migrates.
func Open(ctx context.Context, url string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	s := &Store{Pool: pool}
	s.tables, _ = lru.New[string, *seal.Table](mostTables) // these fail for sizes below one only
	s.paths, _ = lru.New[edition, *path.Path](mostPaths)
	s.samples, _ = lru.New[string, *path.Values](mostSamples)
	if err := s.migrate(ctx); err != nil {
		pool.Close()
		return nil, err
	}
	return s, nil
}

func (s *Store) migrate(ctx context.Context) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	db := stdlib.OpenDBFromPool(s.Pool)
	defer db.Close()
	p, err := goose.NewProvider(goose.DialectPostgres, db, files)
	if err != nil {
		return fmt.Errorf("migrations: %w", err)
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	return nil
}

// Durable reports whether the database really writes down what it says it has.
func (s *Store) Durable(ctx context.Context) (bool, error) {
	var fsync, commit string
	err := s.Pool.QueryRow(ctx, `SELECT current_setting('fsync'), current_setting('synchronous_commit')`).Scan(
		&fsync, &commit)
	return fsync == "on" && commit == "on", err
}

// Close ends all connections.
func (s *Store) Close() { s.Pool.Close() }

// querier is a pool or a transaction.
type querier interface {
	Query(context.Context, string, ...any) (pgx.Rows, error)
}

// UncertainError is returned where the database went away in the middle of a change: whether it
// was stored is not known.
type UncertainError struct{ Err error }

func (e *UncertainError) Error() string {
	return "whether this was stored is not known: " + e.Err.Error()
}

func (e *UncertainError) Unwrap() error { return e.Err }

// certain reports whether an error of a change says for certain that it was not made: the
// database itself has refused it.
func certain(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) || errors.Is(err, pgx.ErrTxCommitRollback)
}

// tx makes changes together, all or none. Where its end is not heard of it is an UncertainError.
// (pgx calls a commit that was sent and not answered safe to repeat; it is not.)
func (s *Store) tx(ctx context.Context, f func(pgx.Tx) error) error {
	tx, err := s.Pool.Begin(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback(context.WithoutCancel(ctx)) }() // nothing, where it was committed
	if err := f(tx); err != nil {
		return err
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if gone := tx.Conn().IsClosed(); gone {
		return fmt.Errorf("the database went away: %w", io.ErrUnexpectedEOF)
	}
	if err := tx.Commit(ctx); err != nil && !certain(err) {
		return &UncertainError{err}
	} else if err != nil {
		return err
	}
	return nil
}

// exec makes one change; where its end is not heard of it is an UncertainError.
func (s *Store) exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	c, err := s.Pool.Acquire(ctx)
	if err != nil {
		return pgconn.CommandTag{}, err
	}
	defer c.Release()
	if c.Conn().IsClosed() {
		return pgconn.CommandTag{}, io.ErrUnexpectedEOF
	}
	tag, err := c.Exec(ctx, sql, args...)
	if err != nil && !certain(err) && (len(args) == 0 || !pgconn.SafeToRetry(err)) && passing(err) {
		err = &UncertainError{err}
	}
	return tag, err
}

// ClearSessions forgets the sessions that have expired.
func (s *Store) ClearSessions(ctx context.Context) error {
	_, err := s.exec(ctx, `DELETE FROM sessions WHERE expiry < now()`)
	return err
}

// Query asks on a connection of its own.
func (s *Store) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	return s.Pool.Query(ctx, sql, args...)
}

// still reads on one picture of the database: nothing that is written meanwhile is seen.
func (s *Store) still(ctx context.Context, read func(querier) error) error {
	return pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly},
		func(tx pgx.Tx) error { return read(tx) })
}

func one[T any](ctx context.Context, q querier, sql string, args ...any) (*T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	v, err := pgx.CollectExactlyOneRow(rows, pgx.RowToAddrOfStructByName[T])
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, ErrNotFound
	}
	return v, err
}

func many[T any](ctx context.Context, q querier, sql string, args ...any) ([]T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByName[T])
	if out == nil {
		out = []T{}
	}
	return out, err
}
