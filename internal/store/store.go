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
	"sync/atomic"
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

// Store is what one database keeps, by rooms: a use case is given those it
// needs. All of them share one pool of connections, and are safe for concurrent
// use. Their errors are record.ErrNotFound and record.ErrDuplicate where callers
// decide on these, else what the driver says.
type Store struct {
	*db
	// questions on their way onto record, what came before them, and the instances that answer
	Replies       *Replies
	Conversations *Conversations // of visitors, and finding words in them
	Desks         *Desks         // with their revisions and drafts
	Traces        *Traces        // how replies were made and what it cost
	Verdicts      *Verdicts      // what visitors said of replies, and what makers found
	Connections   *Connections   // that makers added
	Accounts      *Accounts      // with their sessions, and tokens
	Shelves       *Shelves       // with their documents, passages and files
	Errands       *Errands       // what visitors have brought, and what is kept of it
	Media         *Media         // pictures of turns
	Recordings    *Recordings    // that visitors gave, and what is spoken
	Tables        *Tables        // what was found out of documents that are tables
	Kept          *Kept          // outputs of steps that are kept for long
	Quizzes       *Quizzes       // that were given, and how they went
	Runs          *Runs          // questions put to candidates
	Standing      *Standing      // replies that desks keep current
}

// The rooms. Every method's error is record.ErrNotFound where what it is asked for
// is not there or is not the caller's, record.ErrDuplicate where it is there
// already, and else what the driver says.
type (
	Replies       struct{ *db }
	Conversations struct{ *db }
	Desks         struct{ *db }
	Traces        struct{ *db }
	Verdicts      struct{ *db }
	Connections   struct{ *db }
	Accounts      struct{ *db }
	Shelves       struct{ *db }
	Errands       struct{ *db }
	Media         struct{ *db }
	Tables        struct{ *db }
	Kept          struct{ *db }
	Quizzes       struct{ *db }
	Runs          struct{ *db }
	Standing      struct{ *db }
	Recordings    struct {
		*db
		scrubbed atomic.Int64 // how much had been deleted the last time
	}
)

// db is the database that the rooms share.
type db struct {
	pool  *pgxpool.Pool
	hurry *hurry
}

// one runs a statement that is to change one row; ErrNotFound if it changed
// none.
func (s *db) one(ctx context.Context, statement string, arguments ...any) error {
	tag, err := s.pool.Exec(ctx, statement, arguments...)
	if err == nil && tag.RowsAffected() == 0 {
		return record.ErrNotFound
	}
	return err
}

// Open connects to the database at url, brings its tables up to date and
// returns the store. It fails if the database does not answer, or is of a newer
// version.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, errors.New("the database address cannot be read; write it like postgres://user@host/name")
	}
	config.MaxConns = max(config.MaxConns, 12)
	config.MinIdleConns = 2
	config.MaxConnIdleTime = 5 * time.Minute
	h := &hurry{}
	config.ConnConfig.Tracer = h
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
		return nil, fmt.Errorf("the database does not let us in (%s); check the address given with -database, and "+
			"that PostgreSQL runs there", innermost(err))
	}
	if err := migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, fmt.Errorf("bring the database's tables up to date: %w", err)
	}
	d := &db{pool, h}
	return &Store{
		d, &Replies{d}, &Conversations{d}, &Desks{d}, &Traces{d}, &Verdicts{d}, &Connections{d}, &Accounts{d},
		&Shelves{d}, &Errands{d}, &Media{d}, &Recordings{db: d}, &Tables{d}, &Kept{d}, &Quizzes{d}, &Runs{d},
		&Standing{d},
	}, nil
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
	at, err := provider.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	if known := provider.ListSources(); at > known[len(known)-1].Version {
		return fmt.Errorf("they are of a newer version of this program (%d) than this one knows (%d); start the newer "+
			"one, or give this one another data folder", at, known[len(known)-1].Version)
	}
	_, err = provider.Up(ctx)
	return err
}

// Close gives up all connections.
func (s *Store) Close() { s.pool.Close() }

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
