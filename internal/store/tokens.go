package store

import (
	"context"
	"crypto/sha256"
	"time"

	"github.com/jackc/pgx/v5"
)

// Token is what is known of an API token; the secret itself is not.
type Token struct {
	ID     int64
	Name   string
	MadeAt time.Time
}

// AddToken records a token. It fails with ErrDuplicate if the name is taken.
func (s *Store) AddToken(ctx context.Context, name, secret string) (Token, error) {
	hash := sha256.Sum256([]byte(secret))
	t := Token{Name: name}
	err := s.pool.QueryRow(ctx, `insert into api_token (name, hash) values ($1, $2) returning id, made_at`, name, hash[:]).Scan(&t.ID, &t.MadeAt)
	return t, known(err)
}

// TokenBySecret finds the token that a caller shows.
func (s *Store) TokenBySecret(ctx context.Context, secret string) (t Token, err error) {
	hash := sha256.Sum256([]byte(secret))
	err = s.pool.QueryRow(ctx, `select id, name, made_at from api_token where hash = $1`, hash[:]).Scan(&t.ID, &t.Name, &t.MadeAt)
	return t, known(err)
}

// Tokens lists all tokens by name.
func (s *Store) Tokens(ctx context.Context) ([]Token, error) {
	rows, err := s.pool.Query(ctx, `select id, name, made_at from api_token order by name`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Token])
}

// RemoveToken makes a token worthless. It fails with ErrNotFound if there is
// none of that name.
func (s *Store) RemoveToken(ctx context.Context, name string) error {
	return s.one(ctx, `delete from api_token where name = $1`, name)
}
