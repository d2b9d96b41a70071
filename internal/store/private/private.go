// Package private runs a PostgreSQL server of the service's own in a folder.
//
// The server listens on a socket in that folder and nowhere else; only its own
// user, and root, can reach the socket. It is started with the service and
// stopped with it. It survives the death of the service and is taken up again
// by the next one; if it dies itself, it is started anew and recovers.
package private

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// database is the name of the database and of its one user.
const database = "juvalogos"

// longestSocketFolder leaves room for the socket's name in the 107 bytes that
// the operating system allows for its path.
const longestSocketFolder = 85

// Server is a running private server.
type Server struct {
	folder, socket, bin string
	account             account
	settings            []string
	log                 *slog.Logger
	lock                *os.File

	mu       sync.Mutex
	stopping bool
	pid      int
	died     chan struct{} // closed when the process pid has ended
	watched  chan struct{} // closed when watch has returned
}

// Start makes the cluster in folder if there is none, starts its server or
// takes up the one that runs, and keeps it running until Stop. settings are
// further PostgreSQL settings as name=value. It fails if there is no PostgreSQL
// to start, or it does not answer in time.
func Start(ctx context.Context, folder string, log *slog.Logger, settings ...string) (*Server, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	a, err := chooseAccount()
	if err != nil {
		return nil, err
	}
	s := &Server{folder: folder, account: a, log: log, settings: settings, watched: make(chan struct{})}
	if err := s.prepare(ctx); err != nil {
		s.unlock()
		return nil, err
	}
	if err := s.up(ctx); err != nil {
		s.unlock()
		return nil, err
	}
	go s.watch()
	if err := s.createDatabase(ctx); err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
}

// URL is the address of the database for package store.
func (s *Server) URL() string { return s.url(database) }

// PID is the process id of the server, for tests that kill it.
func (s *Server) PID() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.pid
}

func (s *Server) url(name string) string {
	return fmt.Sprintf("host=%s port=5432 user=%s dbname=%s sslmode=disable", s.socket, database, name)
}

func (s *Server) data() string { return filepath.Join(s.folder, "data") }

// prepare makes folders, lock and cluster.
func (s *Server) prepare(ctx context.Context) error {
	if err := os.MkdirAll(filepath.Dir(s.folder), 0o755); err != nil {
		return fmt.Errorf("make the data folder: %w", err)
	}
	if err := s.account.mayEnter(s.folder); err != nil {
		return err
	}
	if err := s.account.own(s.folder); err != nil {
		return fmt.Errorf("make the data folder: %w", err)
	}
	if err := s.takeLock(); err != nil {
		return err
	}
	s.socket = filepath.Join(s.folder, "socket")
	if len(s.socket) > longestSocketFolder {
		s.socket = filepath.Join(os.TempDir(), fmt.Sprintf("juvalogos-%x", sha256.Sum256([]byte(s.folder)))[:26])
	}
	if err := s.account.own(s.socket); err != nil {
		return fmt.Errorf("make the folder of the database's socket: %w", err)
	}
	return s.initialise(ctx)
}

// takeLock makes sure that no other service uses the folder. The operating
// system drops the lock with the process.
func (s *Server) takeLock() error {
	path := filepath.Join(s.folder, "lock")
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("lock the data folder: %w", err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		holder, _ := os.ReadFile(path)
		f.Close()
		return fmt.Errorf("another juvalogos (process %s) uses the data folder %s; stop it, or choose another folder "+
			"with -data", strings.TrimSpace(string(holder)), filepath.Dir(s.folder))
	}
	s.lock = f
	if err := f.Truncate(0); err != nil {
		return err
	}
	_, err = f.WriteAt([]byte(strconv.Itoa(os.Getpid())+"\n"), 0)
	return err
}

func (s *Server) unlock() {
	if s.lock != nil {
		s.lock.Close()
	}
}

// initialise makes the cluster beside its final place and moves it there, so
// that a crash in between leaves no half of one.
func (s *Server) initialise(ctx context.Context) error {
	version, err := os.ReadFile(filepath.Join(s.data(), "PG_VERSION"))
	if err == nil {
		s.bin, err = programs(strings.TrimSpace(string(version)))
		return err
	}
	if _, err := os.Stat(s.data()); err == nil {
		return fmt.Errorf("%s is not a database of PostgreSQL (it has no PG_VERSION); restore it from a backup, or "+
			"move it away to begin with an empty one", s.data())
	}
	if s.bin, err = programs(""); err != nil {
		return err
	}
	fresh := s.data() + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	s.log.Info("making the database", "folder", s.data())
	cmd := exec.CommandContext(ctx, filepath.Join(s.bin, "initdb"), "-D", fresh, "-U", database,
		"--auth=trust", "--encoding=UTF8", "--locale=C.UTF-8", "--data-checksums")
	cmd.SysProcAttr = s.account.attributes()
	cmd.Dir = s.folder
	cmd.Env = environment()
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("make the database in %s: %w: %s", fresh, err, lastLine(string(out)))
	}
	return os.Rename(fresh, s.data())
}

// up starts the server, or takes up one that a killed service left behind, and
// waits until it answers.
func (s *Server) up(ctx context.Context) error {
	if pid := s.running(); pid > 0 && s.answers(ctx) {
		s.log.Info("taking up the running database", "pid", pid)
		s.set(pid, pollUntilGone(pid))
		return nil
	}
	logFile, err := s.openLog()
	if err != nil {
		return err
	}
	defer logFile.Close()
	args := []string{"-D", s.data(), "-k", s.socket, "-p", "5432"}
	for _, setting := range append([]string{"listen_addresses=", "max_connections=60", "jit=off", "log_checkpoints=off",
		"unix_socket_permissions=0700"}, s.settings...) {
		args = append(args, "-c", setting)
	}
	for {
		cmd := exec.Command(filepath.Join(s.bin, "postgres"), args...)
		cmd.SysProcAttr = s.account.attributes()
		cmd.Dir = s.folder
		cmd.Env = environment()
		cmd.Stdout, cmd.Stderr = logFile, logFile
		if err := cmd.Start(); err != nil {
			return fmt.Errorf("start PostgreSQL: %w", err)
		}
		died := make(chan struct{})
		go func() { _ = cmd.Wait(); close(died) }()
		s.set(cmd.Process.Pid, died)
		err := s.ready(ctx, died)
		if err == nil {
			return nil
		}
		// The remains of a killed server may hold its memory for a moment.
		if ctx.Err() != nil || s.isStopping() || !strings.Contains(err.Error(), "shared memory") &&
			!strings.Contains(err.Error(), "lock file") {
			return err
		}
		sleep(ctx, 200*time.Millisecond)
	}
}

func (s *Server) ready(ctx context.Context, died <-chan struct{}) error {
	for {
		select {
		case <-died:
			return fmt.Errorf("PostgreSQL stopped while starting: %s (all of it is in %s)", s.lastLogged(), s.logPath())
		case <-ctx.Done():
			return fmt.Errorf("wait for PostgreSQL to start: %w", ctx.Err())
		case <-time.After(15 * time.Millisecond):
			if s.answers(ctx) {
				return nil
			}
		}
	}
}

// watch starts the server anew whenever it has died without being stopped.
func (s *Server) watch() {
	defer close(s.watched)
	for {
		s.mu.Lock()
		died := s.died
		s.mu.Unlock()
		<-died
		if s.isStopping() {
			return
		}
		s.log.Error("the database has died; starting it again")
		for wait := 100 * time.Millisecond; !s.isStopping(); wait = min(2*wait, 5*time.Second) {
			ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
			err := s.up(ctx)
			cancel()
			if err == nil {
				s.log.Info("the database runs again")
				break
			}
			s.log.Error("the database does not start", "error", err)
			time.Sleep(wait)
		}
	}
}

// Stop ends the server and waits until it has ended.
func (s *Server) Stop() {
	s.mu.Lock()
	s.stopping = true
	pid, died := s.pid, s.died
	s.mu.Unlock()
	defer s.unlock()
	for _, step := range []struct {
		signal syscall.Signal
		wait   time.Duration
	}{{syscall.SIGINT, 20 * time.Second}, {syscall.SIGQUIT, 5 * time.Second}, {syscall.SIGKILL, 5 * time.Second}} {
		_ = syscall.Kill(pid, step.signal)
		select {
		case <-died:
			<-s.watched
			return
		case <-time.After(step.wait):
			s.log.Warn("the database takes long to stop", "signal", step.signal)
		}
	}
}

func (s *Server) set(pid int, died chan struct{}) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.pid, s.died = pid, died
}

func (s *Server) isStopping() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.stopping
}

// running returns the process id that the cluster's lock file names if such a
// process lives, else 0.
func (s *Server) running() int {
	text, err := os.ReadFile(filepath.Join(s.data(), "postmaster.pid"))
	if err != nil {
		return 0
	}
	first, _, _ := strings.Cut(string(text), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(first))
	if err != nil || pid <= 0 || syscall.Kill(pid, 0) != nil {
		return 0
	}
	return pid
}

func (s *Server) answers(ctx context.Context) bool {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	conn, err := pgx.Connect(ctx, s.url("postgres"))
	if err != nil {
		return false
	}
	conn.Close(ctx)
	return true
}

func (s *Server) createDatabase(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, s.url("postgres"))
	if err != nil {
		return fmt.Errorf("connect to the private database: %w", err)
	}
	defer conn.Close(ctx)
	var there bool
	if err := conn.QueryRow(ctx, `select exists (select from pg_database
		where datname = $1)`, database).Scan(&there); err != nil {
		return err
	}
	if there {
		return nil
	}
	_, err = conn.Exec(ctx, `create database `+database)
	return err
}

// pollUntilGone watches a process that is not our child.
func pollUntilGone(pid int) chan struct{} {
	gone := make(chan struct{})
	go func() {
		for syscall.Kill(pid, 0) == nil || errors.Is(syscall.Kill(pid, 0), syscall.EPERM) {
			time.Sleep(100 * time.Millisecond)
		}
		close(gone)
	}()
	return gone
}

func sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// environment keeps the caller's PG... variables from steering our server.
func environment() []string {
	return []string{"PATH=" + os.Getenv("PATH"), "LANG=C.UTF-8", "LC_ALL=C.UTF-8", "TZ=UTC"}
}
