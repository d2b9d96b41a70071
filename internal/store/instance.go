package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// lockSpace is the first half of the advisory locks that stand for running
// instances of the service.
const lockSpace = 0x6a75

// Instance is a running service, visible to others on the same database by an
// advisory lock that falls when the service dies, however it dies.
type Instance struct {
	Number int32
	conn   *pgx.Conn
}

// Register takes the lock of instance number on a connection of its own.
func (s *Replies) Register(ctx context.Context, number int32) (*Instance, error) {
	conn, err := pgx.ConnectConfig(ctx, s.pool.Config().ConnConfig)
	if err != nil {
		return nil, fmt.Errorf("register this instance: %w", err)
	}
	if _, err := conn.Exec(ctx, `select pg_advisory_lock($1::int, $2::int)`, lockSpace, number); err != nil {
		conn.Close(ctx)
		return nil, fmt.Errorf("register this instance: %w", err)
	}
	return &Instance{number, conn}, nil
}

// Alive reports whether the lock is still held.
func (i *Instance) Alive(ctx context.Context) bool { return i.conn.Ping(ctx) == nil }

// Close gives the lock back.
func (i *Instance) Close(ctx context.Context) { i.conn.Close(ctx) }

// lives is a condition of SQL: the instance whose number stands in a column is running. space
// stands for lockSpace among the arguments.
func lives(space, column string) string {
	return `exists (select from pg_locks l
		where l.locktype = 'advisory' and l.classid = ` + space + `::int::oid and l.objid = ` + column + `::oid
		and l.database = (select oid from pg_database where datname = current_database()))`
}

// Dead are the instances other than self that have attempts running and hold no lock.
func (s *Replies) Dead(ctx context.Context, self int32) ([]int32, error) {
	rows, err := s.pool.Query(ctx, `select distinct instance from attempt
		where state = 'running' and instance <> $1 and not `+lives("$2", "instance"), self, lockSpace)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int32])
}

// InterruptAll marks the running attempts of an instance that holds no lock as
// interrupted, and returns how many there were.
func (s *Replies) InterruptAll(ctx context.Context, instance int32) (int, error) {
	tag, err := s.pool.Exec(ctx, `
		update attempt set state = 'interrupted', ended_at = now()
		where state = 'running' and instance = $1 and not `+lives("$2", "instance"), instance, lockSpace)
	return int(tag.RowsAffected()), err
}

// Unfinished are the attempts of an instance that are on record as running.
func (s *Replies) Unfinished(ctx context.Context, instance int32) ([]record.Unfinished, error) {
	rows, err := s.pool.Query(ctx, `select turn, number, stopping from attempt
		where state = 'running' and instance = $1`, instance)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[record.Unfinished])
}

// Interrupt marks an attempt of an instance as interrupted; false if it was not running.
func (s *Replies) Interrupt(ctx context.Context, turn uuid.UUID, number int, instance int32) (bool, error) {
	tag, err := s.pool.Exec(ctx, `
		update attempt set state = 'interrupted', ended_at = now()
		where turn = $1 and number = $2 and instance = $3 and state = 'running'`, turn, number, instance)
	return tag.RowsAffected() > 0, err
}

// AskToStop asks whoever makes a turn's reply to stop.
func (s *Replies) AskToStop(ctx context.Context, turn uuid.UUID) error {
	_, err := s.pool.Exec(ctx, `update attempt set stopping = true where turn = $1 and state = 'running'`, turn)
	return err
}

// Failing are the models all of whose replies since a time have failed, if these are so
// many at least.
func (s *Replies) Failing(ctx context.Context, since time.Time, fewest int) ([]record.Failing, error) {
	rows, err := s.pool.Query(ctx, `
		select model, max(problem), count(*)::int from attempt f where state = 'failed' and started_at > $1
			and not exists (select from attempt a where a.model = f.model and a.started_at > $1 and a.state = 'done')
		group by model having count(*) >= $2 order by model`, since, fewest)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[record.Failing])
}
