package store

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

// Jobs returns a queue of background work that lasts in the database, with its
// tables up to date.
func (s *Store) Jobs(ctx context.Context, config *river.Config) (*river.Client[pgx.Tx], error) {
	driver := riverpgxv5.New(s.pool)
	migrator, err := rivermigrate.New(driver, &rivermigrate.Config{Logger: config.Logger})
	if err != nil {
		return nil, err
	}
	// Two services that start at once must not both make the tables.
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return nil, err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `select pg_advisory_lock($1::int, 0)`, lockSpace); err != nil {
		return nil, err
	}
	defer func() { _, _ = conn.Exec(ctx, `select pg_advisory_unlock($1::int, 0)`, lockSpace) }()
	if _, err := migrator.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return nil, err
	}
	return river.NewClient(driver, config)
}
