package store_test

import (
	"errors"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
	"juvalogos/internal/store"
	"juvalogos/internal/store/storetest"
)

// A database that may only be read answers and is not ready; it is once it may be written.
func TestReadyIsWhatKeeps(t *testing.T) {
	url := storetest.URL(t)
	s, err := store.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if err := s.Ready(ctx); err != nil {
		t.Fatal(err)
	}
	db, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(ctx)
	set := func(to string) {
		t.Helper()
		for _, statement := range []string{"set default_transaction_read_only = off",
			"alter database " + pgx.Identifier{db.Config().Database}.Sanitize() +
				" set default_transaction_read_only = " + to,
			"select pg_terminate_backend(pid) from pg_stat_activity " +
				"where datname = current_database() and pid <> pg_backend_pid()",
		} {
			if _, err := db.Exec(ctx, statement); err != nil {
				t.Fatal(err)
			}
		}
	}
	set("on")
	if err := eventually(s); !errors.Is(err, record.ErrReadOnly) {
		t.Errorf("read-only: %v", err)
	}
	set("off")
	if err := eventually(s); err != nil && !errors.Is(err, record.ErrReadOnly) {
		t.Errorf("not read-only any more: %v", err) // for a while it is not believed
	}
}

// eventually is what Ready says once the cut connections are done with.
func eventually(s *store.Store) (err error) {
	for range 20 {
		if err = s.Ready(ctx); err == nil || errors.Is(err, record.ErrReadOnly) {
			return err
		}
	}
	return err
}

// Tables of a newer program are left alone, with a sentence.
func TestNewerTablesAreRefused(t *testing.T) {
	url := storetest.URL(t)
	db, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(ctx)
	if _, err := db.Exec(ctx, `insert into goose_db_version (version_id, is_applied) values (9000, true)`); err != nil {
		t.Fatal(err)
	}
	if _, err := store.Open(ctx, url); err == nil || !strings.Contains(err.Error(), "newer version of this program") {
		t.Errorf("%v", err)
	}
}
