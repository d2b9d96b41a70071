package private

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

var quiet = slog.New(slog.DiscardHandler)

// place is a folder that the database's user may enter.
func place(t *testing.T) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "juvalogos-private-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	if err := os.Chmod(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	return filepath.Join(folder, "postgres")
}

func begin(t *testing.T, folder string) *Server {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	s, err := Start(ctx, folder, quiet)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// run runs a statement, trying again while the server is away.
func run(t *testing.T, s *Server, statement string) string {
	t.Helper()
	ctx := context.Background()
	var last error
	for range 200 {
		conn, err := pgx.Connect(ctx, s.URL())
		if err == nil {
			var text string
			err = conn.QueryRow(ctx, statement).Scan(&text)
			conn.Close(ctx)
			if err == nil {
				return text
			}
		}
		last = err
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatalf("%s: %v", statement, last)
	return ""
}

func TestItKeepsItsDataFromStartToStart(t *testing.T) {
	folder := place(t)
	s := begin(t, folder)
	conn, err := pgx.Connect(context.Background(), s.URL())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(context.Background(), `create table t as select 'kept' as x`); err != nil {
		t.Fatal(err)
	}
	conn.Close(context.Background())
	if got := run(t, s, `select setting from pg_settings where name = 'listen_addresses'`); got != "" {
		t.Errorf("it listens on %q", got)
	}
	info, err := os.Stat(folder)
	if err != nil || info.Mode().Perm() != 0o700 {
		t.Errorf("the folder is %v, %v", info.Mode(), err)
	}
	pid := s.PID()
	if stat, err := os.Stat("/proc/" + strconv.Itoa(pid)); err != nil || stat.Sys().(*syscall.Stat_t).Uid == 0 {
		t.Errorf("its process belongs to root: %v", err)
	}

	// Another service on the same folder is refused.
	if _, err := Start(context.Background(), folder, quiet); err == nil ||
		!strings.Contains(err.Error(), "another juvalogos (process "+strconv.Itoa(os.Getpid())) {
		t.Errorf("a second start: %v", err)
	}
	s.Stop()
	if syscall.Kill(pid, 0) == nil {
		t.Error("it runs after Stop")
	}

	// It dies, and comes back with its data.
	s = begin(t, folder)
	pid = s.PID()
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	if got := run(t, s, `select x from t`); got != "kept" {
		t.Errorf("after a kill -9 it has %q", got)
	}
	if s.PID() == pid {
		t.Error("the same process answers")
	}

	// The service dies without stopping it; the next one takes it up.
	pid = s.PID()
	s.mu.Lock()
	s.stopping = true // this process plays dead: its watch must not act
	s.mu.Unlock()
	s.unlock()
	next := begin(t, folder)
	if next.PID() != pid {
		t.Errorf("process %d was taken up as %d", pid, next.PID())
	}
	if got := run(t, next, `select x from t`); got != "kept" {
		t.Errorf("taken up it has %q", got)
	}
	next.Stop()
	if next.answers(context.Background()) {
		t.Error("it answers after Stop")
	}
}

func TestBrokenFolders(t *testing.T) {
	start := func(folder string) error {
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
		defer cancel()
		s, err := Start(ctx, folder, quiet)
		if err == nil {
			s.Stop()
		}
		return err
	}
	foreign := place(t)
	if err := os.MkdirAll(filepath.Join(foreign, "data"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := start(foreign); err == nil || !strings.Contains(err.Error(), "is not a database of PostgreSQL") {
		t.Errorf("a folder of something else: %v", err)
	}

	old := place(t)
	if err := os.MkdirAll(filepath.Join(old, "data"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(old, "data", "PG_VERSION"), []byte("9\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := start(old); err == nil || !strings.Contains(err.Error(), "install Debian's package postgresql-9") {
		t.Errorf("another version's folder: %v", err)
	}

	damaged := place(t)
	begin(t, damaged).Stop()
	if err := os.Remove(filepath.Join(damaged, "data", "global", "pg_control")); err != nil {
		t.Fatal(err)
	}
	if err := start(damaged); err == nil || !strings.Contains(err.Error(), "stopped while starting") ||
		!strings.Contains(err.Error(), "postgres.log") {
		t.Errorf("a damaged folder: %v", err)
	}

	if os.Geteuid() == 0 {
		closed := place(t)
		if err := os.Chmod(filepath.Dir(closed), 0o700); err != nil {
			t.Fatal(err)
		}
		if err := start(closed); err == nil || !strings.Contains(err.Error(), "may not enter") {
			t.Errorf("a folder that its user may not enter: %v", err)
		}
	}
}

func TestALongPathGetsAShortSocket(t *testing.T) {
	folder := filepath.Join(place(t), strings.Repeat("long-", 20))
	if err := os.MkdirAll(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	s := begin(t, filepath.Join(folder, "postgres"))
	defer s.Stop()
	if got := run(t, s, `select 'reached'`); got != "reached" {
		t.Errorf("got %q", got)
	}
	if len(s.socket) > longestSocketFolder {
		t.Errorf("the socket is in %s", s.socket)
	}
	os.RemoveAll(s.socket)
}
