package store

import (
	"context"
	"strconv"

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

// jobsOf begins the names under which instances take jobs.
const jobsOf = "instance-"

// JobsOf is the name under which an instance takes jobs.
func JobsOf(instance int32) string { return jobsOf + strconv.Itoa(int(instance)) }

// EndDeadJobs ends the jobs that instances which are no more have left as running; what
// they were for is taken up from where it stands.
func (s *Store) EndDeadJobs(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, `
		with held as materialized (
			select id, substring(attempted_by[array_upper(attempted_by, 1)] from '^' || $2 ||
				'([0-9]+)$')::int as instance
			from river_job where state = 'running')
		update river_job j set state = 'cancelled', finalized_at = now()
		from held where held.id = j.id and j.state = 'running' and held.instance is not null
			and not `+lives("$1", "held.instance"), lockSpace, jobsOf)
	return err
}
