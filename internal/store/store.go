// Package store keeps the records of Juvalogos in PostgreSQL.
//
// It knows tables and nothing of models, pages or rules: every method is one
// question put to the database, in one round trip where a visitor waits for it.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"

	"juvalogos/internal/record"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is a pool of connections to one database. It is safe for concurrent
// use.
type Store struct {
	pool *pgxpool.Pool
}

// Open connects to the database at url, brings its tables up to date and
// returns the store.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, errors.New("the database address cannot be read; write it like postgres://user@host/name")
	}
	config.MaxConns = max(config.MaxConns, 12)
	config.MinIdleConns = 2
	config.MaxConnIdleTime = 5 * time.Minute
	config.ConnConfig.ConnectTimeout = 5 * time.Second
	config.ConnConfig.RuntimeParams["application_name"] = "juvalogos"
	config.AfterConnect = func(ctx context.Context, c *pgx.Conn) error {
		// Our statements look rows up by their keys, whatever the parameters:
		// planning them anew each time would cost more than running them.
		_, err := c.Exec(ctx, `set plan_cache_mode = force_generic_plan`)
		return err
	}
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database does not let us in (%s); check the address given with -database, and that PostgreSQL runs there", innermost(err))
	}
	if err := migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, fmt.Errorf("bring the database's tables up to date: %w", err)
	}
	return &Store{pool: pool}, nil
}

func migrate(ctx context.Context, pool *pgxpool.Pool) error {
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return err
	}
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, dir, goose.WithSessionLocker(locker))
	if err != nil {
		return err
	}
	_, err = provider.Up(ctx)
	return err
}

// Close gives up all connections.
func (s *Store) Close() { s.pool.Close() }

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.pool.Ping(ctx) }

// innermost is the plain cause of an error of the driver, which repeats its
// address for every try.
func innermost(err error) string {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return pg.Message
	}
	for {
		var inner error
		switch e := err.(type) {
		case interface{ Unwrap() []error }:
			inner = e.Unwrap()[0]
		default:
			inner = errors.Unwrap(err)
		}
		if inner == nil {
			return err.Error()
		}
		err = inner
	}
}

// known turns the database's words for "no such row" and "there is one
// already" into ours.
func known(err error) error {
	var pg *pgconn.PgError
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		return record.ErrNotFound
	case errors.As(err, &pg) && pg.Code == "23505":
		return fmt.Errorf("%w (%s)", record.ErrDuplicate, pg.ConstraintName)
	}
	return err
}
