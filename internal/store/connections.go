package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// StoredConnections lists them by name.
func (s *Connections) StoredConnections(ctx context.Context) ([]record.StoredConnection, error) {
	rows, err := s.pool.Query(ctx, `select name, settings, key, changed_by, changed_at from connection
		where removed_at is null order by name`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.StoredConnection])
}

// KeepConnection puts a connection on record, or changes the one of its name.
// A nil key leaves the key that is there, unless the connection was removed.
func (s *Connections) KeepConnection(ctx context.Context, c record.StoredConnection) error {
	_, err := s.pool.Exec(ctx, `
		insert into connection (name, settings, key, changed_by, changed_at) values ($1, $2, $3, $4, $5)
		on conflict (name) do update set settings = excluded.settings,
			key = case when connection.removed_at is null then coalesce(excluded.key,
				connection.key) else excluded.key end,
			changed_by = excluded.changed_by, changed_at = excluded.changed_at, removed_at = null`,
		c.Name, c.Settings, c.Key, c.ChangedBy, c.ChangedAt)
	return err
}

// RemoveConnection takes a connection out of use; RestoreConnection brings it
// back until PurgeAccess has it.
func (s *Connections) RemoveConnection(ctx context.Context, name string, at time.Time) error {
	return s.one(ctx, `update connection set removed_at = $2 where name = $1 and removed_at is null`, name, at)
}

// RestoreConnection brings a removed connection back, with its key.
func (s *Connections) RestoreConnection(ctx context.Context, name string) error {
	return s.one(ctx, `update connection set removed_at = null where name = $1 and removed_at is not null`, name)
}

// PurgeAccess forgets for good the connections with their keys, and the
// tokens, that were removed before a time, and sessions that had expired.
func (s *Accounts) PurgeAccess(ctx context.Context, before time.Time) error {
	_, err := s.pool.Exec(ctx, `
		with c as (delete from connection where removed_at < $1), s as (delete from session where expires_at < $1)
		delete from api_token where removed_at < $1`, before)
	return err
}
