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

// URL returns the address of an empty database of the test's own. The server
// does not wait for the disk: it is faster, and tests do not cut the power.
func URL(t testing.TB) string {
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
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, server.URL())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	name := fmt.Sprintf("test_%d", counter.Add(1))
	if _, err := conn.Exec(ctx, "create database "+name); err != nil {
		t.Fatal(err)
	}
	config := conn.Config()
	return fmt.Sprintf("host=%s port=%d user=%s dbname=%s sslmode=disable", config.Host, config.Port, config.User, name)
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
