package store

import (
	"context"
	"crypto/sha256"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// AnyAccount reports whether there is an account.
func (s *Accounts) AnyAccount(ctx context.Context) (any bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from account)`).Scan(&any)
	return any, err
}

// SetFirstLink makes secret the end of the one link that makes the first
// account; earlier ones are void.
func (s *Accounts) SetFirstLink(ctx context.Context, secret string, at time.Time) error {
	hash := sha256.Sum256([]byte(secret))
	_, err := s.pool.Exec(ctx, `with old as (delete from first_link where hash <> $1) insert into first_link
		values ($1, $2) on conflict do nothing`, hash[:], at)
	return err
}

// AddFirstAccount makes the first account with the secret of the one-time
// link, which is void then. It fails with ErrNotFound if the link is.
func (s *Accounts) AddFirstAccount(ctx context.Context, secret, name, password string) (a record.Account, err error) {
	hash := sha256.Sum256([]byte(secret))
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if tag, err := tx.Exec(ctx, `delete from first_link
			where hash = $1`, hash[:]); err != nil || tag.RowsAffected() == 0 {
			if err == nil {
				err = record.ErrNotFound
			}
			return err
		}
		rows, err := tx.Query(ctx, `insert into account (name, password) values ($1, $2)
			returning id, name, password, made_at`, name, password)
		if err != nil {
			return err
		}
		a, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Account])
		return known(err)
	})
	return a, err
}

// Account finds an account by its name.
func (s *Accounts) Account(ctx context.Context, name string) (record.Account, error) {
	rows, err := s.pool.Query(ctx, `select id, name, password, made_at from account where name = $1`, name)
	if err != nil {
		return record.Account{}, err
	}
	a, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Account])
	return a, known(err)
}

// SetPassword gives an account another password and ends its sessions but one, and
// with tokens those of its command lines too.
func (s *Accounts) SetPassword(ctx context.Context, account int64, password string, keep int64, tokens bool) error {
	return s.one(ctx, `
		with ended as (delete from session where account = $1 and id <> $3),
			worthless as (delete from api_token where account = $1 and $4)
		update account set password = $2 where id = $1`, account, password, keep, tokens)
}

// AddSession puts a signed-in browser on record, known by the hash of secret.
func (s *Accounts) AddSession(ctx context.Context, secret string, n record.Session) (record.Session, error) {
	hash := sha256.Sum256([]byte(secret))
	err := s.pool.QueryRow(ctx, `
		insert into session (hash, account, browser, made_at, seen_at, expires_at) values ($1, $2, $3, $4, $4, $5)
			returning id`,
		hash[:], n.Account, n.Browser, n.MadeAt, n.ExpiresAt).Scan(&n.ID)
	return n, err
}

const sessionColumns = `s.id, s.account, a.name, s.browser, s.made_at, s.seen_at, s.expires_at`

// SessionBySecret finds the session that a browser shows, unless it has
// expired, and notes when it was seen, to the minute.
func (s *Accounts) SessionBySecret(ctx context.Context, secret string, at time.Time) (record.Session, error) {
	hash := sha256.Sum256([]byte(secret))
	rows, err := s.pool.Query(ctx, `
		with seen as (update session set seen_at = $2
			where hash = $1 and seen_at < $2::timestamptz - interval '1 minute')
		select `+sessionColumns+` from session s join account a on a.id = s.account
			where s.hash = $1 and s.expires_at > $2`, hash[:], at)
	if err != nil {
		return record.Session{}, err
	}
	found, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Session])
	return found, known(err)
}

// Sessions lists the sessions of an account that have not expired, the one
// seen last first.
func (s *Accounts) Sessions(ctx context.Context, account int64, at time.Time) ([]record.Session, error) {
	rows, err := s.pool.Query(ctx, `
		select `+sessionColumns+` from session s join account a on a.id = s.account
		where s.account = $1 and s.expires_at > $2 order by s.seen_at desc`, account, at)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Session])
}

// EndSession signs a browser of an account out.
func (s *Accounts) EndSession(ctx context.Context, account, id int64) error {
	return s.one(ctx, `delete from session where account = $1 and id = $2`, account, id)
}
