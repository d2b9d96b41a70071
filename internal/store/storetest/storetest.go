// Package storetest gives tests a real PostgreSQL: one server per test binary on
// loopback, a fresh database for each test that opens a store.
package storetest

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/store"
	"juvalogos/internal/store/private"
)

var (
	once    sync.Once
	server  *private.Server
	startUp error
	folder  string
	as      = template{name: "as_it_is"}
	counter atomic.Int64
)

// Main runs a package's tests and stops the server that they shared, and
// whatever else they started. Call it from TestMain.
func Main(m *testing.M, stop ...func()) {
	code := m.Run()
	for _, f := range stop {
		f()
	}
	if server != nil {
		server.Stop()
	}
	if folder != "" {
		os.RemoveAll(folder)
	}
	os.Exit(code)
}

// URL returns the address of a database of the test's own, which has the tables as they are
// now and nothing in them.
func URL(t testing.TB) string {
	t.Helper()
	config := serve(t)
	if err := as.make(config); err != nil {
		t.Fatalf("make the database that the others are copied from: %v", err)
	}
	return create(t, config, " template "+as.name)
}

// Empty returns the address of a database of the test's own without tables.
func Empty(t testing.TB) string {
	t.Helper()
	return create(t, serve(t), "")
}

// template is the database that others are copied from: quicker than to make every table
// for each anew.
type template struct {
	name string
	once sync.Once
	err  error
}

func (m *template) make(config *pgx.ConnConfig) error {
	m.once.Do(func() {
		if m.err = execute(config, "create database "+m.name); m.err != nil {
			return
		}
		var s *store.Store
		if s, m.err = store.Open(context.Background(), address(config, m.name)); m.err == nil {
			s.Close()
		}
	})
	return m.err
}

// serve starts the server if it does not run yet. It does not wait for the disk: it is
// faster, and tests do not cut the power.
func serve(t testing.TB) *pgx.ConnConfig {
	t.Helper()
	once.Do(func() {
		folder, startUp = os.MkdirTemp("", "juvalogos-test-")
		if startUp != nil {
			return
		}
		if startUp = os.Chmod(folder, 0o755); startUp != nil {
			return
		}
		ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
		defer cancel()
		server, startUp = private.Start(ctx, folder+"/postgres", slog.New(slog.DiscardHandler), "fsync=off",
			"full_page_writes=off")
	})
	if startUp != nil {
		t.Fatalf("start PostgreSQL for tests: %v", startUp)
	}
	config, err := pgx.ParseConfig(server.URL())
	if err != nil {
		t.Fatal(err)
	}
	return config
}

func create(t testing.TB, config *pgx.ConnConfig, how string) string {
	t.Helper()
	name := fmt.Sprintf("test_%d", counter.Add(1))
	if err := execute(config, "create database "+name+how); err != nil {
		t.Fatal(err)
	}
	return address(config, name)
}

func execute(config *pgx.ConnConfig, statement string) error {
	ctx := context.Background()
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, statement)
	return err
}

func address(config *pgx.ConnConfig, database string) string {
	return fmt.Sprintf("host=%s port=%d user=%s dbname=%s sslmode=disable", config.Host, config.Port, config.User,
		database)
}

// Open returns a store on an empty database.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), URL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}
