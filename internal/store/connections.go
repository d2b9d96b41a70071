package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"
)

// StoredConnection is a connection that was made in the console.
type StoredConnection struct {
	Name      string
	Settings  json.RawMessage
	Key       []byte // encrypted; nil: none
	ChangedBy string
	ChangedAt time.Time
}

// StoredConnections lists them by name.
func (s *Store) StoredConnections(ctx context.Context) ([]StoredConnection, error) {
	rows, err := s.pool.Query(ctx, `select name, settings, key, changed_by, changed_at from connection order by name`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[StoredConnection])
}

// KeepConnection puts a connection on record, or changes the one of its name.
// A nil key leaves the key that is there.
func (s *Store) KeepConnection(ctx context.Context, c StoredConnection) error {
	_, err := s.pool.Exec(ctx, `
		insert into connection (name, settings, key, changed_by, changed_at) values ($1, $2, $3, $4, $5)
		on conflict (name) do update set settings = excluded.settings, key = coalesce(excluded.key, connection.key),
			changed_by = excluded.changed_by, changed_at = excluded.changed_at`,
		c.Name, c.Settings, c.Key, c.ChangedBy, c.ChangedAt)
	return err
}

// RemoveConnection forgets a connection and its key.
func (s *Store) RemoveConnection(ctx context.Context, name string) error {
	return s.one(ctx, `delete from connection where name = $1`, name)
}
