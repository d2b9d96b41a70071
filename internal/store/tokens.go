package store

import (
	"context"
	"crypto/sha256"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

const tokenColumns = `id, name, scopes, made_at, used_at, expires_at, account`

// AddToken records a token of which Name, Scopes and ExpiresAt are given. It
// fails with ErrDuplicate if the name is taken; a removed token of that name
// makes room.
func (s *Accounts) AddToken(ctx context.Context, t record.Token, secret string) (record.Token, error) {
	hash := sha256.Sum256([]byte(secret))
	if _, err := s.pool.Exec(ctx, `delete from api_token
		where name = $1 and removed_at is not null`, t.Name); err != nil {
		return t, err
	}
	err := s.pool.QueryRow(ctx, `
		insert into api_token (name, hash, scopes, expires_at, account) values ($1, $2, $3, $4, $5)
			returning id, made_at`,
		t.Name, hash[:], t.Scopes, t.ExpiresAt, t.Account).Scan(&t.ID, &t.MadeAt)
	return t, known(err)
}

// TokenBySecret finds the token that a caller shows, unless it has expired, and
// notes when it was used, to the minute.
func (s *Accounts) TokenBySecret(ctx context.Context, secret string, at time.Time) (record.Token, error) {
	hash := sha256.Sum256([]byte(secret))
	rows, err := s.pool.Query(ctx, `
		with used as (
			update api_token set used_at = $2
				where hash = $1 and coalesce(used_at, '-infinity') < $2::timestamptz - interval '1 minute')
		select `+tokenColumns+` from api_token where hash = $1 and removed_at is null and coalesce(expires_at,
			'infinity') > $2`, hash[:], at)
	if err != nil {
		return record.Token{}, err
	}
	t, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Token])
	return t, known(err)
}

// Tokens lists all tokens by name.
func (s *Accounts) Tokens(ctx context.Context) ([]record.Token, error) {
	rows, err := s.pool.Query(ctx, `select `+tokenColumns+` from api_token where removed_at is null order by name`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Token])
}

// RemoveToken makes a token worthless. It fails with ErrNotFound if there is
// none of that name.
// RestoreToken brings it back until PurgeAccess has it.
func (s *Accounts) RemoveToken(ctx context.Context, name string, at time.Time) error {
	return s.one(ctx, `update api_token set removed_at = $2 where name = $1 and removed_at is null`, name, at)
}

// RestoreToken makes a removed token good again.
func (s *Accounts) RestoreToken(ctx context.Context, name string) error {
	return s.one(ctx, `update api_token set removed_at = null where name = $1 and removed_at is not null`, name)
}
