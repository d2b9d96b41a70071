package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
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

// MarkInterrupted marks the running attempts of instances that are no more as
// interrupted and returns how many there were.
func (s *Replies) MarkInterrupted(ctx context.Context, self int32) (int, error) {
	tag, err := s.pool.Exec(ctx, `
		update attempt set state = 'interrupted', ended_at = now()
		where state = 'running' and instance <> $1 and not `+lives("$2", "instance"), self, lockSpace)
	return int(tag.RowsAffected()), err
}
